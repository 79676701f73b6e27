"""Clocks that show the time of the day, and pass midnight within a session."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Final

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.logs.interface import Records, Sessions
from milepost.numerics.whole_numbers import stable_order

DAY: Final = 86_400.0  # seconds
_DATE_OF_TIMES: Final = -2_208_988_800.0  # 1 January 1900 in seconds since 1970: the date of a time that has none
_FARTHEST_ZONE: Final = 50_400.0  # seconds that a time of the day may lie apart from UTC


@lru_cache(maxsize=1)
def stamped_sessions(sessions: Sessions) -> Bools:
    """Per session, whether its times are stamps."""
    return np.array([epoch is not None for epoch in sessions.epoch], dtype=np.bool_)


def times_of_day(records: Records, sessions: Sessions) -> tuple[bool, bool]:
    """Return whether all numeric times of a log, and all its time stamps, could be times of the day; True where it has none.

    Args:
        records: the log's records.
        sessions: its sessions.
    """
    stamped = stamped_sessions(sessions)[records.session]
    clock, moment = records.second[~stamped], records.second[stamped] - _DATE_OF_TIMES
    return (
        bool(((clock >= 0) & (clock < DAY)).all()),
        bool(((moment >= -_FARTHEST_ZONE) & (moment < DAY + _FARTHEST_ZONE)).all()),
    )


def past_midnight(records: Records, sessions: Sessions, of_day: tuple[bool, bool]) -> tuple[Records, Ints]:
    """The records with what follows midnight in a session a day later, and the records right after a midnight.

    Args:
        records: the log's records in log order.
        sessions: its sessions.
        of_day: whether the log's numeric times, and its time stamps, are times of the day.
    """
    if not len(records) or not any(of_day) or float(np.ptp(records.time)) <= DAY / 2:
        return records, np.empty(0, np.int64)
    may_wrap = np.where(stamped_sessions(sessions), of_day[1], of_day[0])
    logged = stable_order(records.session)
    session, time = records.session[logged], records.time[logged]
    falls = np.zeros(len(logged), np.bool_)
    falls[1:] = (session[1:] == session[:-1]) & (np.diff(time) < -DAY / 2) & may_wrap[session[1:]]
    if not falls.any():
        return records, np.empty(0, np.int64)
    nights = np.cumsum(falls)
    begins = np.flatnonzero(np.diff(session, prepend=-1))
    days = np.empty(len(logged))
    days[logged] = nights - np.repeat(nights[begins], np.diff(begins, append=len(logged)))
    moved = replace(records, time=records.time + days * DAY, second=records.second + days * DAY)
    return moved, np.sort(logged[falls])
