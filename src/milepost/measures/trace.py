"""One session attempt by attempt, as an analyst would read it aloud."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Final, NotRequired, TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.errors import UsageError
from milepost.measures.cells import first_tries
from milepost.measures.interface import Table
from milepost.numerics.whole_numbers import counted, stable_order
from milepost.playback.play import FullPlay, Play, with_records
from milepost.vocabulary import CLEARED, END_QUIT, END_UNKNOWN, FINDINGS, MOVE_KINDS, N_SETTLED, OUTCOMES

# An attempt of a session; times are seconds on the session's clock.
TraceRow = TypedDict(
    "TraceRow",
    {
        "session": str,
        "level": str,
        "clock": float,
        "until": float,
        "try": int | None,
        "void": bool,
        "rerun": bool,
        "outcome": str,
        "cause": str | None,
        "active": float | None,
        "paused": float,
        "settling": float | None,
        "progress": float | None,
        "hits": int,
        "repairs": list[str],
    },
)
# A move of a session.
TracedMove = TypedDict("TracedMove", {"session": str, "clock": float, "from": str, "to": str | None, "kind": str})
# Where to look for what happened: a session, and from when to when on its clock, or on that of its recording where it has one;
# ``failed`` is the time in seconds that went into failures.
Watched = TypedDict(
    "Watched",
    {
        "session": str,
        "player": str,
        "tries": int,
        "from": float,
        "to": float,
        "ended": str,
        "left": bool,
        "failed": float,
        "recording": NotRequired[str],
        "link": NotRequired[str],
    },
)
_SOON: Final = 2  # tries after which a clear has little to show


class Traced(TypedDict):
    """A session, and its end."""

    session: str
    player: str
    build: str | None
    end: str
    ended: float | None
    tags: dict[str, str]
    recording: NotRequired[str]
    link: NotRequired[str]


class TraceTotals(TypedDict):
    """The sessions, and their moves."""

    traced: list[Traced]
    moves: list[TracedMove]


@dataclass(frozen=True)
class Trace:
    """The attempts and moves of some sessions.

    Attributes:
        session: the session's name, or that of a player, all of whose sessions are shown; None for every session.
        offset: seconds that a recording ran before the session's first record.
    """

    session: str | None = None
    offset: float = 0.0

    def __call__(self, play: Play) -> Table[TraceRow, TraceTotals]:
        """Rows an attempt; the totals list the sessions with their ends, and the moves.

        Raises:
            UsageError: there is no such session or player.
        """
        chosen = self._chosen(play)
        table = play.attempts
        rows = [self._row(play, k) for k in np.flatnonzero(np.isin(table.session, chosen)).tolist()]
        moves = [self._move(play, n) for n in np.flatnonzero(np.isin(play.moves.session, chosen)).tolist()]
        return Table(rows, TraceTotals(traced=[self._session(play, session) for session in chosen], moves=moves))

    def _chosen(self, play: Play) -> list[int]:
        """The sessions to show, in order of play."""
        names, players = play.gated.log.sessions.name, play.gated.players
        order: list[int] = play.gated.sequence.tolist()
        if self.session is None:
            return order
        chosen = [n for n in order if self.session in (names[n], players[play.gated.player[n]])]
        if not chosen:
            some = ", ".join(names[n] for n in order[:6])
            raise UsageError(f"no session or player is called {self.session!r}. Some of the {len(names)} sessions: {some}.")
        return chosen

    def _row(self, play: Play, k: int) -> TraceRow:
        table = play.attempts
        active, settling, progress = (float(column[k]) for column in (table.active, table.settling, table.progress))
        return {
            "session": play.gated.log.sessions.name[table.session[k]],
            "level": play.stops[table.level[k]],
            "clock": float(table.opened[k]) + self.offset,
            "until": float(table.closed[k]) + self.offset,
            "try": int(table.number[k]) if table.taken[k] else None,
            "void": not table.taken[k],
            "rerun": bool(table.rerun[k]),
            "outcome": OUTCOMES[table.outcome[k]],
            "cause": _cause(play, k),
            "active": _known(active),
            "paused": float(table.paused[k]),
            "settling": _known(settling),
            "progress": _known(progress),
            "hits": int(table.hits[k]),
            "repairs": _repairs(with_records(play), int(table.opened_at[k]), int(table.closed_at[k])),
        }

    def _move(self, play: Play, number: int) -> TracedMove:
        moves = play.moves
        target = int(moves.target[number])
        return {
            "session": play.gated.log.sessions.name[moves.session[number]],
            "clock": float(moves.time[number]) + self.offset,
            "from": play.stops[moves.origin[number]],
            "to": play.stops[target] if target >= 0 else None,
            "kind": MOVE_KINDS[moves.kind[number]],
        }

    def _session(self, play: Play, session: int) -> Traced:
        gated = play.gated
        ended = float(play.session_times.last[session])
        return {
            "session": gated.log.sessions.name[session],
            "player": gated.players[gated.player[session]],
            "build": gated.log.sessions.build[session],
            "end": play.end.name(session),
            "ended": None if np.isnan(ended) else ended + self.offset,
            "tags": gated.log.sessions.tags[session],
        }


def _known(value: float) -> float | None:
    return None if np.isnan(value) else value


def _cause(play: Play, k: int) -> str | None:
    code = play.around.cause[k]
    return play.gated.log.causes[code] if code >= 0 else None


def _repairs(play: FullPlay, first: int, last: int) -> list[str]:
    """The findings on the session's records from the opening to the closing of an attempt."""
    marks = play.gated.log.records.marks[play.gated.order[first : last + 1]]
    together: int = np.bitwise_or.reduce(marks) if len(marks) else 0
    return [finding.code for number, finding in enumerate(FINDINGS) if int(together) >> number & 1]


