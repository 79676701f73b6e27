"""Exclusions of suspects: attempts become void, sessions go or are cut, ends are taken for no decisions."""

from __future__ import annotations

from collections.abc import Iterable
from difflib import get_close_matches
from typing import Final, Literal

import numpy as np

from milepost.arrays import Ints
from milepost.audit.promise_checks import find_void_attempts
from milepost.audit.suspects import find_suspects
from milepost.cleaning.selection import Exclusion, Places, Span
from milepost.errors import UsageError
from milepost.numerics.whole_numbers import distinct
from milepost.playback.attempt_filters import spans
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED

Act = Literal["void", "no decision", "session", "cut"]
ACTS: Final[dict[str, Act]] = {
    "carried_over": "void",
    "instant_clear": "void",
    "death_before_input": "void",
    "passed_level": "void",
    "broken_promise": "void",
    "reset_burst": "void",
    "unprompted_reset": "void",
    "idle_span": "void",
    "drifting_start": "void",
    "fallen_back": "void",
    "stuck": "no decision",
    "stuck_in_level": "no decision",
    "stuck_at_start": "no decision",
    "failed_transition": "no decision",
    "crash_at_clear": "no decision",
    "doubled_logic": "session",
    "makers_in": "session",
    "untagged_skip": "session",
    "overlapping_sessions": "session",
    "start_override": "session",
    "jumped_start": "cut",
}


def require_acting(codes: Iterable[str]) -> tuple[str, ...]:
    """The codes, each once, if leaving each of them out does something.

    Raises:
        UsageError: one does nothing.
    """
    for code in codes:
        if code not in ACTS:
            near = get_close_matches(code, ACTS, 1)
            meant = f" Did you mean {near[0]}?" if near else ""
            acting = ", ".join(sorted(ACTS))
            raise UsageError(f"--exclude {code}: leaving that out does nothing.{meant} Those that act: {acting}.")
    return tuple(dict.fromkeys(codes))


def build_exclusion(play: Play, codes: Iterable[str]) -> Exclusion | None:
    """Return the exclusion of suspects by some codes and of attempts void by a promise; None if it is empty.

    Args:
        play: the log as it is without leaving anything out.
        codes: the suspects, as ``ACTS`` names them.
    """
    codes = tuple(codes)
    void = find_void_attempts(play)
    if not codes and not len(void):
        return None
    suspects = [suspect for suspect in find_suspects(play) if suspect.code in codes]
    names, table = play.gated.log.sessions.name, play.attempts
    by_act = {
        act: [suspect for suspect in suspects if ACTS[suspect.code] == act] for act in ("void", "no decision", "session", "cut")
    }
    instant = _instant_clears(play) if "instant_clear" in codes else np.zeros(0, np.int64)
    leaves = {
        session for suspect in by_act["session"] for session in (suspect.sessions if suspect.leaves is None else suspect.leaves)
    }
    jumps = _join_rows([suspect.attempts for suspect in by_act["cut"]])
    cuts: dict[str, int] = {}
    for row in jumps[::-1].tolist():  # the first one of a session stays
        cuts[names[table.session[row]]] = int(table.opened_at[row] - play.gated.bounds[table.session[row]])
    return Exclusion(
        codes,
        frozenset(names[session] for session in leaves),
        cuts,
        _places(play, _join_rows([void, instant, *(suspect.attempts for suspect in by_act["void"])])),
        _places(play, _join_rows([suspect.attempts for suspect in suspects if suspect.code == "crash_at_clear"])),
        frozenset(names[session] for suspect in by_act["no decision"] for session in suspect.sessions),
        frozenset(names[session] for session in np.flatnonzero(play.gated.coarse).tolist()),
    )


def _instant_clears(play: Play) -> Ints:
    """Clears sooner than a player could, which are a finding and no suspect."""
    return np.flatnonzero(play.around.instant & play.attempts.ended(CLEARED))


def _join_rows(rows: list[Ints]) -> Ints:
    return distinct(np.concatenate(rows)) if rows else np.zeros(0, np.int64)


def _places(play: Play, rows: Ints) -> Places:
    """Some attempts by where they stand in their sessions."""
    table, names = play.attempts, play.gated.log.sessions.name
    by_session: dict[str, set[Span]] = {}
    for session, span in zip(table.session[rows].tolist(), spans(play, rows), strict=True):
        by_session.setdefault(names[session], set()).add(span)
    return {name: frozenset(places) for name, places in by_session.items()}
