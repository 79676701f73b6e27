"""What is known of a whole log before its records are judged, names and clocks; and the order of records by these clocks."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

import numpy as np

from milepost.arrays import Bools, Column, Floats, Ints
from milepost.logs.interface import ABSENT, Log, Records, Sessions
from milepost.numerics.whole_numbers import stable_order
from milepost.vocabulary import COPY, RUN_START, TRANSITION


@dataclass(frozen=True, eq=False, repr=False)
class Survey:
    """Counts over the records with a known event.

    Attributes:
        names: per name of a stop, how often it occurs as a level or as where a transition leads.
        clocked: by build, None for sessions without one, the records.
        whole: those of them at a whole second.
        run_starts: how many say that a run begins.
        of_day: whether all numeric times, and all time stamps, could be times of the day.
    """

    names: Ints
    clocked: Counter[str | None]
    whole: Counter[str | None]
    run_starts: int = 0
    of_day: tuple[bool, bool] = (True, True)

    def __add__(self, other: Survey) -> Survey:
        """The survey of both parts of a log."""
        starts = self.run_starts + other.run_starts
        of_day = self.of_day[0] and other.of_day[0], self.of_day[1] and other.of_day[1]
        return Survey(self.names + other.names, self.clocked + other.clocked, self.whole + other.whole, starts, of_day)

    @property
    def records(self) -> int:
        """How many records there are."""
        return self.clocked.total()


def survey_of(log: Log) -> Survey:
    """Survey a log, or a part of it that has the names of the whole."""
    records = log.records
    known = (records.event >= 0) & (records.marks & COPY == 0)
    build_of_session, builds = number_builds(log.sessions)
    build = build_of_session[records.session[known]]
    names = list(dict.fromkeys(log.sessions.build))
    clocked, whole = (np.bincount(of_build, minlength=builds).tolist() for of_build in (build, build[records.whole[known]]))
    starts = int(np.count_nonzero(records.event[known] == RUN_START))
    return Survey(
        _name_counts(records, known, len(log.stops)),
        _count_by_name(names, clocked),
        _count_by_name(names, whole),
        starts,
        are_times_of_day(records, log.sessions),
    )


def _count_by_name(names: list[str | None], counts: list[int]) -> Counter[str | None]:
    return Counter(dict(zip(names, counts, strict=True)))


@lru_cache(maxsize=1)
def number_builds(sessions: Sessions) -> tuple[Ints, int]:
    """Per session, the number of its build in order of first appearance; how many there are, sessions without one as one."""
    codes: dict[str | None, int] = {}
    return np.array([codes.setdefault(name, len(codes)) for name in sessions.build], dtype=np.int64), len(codes)


def _name_counts(records: Records, known: Bools, n_names: int) -> Ints:
    named = np.concatenate((records.level[known], records.to[known & (records.event == TRANSITION)]))
    return np.bincount(named[named != ABSENT], minlength=n_names)


DAY: Final = 86_400.0  # seconds
_DATE_OF_TIMES: Final = -2_208_988_800.0  # 1 January 1900 in seconds since 1970: the date of a time that has none
_FARTHEST_ZONE: Final = 50_400.0  # seconds that a time of the day may lie apart from UTC


@lru_cache(maxsize=1)
def stamped_sessions(sessions: Sessions) -> Bools:
    """Per session, whether its times are stamps."""
    return np.array([epoch is not None for epoch in sessions.epoch], dtype=np.bool_)


def are_times_of_day(records: Records, sessions: Sessions) -> tuple[bool, bool]:
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


def move_past_midnight(records: Records, sessions: Sessions, of_day: tuple[bool, bool]) -> tuple[Records, Ints]:
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


COARSE_SHARE = 0.99
COARSE_RECORDS = 10
_NO_STAMP = np.iinfo(np.int64).max


def coarse_builds(survey: Survey) -> frozenset[str | None]:
    """The builds whose clock counts whole seconds only."""
    return frozenset(
        build
        for build, records in survey.clocked.items()
        if records >= COARSE_RECORDS and survey.whole[build] >= COARSE_SHARE * records
    )


def replay_order(records: Records, left: Ints, n_sessions: int) -> tuple[Ints, Ints]:
    """Order the records left, per session by `seq` where all have one, else by time; ties in log order.

    Args:
        records: the log's records.
        left: their numbers, rising.
        n_sessions: the number of sessions.

    Returns:
        The record numbers in order (sessions one after the other), and those whose clock runs backwards.
    """
    logged = left[stable_order(pick_rows(records.session, left))]  # session by session, as logged
    session, time = records.session[logged], records.time[logged]
    same = session[1:] == session[:-1]
    if not records.has_seq.any():
        back = same & (time[1:] < time[:-1])
        return _sorted(logged, session, (time,), session[1:][back], n_sessions), logged[1:][back]
    without = np.bincount(session[~records.has_seq[logged]], minlength=n_sessions)
    by_seq = (without == 0)[session]
    seq, time = np.where(by_seq, records.seq[logged], 0), np.where(by_seq, 0.0, time)
    back = same & ((time[1:] < time[:-1]) | ((time[1:] == time[:-1]) & (seq[1:] < seq[:-1])))
    ordered = _sorted(logged, session, (seq, time), session[1:][back], n_sessions)
    judged = np.where(by_seq, ordered, logged)  # seq order, or log order where there is no seq
    return ordered, judged[1:][same & (np.diff(records.time[judged]) < 0)]


def _sorted(logged: Ints, session: Ints, keys: tuple[Column, ...], out_of_order: Ints, n_sessions: int) -> Ints:
    """The records with those of some sessions sorted by the last key first, ties as logged; few logs have any such session."""
    odd = np.zeros(n_sessions, np.bool_)
    odd[out_of_order] = True
    rows = np.flatnonzero(odd[session])
    ordered = logged.copy()
    ordered[rows] = logged[rows[np.lexsort((logged[rows], *(key[rows] for key in keys), session[rows]))]]
    return ordered


def pick_rows(column: Column, rows: Ints) -> Column:
    """Some rows of a column, rising; the column itself where that is all of them."""
    return column if len(rows) == len(column) else column[rows]


def order_sessions(sessions: Sessions, player: Ints, first_time: Floats, present: Ints | None = None) -> Ints:
    """Sessions by player, players by first appearance; a player's sessions by their first time stamp.

    Where any session of the player has numeric times, the player's sessions stay in order of first appearance.

    Args:
        sessions: the log's sessions, by first appearance.
        player: per session, its player's number.
        first_time: per session, seconds from its epoch to its first record in replay order.
        present: the sessions that are put in order, where not all are.
    """
    present = np.arange(len(player)) if present is None else present
    stamped = stamped_sessions(sessions)
    numeric = np.bincount(player[~stamped], minlength=player.max() + 1 if len(player) else 0) > 0
    by_stamp = stamped[present] & ~numeric[player[present]]
    moments = [(sessions.epoch[number] or 0) + round(first_time[number] * 1e9) for number in present[by_stamp].tolist()]
    if any(abs(moment) >= _NO_STAMP for moment in moments):  # years too far off for 64 bits: their ranks do as well
        rank = {moment: place for place, moment in enumerate(sorted(set(moments)))}
        moments = [rank[moment] for moment in moments]
    stamp = np.full(len(present), _NO_STAMP)
    stamp[by_stamp] = np.array(moments, dtype=np.int64)
    return present[np.lexsort((present, stamp, player[present]))]
