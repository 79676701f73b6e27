"""A log that was read as a whole, with what it takes to replay it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, TypeVar

from milepost.cleaning.selection import only, where
from milepost.cleaning.splitting import groups_with_courses
from milepost.measures.times import on_clock
from milepost.progress import SILENT

if TYPE_CHECKING:
    from collections.abc import Callable

    from milepost.arrays import Bools
    from milepost.cleaning.selection import Exclusion
    from milepost.cleaning.splitting import Split
    from milepost.course.course import Course
    from milepost.logs.interface import BareLog, Log
    from milepost.partitions.execution import LogRequest, Telling
    from milepost.playback.play import Kinds, Play, Summed
    from milepost.progress import Progress
    from milepost.rules import ReplayRules

V = TypeVar("V")


@dataclass(frozen=True, eq=False, repr=False)
class WholeLog:
    """A log that was read as a whole."""

    log: Log
    course: Course | None
    rules: ReplayRules
    telling: Telling
    idle_cap: float | None = None

    @classmethod
    def of(cls, asked: LogRequest) -> WholeLog:
        """Read it.

        Raises:
            MilePostError: it cannot be read, or a condition fits nothing.
        """
        from milepost.process_cache import log_of

        with asked.telling() as progress:
            log = log_of(asked, progress)
        return cls(where(log, asked.conditions), asked.course, asked.rules, asked.telling)

    def play(self, exclusion: Exclusion | None = None, last: bool = False) -> Play:
        """Replay it; the play keeps the records."""
        with self.telling() as progress:
            return self._replayed(self.log, self.course, exclusion, progress)

    def made(self, name: str, make: Callable[[Play], V]) -> V:
        """Return a function's result on the replayed log."""
        return make(self.play())

    def counted(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts over the log."""
        return make(self.play())

    def grouped(self, key: str, exclusion: Exclusion | None = None) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself."""
        return [
            (value, self._replayed(only(self.log, sessions), course, exclusion))
            for value, sessions, course in groups_with_courses(self.log, key, self.course)
        ]

    def sides(self, split: Split, exclusion: Exclusion | None = None) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""
        before, after = (self._replayed(only(self.log, sessions), course, exclusion) for sessions, course in split.each(self.log))
        return before, after

    def some(self, exclusion: Exclusion, sessions: Bools) -> Play:
        """Replay some sessions, as if the log held only those, with something left out."""
        return self._replayed(only(self.log, sessions), self.course, exclusion)

    def _replayed(self, log: Log, course: Course | None, exclusion: Exclusion | None, progress: Progress = SILENT) -> Play:
        from milepost.process_cache import play_of

        return on_clock(play_of(log, course, self.rules, progress, exclusion), idle_cap=self.idle_cap)

    @property
    def sessions(self) -> BareLog:
        """The log."""
        return self.log

    def without_names(self) -> WholeLog:
        """Return the log with pseudonyms for people."""
        from milepost.cleaning.anonymous import anonymous

        return replace(self, log=anonymous(self.log))

    def without_idle(self, cap: float | None) -> WholeLog:
        """Return the log with a bound on how many seconds a stretch without a record counts."""
        return replace(self, idle_cap=cap)
