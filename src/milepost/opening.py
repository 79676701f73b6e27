"""The one way in: a log that is asked for is opened as a whole, or in parts where it is too large for that."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final, Protocol, Self

from milepost.course.course import Course
from milepost.gate.selection import only, where
from milepost.gate.splitting import Split, groups_with_courses
from milepost.logs.interface import Log
from milepost.logs.read import read
from milepost.logs.sources.files import STORE_MANIFEST
from milepost.measures.clocks import on_clock
from milepost.parts.asked import Asked, Telling
from milepost.playback.play import Play
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules

LARGE: Final = 2_000_000  # records of a store from which it is replayed part by part


class Loaded(Protocol):
    """A log with what it takes to replay it."""

    @property
    def course(self) -> Course | None:
        """The course, if one is given."""

    def play(self) -> Play:
        """Replay it."""

    def grouped(self, key: str) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself, as if the log held only those."""

    def sides(self, split: Split) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""

    @property
    def sessions(self) -> Log:
        """The log, of which only the sessions may be asked."""

    def without_names(self) -> Self:
        """The same with pseudonyms for people."""

    def without_idle(self, cap: float | None) -> Self:
        """The same with a bound on how many seconds a stretch without a record counts in an attempt."""


@dataclass(frozen=True)
class LoadedWhole:
    """A log that was read as a whole."""

    log: Log
    course: Course | None
    rules: ReplayRules
    telling: Telling
    idle_cap: float | None = None

    def play(self) -> Play:
        """Replay it."""
        with self.telling() as progress:
            return on_clock(replay_log(self.log, self.course, self.rules, progress), idle_cap=self.idle_cap)

    def grouped(self, key: str) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself."""
        return [
            (value, on_clock(replay_log(only(self.log, sessions), course, self.rules), idle_cap=self.idle_cap))
            for value, sessions, course in groups_with_courses(self.log, key, self.course)
        ]

    def sides(self, split: Split) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""
        before, after = (
            on_clock(replay_log(only(self.log, sessions), course, self.rules), idle_cap=self.idle_cap)
            for sessions, course in split.each(self.log)
        )
        return before, after

    @property
    def sessions(self) -> Log:
        """The log."""
        return self.log

    def without_names(self) -> LoadedWhole:
        """The same with pseudonyms for people."""
        from milepost.gate.anonymous import anonymous

        return replace(self, log=anonymous(self.log))

    def without_idle(self, cap: float | None) -> LoadedWhole:
        """The same with a bound on how many seconds a stretch without a record counts."""
        return replace(self, idle_cap=cap)


def opened_log(asked: Asked) -> Loaded:
    """Open a log, and keep the sessions that are asked for.

    Raises:
        MilePostError: it cannot be read, or a condition fits nothing.
    """
    if goes_in_parts(asked):
        from milepost.parts.loaded import load_parts

        return load_parts(replace(asked, work=asked.work.suited_to(asked.names)))
    with asked.telling() as progress:
        log = read(asked.names, asked.log_map, progress, asked.options)
    return LoadedWhole(where(log, asked.conditions), asked.course, asked.rules, asked.telling)


def goes_in_parts(asked: Asked) -> bool:
    """Whether the log is replayed part by part: work that was asked for, too little memory, or a large store."""
    return not asked.every_record and (asked.work.suited_to(asked.names).in_parts or _is_large_store(asked.names))


def _is_large_store(names: list[str]) -> bool:
    """Whether the log is a packed store with so many records that it is better not to have all of them in memory."""
    folder = Path(names[0])
    if len(names) > 1 or not (folder / STORE_MANIFEST).is_file():
        return False
    from milepost.store.manifest import read_manifest

    return read_manifest(folder).rows >= LARGE
