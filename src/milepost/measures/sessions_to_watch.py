"""Sessions that show a level best."""

from __future__ import annotations

from typing import Final, NamedTuple, NotRequired, TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.numerics.whole_numbers import count_values
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, DIED, END_QUIT, END_UNKNOWN, OUTCOMES, WAS_RESET

# Where to look for what happened: a session, and from when to when on its clock, or on that of its recording where it has one;
# ``failed`` is the time in seconds that went into failures, ``streak`` how many failures in a row there were when it ended there.
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
        "streak": int,
        "recording": NotRequired[str],
        "link": NotRequired[str],
    },
)
_SOON: Final = 2  # tries after which a clear has little to show


class Candidate(NamedTuple):
    """A session with its place among those that show a level, the first ones best.

    Attributes:
        little: whether it has little to show: who cleared at the second try is named only where nobody else is.
        place: whether its player stayed on, whether it went on elsewhere, less the failures in a row after which its player left,
            less what it failed for, less its tries, its number.
        watched: what is said of it.
    """

    little: bool
    place: tuple[bool, bool, int, float, int, int]
    watched: Watched


def pick_best(candidates: list[Candidate], most: int) -> list[Candidate]:
    """So many of some candidates, the best first; of those with little to show none where another has more."""
    ranked = sorted(candidates, key=lambda candidate: (candidate.little, candidate.place))
    return [candidate for candidate in ranked if candidate.little == ranked[0].little][:most]


def pick_sessions(play: Play, rows: Ints, most: int = 5) -> list[Candidate]:
    """The sessions that show most of some attempts: who left for good there, after most failures in a row; who failed longest.

    Args:
        play: a play.
        rows: which attempts, by their places in the table, all of one level.
        most: how many sessions to name.
    """
    table, log = play.attempts, play.gated.log
    sessions, counts = count_values(table.session[rows])
    if not len(sessions):
        return []
    left, stopped = (
        np.isin(sessions, table.session[rows[play.compute_once(ask)[rows]]]) for ask in (_mask_left_for_good, _ended_there)
    )
    failed = _failed_for(play, rows, sessions)
    streak = _streaks(play, rows, sessions)
    gone = np.where(left, streak, 0)
    little = ~(left | stopped | (counts > _SOON))
    order = np.lexsort((sessions, -counts, -failed, -gone, ~stopped, ~left, little))[:most]
    candidates = []
    for place in order.tolist():
        session, tries = int(sessions[place]), int(counts[place])
        tries_there = rows[table.session[rows] == session]
        number = session if log.numbers is None else int(log.numbers[session])
        watched: Watched = {
            "session": log.sessions.name[session],
            "player": play.gated.players[play.gated.player[session]],
            "tries": tries,
            "from": float(table.opened[tries_there[0]]),
            "to": float(table.closed[tries_there[-1]]),
            "ended": OUTCOMES[table.outcome[tries_there[-1]]],
            "left": bool(left[place]),
            "failed": float(failed[place]),
            "streak": int(streak[place]),
        }
        rank = (not left[place], not stopped[place], -int(gone[place]), -float(failed[place]), -tries, number)
        candidates.append(Candidate(bool(little[place]), rank, watched))
    return pick_best(candidates, most)


def _streaks(play: Play, rows: Ints, sessions: Ints) -> Ints:
    """Per session, how many tries in a row had failed at the level when its last one there ended; 0 after a clear."""
    table = play.attempts
    failing = table.ended(DIED, WAS_RESET)[rows]
    new = np.diff(table.player[rows], prepend=-1) != 0
    total = np.cumsum(failing)
    so_far: Ints = total - np.maximum.accumulate(np.where(new, total - failing, 0))
    last = np.zeros(len(sessions), np.int64)
    last[np.searchsorted(sessions, table.session[rows])] = np.arange(
        len(rows)
    )  # in the order of play, so that the last one stays
    return np.where(table.ended(CLEARED)[rows[last]], 0, so_far[last])


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
    last_try = last[table.session]
    ended: Bools = (table.level == table.level[last_try]) & ~table.ended(CLEARED)[last_try] & ~table.rerun[last_try]
    return ended


def _mask_left_for_good(play: Play) -> Bools:
    """Per attempt, whether it is at the level at which its player left for good, uncleared, by quitting or an unknown end."""
    table, gated = play.attempts, play.gated
    last = np.full(len(gated.players), -1)
    last[table.player] = np.arange(len(table))  # in the order of play, so that the last one stays
    gave_up = np.zeros(len(gated.players), np.bool_)
    gave_up[gated.player[gated.sequence]] = play.end.of(gated.sequence).by(END_QUIT, END_UNKNOWN)
    last_try = last[table.player]
    never = ~table.ended(CLEARED)[last_try] & ~table.rerun[last_try]  # who has cleared it in an earlier run has not failed at it
    left: Bools = gave_up[table.player] & (table.level == table.level[last_try]) & never
    return left
