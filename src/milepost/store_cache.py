"""A packed store that remembers: what was replayed of it lies beside its records, until anything it rests on changes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Final, TypeVar

from milepost.kept_plays import KeptLog, PlayPlace, place_of
from milepost.logs.store.manifest import REPLAYED, read_manifest
from milepost.memory import memory_of_attempts

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from milepost.cleaning.selection import Exclusion
    from milepost.cleaning.splitting import Split
    from milepost.course.course import Course
    from milepost.logs.interface import BareLog
    from milepost.partitions.execution import ExecutionPlan, LogRequest
    from milepost.partitions.partitioned_source import LoadedParts
    from milepost.playback.play import Kinds, Play, Summed

V = TypeVar("V")
MOST: Final = 2 << 30  # bytes of plays that are kept of a store; what was asked for longest ago goes first
_SUMMARIES: Final = (
    "audit.promise_checks",
    "audit.record_checks",
    "comparison.changed",
    "measures.raw",
    "playback.runs",
    "playback.tallies",
)


@dataclass(frozen=True)
class StoredLog(KeptLog):
    """A store as it is asked for.

    Attributes:
        way: how it is replayed.
    """

    way: ExecutionPlan

    def play(self, exclusion: Exclusion | None = None, last: bool = False) -> Play:
        """Return the kept play, or replay the log; nothing of it is held in memory."""
        if exclusion is not None:
            return self._parts.play(exclusion)
        return self._remembered((), lambda: (self._parts.play(),), (self.course,))[0]

    def made(self, name: str, make: Callable[[Play], V]) -> V:
        """Return a function's kept result, without loading the play; or compute it now and keep it."""
        return self._place((0,)).made(name, lambda: make(self.play()))

    def counted(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts; the play is kept for other questions, if it is not too large."""
        place = self._place((0,))
        if place.there or _comfortable(self.asked):
            return make(self.play()) if name is None else self.made(name, make)

        def counted() -> V:
            return _loaded(self, ()).counted(name, make, kinds)

        return counted() if name is None else self._place(("counts",)).made(name, counted)

    def _remembered(
        self, more: tuple[object, ...], replayed: Callable[[], Sequence[Play]], courses: tuple[Course | None, ...]
    ) -> list[Play]:
        """The plays that are the answer to a question, kept or replayed; one for each course."""
        places = [self._place((*more, number)) for number in range(len(courses))]
        plays = [place.play(course, self.asked.rules) for place, course in zip(places, courses, strict=True)]
        found = [play for play in plays if play is not None]
        if len(found) < len(plays):
            found = list(replayed())
            for place, play in zip(places, found, strict=True):
                place.keep_play(play)
        again = None if more else lambda exclusion, sessions: self._parts.again(exclusion, sessions)
        return [replace(play, again=again).kept_by(place) for place, play in zip(places, found, strict=True)]

    def grouped(self, key: str, exclusion: Exclusion | None = None) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself."""
        return self._parts.grouped(key, exclusion)

    def sides(self, split: Split, exclusion: Exclusion | None = None) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""
        if exclusion is not None:
            return self._parts.sides(split, exclusion)
        before, after = self._remembered((split,), lambda: self._parts.sides(split), split.courses)
        return before, after

    @property
    def sessions(self) -> BareLog:
        """The log without its records."""
        return self._parts.sessions

    @cached_property
    def _parts(self) -> LoadedParts:
        return _loaded(self, _SUMMARIES)  # all of them, so that whatever is asked next has what it needs

    def _place(self, more: tuple[object, ...]) -> PlayPlace:
        """A play's place, by what tells this question, of this state of the store, from any other."""
        asked, folder = self.asked, Path(self.asked.names[0])
        stamp = read_manifest(folder).stamp()
        about = (stamp, asked.course, asked.rules, asked.conditions, asked.players, self.anonymous, self.idle_cap, more)
        return PlayPlace(place_of(folder / REPLAYED, about), MOST)


def _loaded(log: StoredLog, summaries: tuple[str, ...]) -> LoadedParts:
    """A store's parts, after the modules of some summaries were loaded."""
    from milepost.partitions.partitioned_source import load_parts

    for name in summaries:
        import_module(f"milepost.{name}")
    parts = load_parts(log.asked, log.way).without_idle(log.idle_cap)
    return parts.without_names() if log.anonymous else parts


def _comfortable(asked: LogRequest) -> bool:
    """Return whether the attempts of all of a store fit into memory."""
    records = sum(one["rows"] for one in read_manifest(Path(asked.names[0])).records)
    return memory_of_attempts(records) <= asked.work.most
