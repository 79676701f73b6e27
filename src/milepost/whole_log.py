"""Logs that are opened to be replayed: their interface, and a log that was read as a whole."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Protocol, Self, TypeVar

from milepost.cleaning.selection import keep_sessions, select_sessions
from milepost.cleaning.splitting import groups_with_courses
from milepost.measures.times import use_clock
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


class ReplaySource(Protocol):
    """A log with what it takes to replay it, with or without what is left out as suspect."""

    @property
    def course(self) -> Course | None:
        """The course, if one is given."""

    def play(self, exclusion: Exclusion | None = None, last: bool = False) -> Play:
        """Replay it; what is held in memory may be freed where nobody will have it replayed after that."""

    def replay_groups(self, key: str, exclusion: Exclusion | None = None) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself, as if the log held only those."""

    def replay_sides(self, split: Split, exclusion: Exclusion | None = None) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""

    def compute(self, name: str, make: Callable[[Play], V]) -> V:
        """Return a function's result on the replayed log: plain values, kept under the name if plays are kept."""

    def compute_from_counts(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts over the log, which is not needed otherwise.

        Args:
            name: tells the function from any other, where it makes plain values; None where nothing does.
            make: the function.
            kinds: what it needs counted.
        """

    def replay_some(self, exclusion: Exclusion, sessions: Bools) -> Play:
        """Replay some sessions, as if the log held only those, with something left out."""

    @property
    def sessions(self) -> BareLog:
        """The log, of which only the sessions may be asked."""

    def without_names(self) -> Self:
        """Return the log with pseudonyms for people."""

    def without_idle(self, cap: float | None) -> Self:
        """Return the log with a bound on how many seconds a stretch without a record counts in an attempt."""


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
        return cls(select_sessions(log, asked.conditions), asked.course, asked.rules, asked.telling)

    def play(self, exclusion: Exclusion | None = None, last: bool = False) -> Play:
        """Replay it; the play keeps the records."""
        with self.telling() as progress:
            return self._replayed(self.log, self.course, exclusion, progress)

    def compute(self, name: str, make: Callable[[Play], V]) -> V:
        """Return a function's result on the replayed log."""
        return make(self.play())

    def compute_from_counts(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts over the log."""
        return make(self.play())

    def replay_groups(self, key: str, exclusion: Exclusion | None = None) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself."""
        return [
            (value, self._replayed(keep_sessions(self.log, sessions), course, exclusion))
            for value, sessions, course in groups_with_courses(self.log, key, self.course)
        ]

    def replay_sides(self, split: Split, exclusion: Exclusion | None = None) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""
        before, after = (
            self._replayed(keep_sessions(self.log, sessions), course, exclusion) for sessions, course in split.groups(self.log)
        )
        return before, after

    def replay_some(self, exclusion: Exclusion, sessions: Bools) -> Play:
        """Replay some sessions, as if the log held only those, with something left out."""
        return self._replayed(keep_sessions(self.log, sessions), self.course, exclusion)

    def _replayed(self, log: Log, course: Course | None, exclusion: Exclusion | None, progress: Progress = SILENT) -> Play:
        from milepost.process_cache import replay_once

        return use_clock(replay_once(log, course, self.rules, progress, exclusion), idle_cap=self.idle_cap)

    @property
    def sessions(self) -> BareLog:
        """The log."""
        return self.log

    def without_names(self) -> WholeLog:
        """Return the log with pseudonyms for people."""
        from milepost.cleaning.anonymous import replace_names

        return replace(self, log=replace_names(self.log))

    def without_idle(self, cap: float | None) -> WholeLog:
        """Return the log with a bound on how many seconds a stretch without a record counts."""
        return replace(self, idle_cap=cap)
