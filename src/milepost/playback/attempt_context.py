"""Context of attempts: the records around attempts and sessions, as columns, so that measures need no records."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.cleaning.gate import Gated
from milepost.logs.interface import ABSENT
from milepost.playback.attempt_tables import AttemptTable
from milepost.vocabulary import BIT, RUN_END, SESSION_END, WHOLE


@dataclass(frozen=True)
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


@dataclass(frozen=True)
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
    nothing = [np.full(count, np.nan) for _ in range(4)]
    result = SessionTimes(nothing[0], nothing[1], nothing[2], nothing[3], np.full(count, -1), np.full(count, -1))
    if len(filled):
        time = gated.log.records.time[gated.order]
        result.first[filled], result.last[filled] = time[begins[filled]], time[ends[filled] - 1]
        result.least[filled] = np.minimum.reduceat(time, begins[filled])
        result.most[filled] = np.maximum.reduceat(time, begins[filled])
        ending = gated.order[ends[filled] - 1]
        result.file[filled], result.line[filled] = gated.log.records.file[ending], gated.log.records.line[ending]
    return result
