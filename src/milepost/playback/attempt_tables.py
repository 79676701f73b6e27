"""The columns that a replay gives: attempts with what stands around them in the log, moves, and how sessions ended."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.cleaning.gate import Gated
from milepost.logs.interface import ABSENT
from milepost.numerics.whole_numbers import is_among, ordinals, stable_order
from milepost.vocabulary import BIT, END_CAUSES, RUN_END, SESSION_END, WHOLE, EndCause, Outcome


@dataclass(eq=False, repr=False)
class AttemptTable:
    """The attempts in the order of play: by player, session and time; all columns of one length.

    ``active``, ``paused`` and ``settling`` are seconds, ``opened`` and ``closed`` seconds since the session's first
    record. ``active`` is NaN where the duration is not known, ``settling`` without a first input, ``progress``
    where none was logged. ``opened_at`` and ``closed_at`` are the places, in ``Gated.order``, of the records that opened
    and closed it. ``number`` counts the player's attempts at the level from 1, 0 for void ones; ``rerun`` is
    true after the player's first clear of it. ``void`` ones are left out as suspect, and ``aside`` those that are not asked for:
    both say nothing of trying, and all the same where a player went.
    """

    player: Ints
    session: Ints
    level: Ints
    visit: Ints
    opened: Floats
    closed: Floats
    active: Floats
    paused: Floats
    settling: Floats
    progress: Floats
    hits: Ints
    outcome: Ints
    opened_at: Ints
    closed_at: Ints
    number: Ints
    rerun: Bools
    void: Bools
    aside: Bools

    def __len__(self) -> int:
        """The number of attempts."""
        return len(self.level)

    @property
    def taken(self) -> Bools:
        """Return a mask of the attempts that are evidence on tries."""
        return ~(self.void | self.aside)

    def ended(self, *outcomes: Outcome) -> Bools:
        """Return a mask of the attempts that ended in one of some outcomes."""
        return is_among(self.outcome, outcomes)


@dataclass(frozen=True, eq=False, repr=False)
class Ends:
    """Per session, or per player by the last session, why it ended."""

    codes: Ints

    def by(self, *causes: EndCause) -> Bools:
        """Return a mask of the attempts that ended by one of some causes."""
        return is_among(self.codes, causes)

    def of(self, rows: Ints) -> Ends:
        """Return the ends of some rows."""
        return Ends(self.codes[rows])

    def name(self, row: int) -> str:
        """The cause of one, as a word."""
        return END_CAUSES[self.codes[row]]


@dataclass(eq=False, repr=False)
class MoveTable:
    """The transitions that count, in the order of play; ``at`` is the record's place in ``Gated.order``.

    ``time`` is in seconds since the session's first record. ``target`` is ABSENT where the transition led to no named
    place.
    """

    player: Ints
    session: Ints
    at: Ints
    time: Floats
    origin: Ints
    target: Ints
    kind: Ints


def number_tries(player: Ints, level: Ints, cleared: Bools, void: Bools) -> tuple[Ints, Bools]:
    """The number of each attempt among the player's at its level, and whether a clear came before it.

    Args:
        player, level: of each attempt, in the order of play.
        cleared: which of them cleared.
        void: which of them have no number, and are none for those after them; a void clear is a clear all the same.
    """
    cell = player * (int(level.max(initial=0)) + 1) + level
    order = stable_order(cell)
    place = ordinals(cell, order)
    first = np.arange(len(order)) - (place[order] - 1)  # of the same player and level
    number, rerun = np.empty(len(order), np.int64), np.empty(len(order), np.bool_)
    rerun[order] = _count_before(cleared[order], first) > 0
    number[order] = np.where(void[order], 0, _count_before(~void[order], first) + 1)
    return number, rerun


def _count_before(marked: Bools, first: Ints) -> Ints:
    """How many rows are marked from each row's first one up to, but without, the row itself."""
    count: Ints = np.cumsum(marked) - marked
    return count - count[first]


@dataclass(frozen=True, eq=False, repr=False)
class AroundAttempts:
    """Openings and closings of the attempts; all columns have a value an attempt.

    ``begun_as`` and ``ended_as`` are the events of the opening and the closing record. ``cause``, ``rating``, ``x``, ``y``,
    ``collected`` and ``available`` are the closing record's; ``layout`` is the opening one's, or else the closing one's.
    ``instant`` says that it is a clear sooner than a player could, ``whole`` that what went by between opening and closing is
    known as part of the stay alone.
    ``silence`` is how many seconds after the closing the session ends, where nothing comes between; NaN elsewhere.
    """

    begun_as: Ints
    ended_as: Ints
    cause: Ints
    rating: Ints
    layout: Ints
    x: Floats
    y: Floats
    collected: Floats
    available: Floats
    silence: Floats
    whole: Bools
    instant: Bools


def around_attempts(gated: Gated, table: AttemptTable) -> AroundAttempts:
    """Look up what opened and closed each attempt."""
    records, order = gated.log.records, gated.order
    opening, closing = order[table.opened_at], order[table.closed_at]
    layout = records.layout[opening]
    following = order[np.minimum(table.closed_at + 1, max(0, len(order) - 1))] if len(order) else closing
    ends = (table.closed_at + 1 < len(order)) & (records.event[following] == SESSION_END)
    ends &= records.session[following] == table.session
    cause = np.where(records.event[closing] == RUN_END, ABSENT, records.cause[closing])  # that is the run's cause
    return AroundAttempts(
        records.event[opening],
        records.event[closing],
        cause,
        records.rating[closing],
        np.where(layout >= 0, layout, records.layout[closing]),
        records.x[closing],
        records.y[closing],
        records.collected[closing],
        records.available[closing],
        np.where(ends, records.time[following] - table.closed, np.nan),
        records.marks[closing] & WHOLE != 0,
        records.marks[closing] & BIT["instant_clear"] != 0,
    )


@dataclass(frozen=True, eq=False, repr=False)
class SessionTimes:
    """Per session, when it begins and ends.

    ``first`` and ``last`` are of its first and last record in replay order, ``least`` and ``most`` of all of them, in seconds
    since its first record as logged; NaN where nothing of it is replayed. ``file`` and ``line`` say where the last record
    stands; -1 where there is none.
    """

    first: Floats
    last: Floats
    least: Floats
    most: Floats
    file: Ints
    line: Ints


def session_times(gated: Gated) -> SessionTimes:
    """Look up when sessions begin and end."""
    count = len(gated.bounds) - 1
    begins, ends = gated.bounds[:-1], gated.bounds[1:]
    filled = np.flatnonzero(ends > begins)
    unknown = [np.full(count, np.nan) for _ in range(4)]
    result = SessionTimes(unknown[0], unknown[1], unknown[2], unknown[3], np.full(count, -1), np.full(count, -1))
    if len(filled):
        time = gated.log.records.time[gated.order]
        result.first[filled], result.last[filled] = time[begins[filled]], time[ends[filled] - 1]
        result.least[filled] = np.minimum.reduceat(time, begins[filled])
        result.most[filled] = np.maximum.reduceat(time, begins[filled])
        ending = gated.order[ends[filled] - 1]
        result.file[filled], result.line[filled] = gated.log.records.file[ending], gated.log.records.line[ending]
    return result