def to_watch(play: Play, rows: Ints, most: int = 5) -> list[Watched]:
    """The sessions that show most of some attempts: who left for good there, who ended the session there, who failed longest.

    Who cleared at the second try has little to show, and is named only where nobody else is.

    Args:
        play: a play.
        rows: which attempts, by their places in the table, all of one level.
        most: how many sessions to name.
    """
    table = play.attempts
    sessions, counts = counted(table.session[rows])
    if not len(sessions):
        return []
    left, stopped = (np.isin(sessions, table.session[rows[play.once(ask)[rows]]]) for ask in (_left_for_good, _ended_there))
    failed = _failed_for(play, rows, sessions)
    order = np.lexsort((sessions, -counts, -failed, ~stopped, ~left))
    telling = (left | stopped | (counts > _SOON))[order]
    first = (order[telling] if telling.any() else order)[:most]
    found: list[Watched] = []
    for place in first.tolist():
        session = int(sessions[place])
        own = rows[table.session[rows] == session]
        found.append(
            {
                "session": play.gated.log.sessions.name[session],
                "player": play.gated.players[play.gated.player[session]],
                "tries": int(counts[place]),
                "from": float(table.opened[own[0]]),
                "to": float(table.closed[own[-1]]),
                "ended": OUTCOMES[table.outcome[own[-1]]],
                "left": bool(left[place]),
                "failed": float(failed[place]),
            }
        )
    return found


def _failed_for(play: Play, rows: Ints, sessions: Ints) -> Floats:
    """Per session, the seconds that went into failures among some attempts, to a thousandth."""
    table = play.attempts
    failing = rows[~table.ended(CLEARED)[rows]]
    lasted = np.where(np.isnan(table.active[failing]), 0.0, table.active[failing])
    at = np.searchsorted(sessions, table.session[failing])
    return np.round(np.bincount(at, weights=lasted, minlength=len(sessions)), 3)


def _ended_there(play: Play) -> Bools:
    """Per attempt, whether it is at the level at which its session ended, uncleared."""
    table = play.attempts
    last = np.full(len(play.gated.log.sessions.name), -1)
    last[table.session] = np.arange(len(table))  # in the order of play, so that the last one stays
    there = last[table.session]
    ended: Bools = (table.level == table.level[there]) & ~table.ended(CLEARED)[there] & ~table.rerun[there]
    return ended


def _left_for_good(play: Play) -> Bools:
    """Per attempt, whether it is at the level at which its player left for good, uncleared, by quitting or an unknown end."""
    table, gated = play.attempts, play.gated
    last = np.full(len(gated.players), -1)
    last[table.player] = np.arange(len(table))  # in the order of play, so that the last one stays
    gave_up = np.zeros(len(gated.players), np.bool_)
    gave_up[gated.player[gated.sequence]] = play.end.of(gated.sequence).by(END_QUIT, END_UNKNOWN)
    there = last[table.player]
    never = ~table.ended(CLEARED)[there] & ~table.rerun[there]  # who has cleared it in an earlier run has not failed at it
    left: Bools = gave_up[table.player] & (table.level == table.level[there]) & never
    return left


def watch_by_level(play: Play, most: int = 3) -> list[list[Watched]]:
    """Per level of the course, the sessions that show its settled first-clear attempts best."""
    table = play.attempts
    rows = np.flatnonzero(first_tries(play) & (table.outcome < N_SETTLED) & (table.level < play.n_levels))
    rows = rows[stable_order(table.level[rows])]
    bounds = np.searchsorted(table.level[rows], np.arange(play.n_levels + 1))
    return [to_watch(play, rows[start:end], most) for start, end in pairwise(bounds.tolist())]
