"""How sessions end that end within an attempt: what came last, which tells a player who is stuck from one who quits."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.numerics.whole_numbers import stable_order
from milepost.playback.play import FullPlay
from milepost.vocabulary import BIT, DROPPED, END_QUIT, END_UNKNOWN, LEFT, PAUSE, QUIT, SESSION_END, UNKNOWN


class Replayed(Protocol):
    """Columns of the records in replay order."""

    @property
    def event(self) -> Ints:
        """What each is."""

    @property
    def time(self) -> Floats:
        """When each was, in seconds."""


@dataclass(frozen=True, eq=False, repr=False)
class Endings:
    """Sessions that their player, or nobody knows who, ended within an attempt: what came last there.

    Attributes:
        session, level: where.
        place: the place of the last record before the end, in the session's order of replay.
        silence: seconds from that record to the logged end; NaN without one, or where play was paused.
        alone: whether that record opened the attempt, so that nothing at all came in it.
        same: how many records up to the end are of one word and at one place; 0 where no place is logged.
        lasted: the seconds that these span.
    """

    session: Ints
    level: Ints
    place: Ints
    silence: Floats
    alone: Bools
    same: Ints
    lasted: Floats


def look_at_endings(seen: Replayed, play: FullPlay) -> Endings:
    """Look at what came last in the sessions that end within an attempt."""
    table, bounds = play.attempts, play.gated.bounds
    last = np.append(np.diff(table.session) != 0, np.True_)[: len(table)]
    rows = np.flatnonzero(last & table.ended(LEFT, QUIT, UNKNOWN) & play.end.of(table.session).by(END_QUIT, END_UNKNOWN))
    session = table.session[rows]
    end = bounds[session + 1] - 1
    logged = seen.event[end] == SESSION_END
    final = end - logged
    rows, session, final, end, logged = (column[final >= table.opened_at[rows]] for column in (rows, session, final, end, logged))
    quiet = logged & (seen.event[final] != PAUSE)
    silence = np.where(quiet, seen.time[end] - seen.time[final], np.nan)
    same, lasted = _count_last_at_place(play, session)
    place = final - bounds[session]
    alone = final == table.opened_at[rows]
    order = stable_order(session)
    session, level, place = session[order], table.level[rows][order], place[order]
    return Endings(session, level, place, silence[order], alone[order], same[order], lasted[order])


def _count_last_at_place(play: FullPlay, sessions: Ints) -> tuple[Ints, Floats]:
    """For each of some sessions, how many records at its end are of one word and at one place, and the seconds they span."""
    records = play.gated.log.records
    wanted = np.zeros(len(play.gated.player), np.bool_)
    wanted[sessions] = True
    rows = np.flatnonzero(wanted[records.session] & (records.marks & (DROPPED & ~BIT["unknown_event"]) == 0))
    rows = rows[records.event[rows] != SESSION_END]
    rows = rows[np.lexsort((records.time[rows], records.session[rows]))]
    same, lasted = np.zeros(len(wanted), np.int64), np.zeros(len(wanted))
    if not len(rows):
        return same[sessions], lasted[sessions]
    columns = [records.session[rows], records.event[rows]]
    columns += [np.nan_to_num(getattr(records, name)[rows], nan=-1e308) for name in ("x", "y", "progress")]
    new = np.ones(len(rows), np.bool_)
    new[1:] = np.any([np.diff(column) != 0 for column in columns], axis=0)
    first = np.maximum.accumulate(np.where(new, np.arange(len(rows)), 0))
    ends = np.flatnonzero(np.append(np.diff(columns[0]) != 0, np.True_))
    somewhere = (columns[2] > -1e308) | (columns[4] > -1e308)
    same[columns[0][ends]] = np.where(somewhere[ends], ends - first[ends] + 1, 0)
    lasted[columns[0][ends]] = records.time[rows[ends]] - records.time[rows[first[ends]]]
    return same[sessions], lasted[sessions]
