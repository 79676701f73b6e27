"""The effects of leaving out each kind of suspect, known before it is done."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields, replace
from typing import Final, TypeVar

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.audit.cleaning_effects import POINT
from milepost.audit.evidence import Excluding
from milepost.audit.exclusions import ACTS, build_exclusion
from milepost.audit.suspects import find_suspects
from milepost.cleaning.selection import Exclusion, keep_sessions
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel
from milepost.numerics.whole_numbers import stable_order
from milepost.playback.attempt_filters import apply_exclusion
from milepost.playback.attempt_tables import AroundAttempts, AttemptTable, Ends
from milepost.playback.play import FullPlay, Play
from milepost.playback.replay import MOST_RECORDS, replay_log
from milepost.playback.tallies import get_tallies
from milepost.vocabulary import CLEARED

_FIGURES: Final = ("reached", "clear_rate", "drop_off", "try_clear", "p50")
Figures = Mapping[str, tuple[float | None, ...]]  # by level


def measure_exclusion_effects(play: Play) -> dict[str, list[Excluding] | None]:
    """Per kind of suspect in a play that can be left out, the figures that would move; None where that was not worked out."""
    return play.compute_and_keep("leaving-out", _moves)


def _moves(play: Play) -> dict[str, list[Excluding] | None]:
    effects: dict[str, list[Excluding] | None] = {}
    instant = ["instant_clear"] if bool((play.around.instant & play.attempts.ended(CLEARED)).any()) else []
    codes = dict.fromkeys([*instant, *(suspect.code for suspect in find_suspects(play) if suspect.code in ACTS)])
    before = figures_to_compare(play) if codes else {}
    players = int(play.counts.sum())
    for code in codes:
        exclusion = build_exclusion(play, (code,))
        without = None if exclusion is None else _leave_out(play, exclusion)
        effects[code] = None if without is None else list_changed_figures(before, figures_to_compare(without), players)
    return effects


def _leave_out(play: Play, exclusion: Exclusion) -> Play | None:
    """The play without something, for the figures below; None where it is so large that this is left to who asks for it."""
    if not exclusion.replays:
        return apply_exclusion(play, exclusion)
    if get_tallies(play).records > MOST_RECORDS or not exclusion.keeps(play.gated.log).any():
        return None
    if play.inferred:  # an order that may be another one now
        return _replay_some(play, exclusion, np.ones(len(play.gated.player), np.bool_))
    names = play.gated.log.sessions.name
    gone = np.array([name in exclusion.sessions or name in exclusion.cuts for name in names], dtype=np.bool_)
    concerned = np.isin(play.gated.player, play.gated.player[gone])
    part = _replay_some(play, exclusion, concerned)
    if part is None:
        return None
    others = apply_exclusion(play, replace(exclusion, cuts={}))
    return _replace_players(others, part, concerned, exclusion.keeps(play.gated.log))


def _replay_some(play: Play, exclusion: Exclusion, sessions: Bools) -> Play | None:
    """Some sessions of a play, replayed with something left out."""
    if isinstance(play, FullPlay):
        return replay_log(keep_sessions(play.gated.log, sessions), play.course, play.rules, exclusion=exclusion)
    return play.replay_without(exclusion, sessions) if play.replay_without is not None else None


def figures_to_compare(play: Play) -> Figures:
    """The figures of a play that are held against those without something."""
    funnel, tries = play.compute_once(Funnel()).rows, play.compute_once(AttemptsToClear()).rows
    return {
        row["level"]: (row["reached"], row["clear_rate"], row["drop_off"], tried["try_clear"], tried["p50"])
        for row, tried in zip(funnel, tries, strict=False)
    }


def list_changed_figures(before: Figures, after: Figures, players: int) -> list[Excluding]:
    """Return the figures that differ by more than a point; for counts of players, a point of all of them."""
    changes: list[Excluding] = []
    for level, figures in before.items():
        for name, old, new in zip(_FIGURES, figures, after.get(level, (None,) * len(_FIGURES)), strict=True):
            near = POINT * players if name == "reached" else POINT
            if (old is None) != (new is None) or (old is not None and new is not None and abs(old - new) > near):
                changes.append({"level": level, "figure": name, "with": old, "without": new})
    return changes


Table = TypeVar("Table", AttemptTable, AroundAttempts)


def _replace_players(play: Play, part: Play, sessions: Bools, kept: Bools) -> Play:
    """The play with what came of some players in another replay; its moves and what is known of its records stay as they were.

    Args:
        play: a play by a course.
        part: all sessions of these players that stay, replayed by the same course.
        sessions: per session of the play, whether it is one of these players'.
        kept: per session of the play, whether it stays.
    """
    of_part = np.flatnonzero(sessions & kept)
    stops = np.zeros(len(part.stops), np.int64)
    stops[part.gated.stops.code] = play.gated.stops.code
    attempts, theirs = play.attempts, part.attempts
    stay = np.flatnonzero(~sessions[attempts.session])
    session = of_part[theirs.session]
    theirs = replace(theirs, session=session, player=play.gated.player[session], level=stops[theirs.level])
    sequence = play.gated.sequence[kept[play.gated.sequence]]
    rank = np.zeros(len(play.gated.player), np.int64)
    rank[sequence] = np.arange(len(sequence))
    order = stable_order(rank[np.concatenate((attempts.session[stay], session))])
    end = play.end.codes.copy()
    end[of_part] = part.end.codes
    return replace(
        play,
        gated=replace(play.gated, sequence=sequence),
        attempts=_join_rows(attempts, theirs, stay, order),
        end=Ends(end),
        summaries={AroundAttempts: _join_rows(play.around, part.around, stay, order)},
    )


def _join_rows(table: Table, theirs: Table, stay: Ints, order: Ints) -> Table:
    """Rows of one table that stay, and all of another, in order."""
    columns = {
        column.name: np.concatenate((getattr(table, column.name)[stay], getattr(theirs, column.name)))[order]
        for column in fields(table)
    }
    return type(table)(**columns)
