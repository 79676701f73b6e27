"""A survey of the whole log, needed before any record can be judged: counts of names, and kinds of clocks.

Surveys of parts of a log add up to that of the whole.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.cleaning.midnight import times_of_day
from milepost.logs.interface import ABSENT, Log, Records, Sessions
from milepost.vocabulary import COPY, RUN_START, TRANSITION


@dataclass(frozen=True)
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
    build_of_session, builds = builds_of(log.sessions)
    build = build_of_session[records.session[known]]
    names = list(dict.fromkeys(log.sessions.build))
    clocked, whole = (np.bincount(of, minlength=builds).tolist() for of in (build, build[records.whole[known]]))
    starts = int(np.count_nonzero(records.event[known] == RUN_START))
    return Survey(
        _name_counts(records, known, len(log.stops)),
        _by_name(names, clocked),
        _by_name(names, whole),
        starts,
        times_of_day(records, log.sessions),
    )


def _by_name(names: list[str | None], counts: list[int]) -> Counter[str | None]:
    return Counter(dict(zip(names, counts, strict=True)))


@lru_cache(maxsize=1)
def builds_of(sessions: Sessions) -> tuple[Ints, int]:
    """Per session, the number of its build in order of first appearance; how many there are, sessions without one as one."""
    codes: dict[str | None, int] = {}
    return np.array([codes.setdefault(name, len(codes)) for name in sessions.build], dtype=np.int64), len(codes)


def _name_counts(records: Records, known: Bools, n_names: int) -> Ints:
    named = np.concatenate((records.level[known], records.to[known & (records.event == TRANSITION)]))
    return np.bincount(named[named != ABSENT], minlength=n_names)
