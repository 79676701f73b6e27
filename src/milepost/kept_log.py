"""A log of which what was replayed is kept: of a store beside its records, of a small log in the user's cache.

What is kept answers the next question, as long as all that it rests on is as it was: the contents, not the times of files.
"""

from __future__ import annotations

import os
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import cached_property
from hashlib import file_digest
from pathlib import Path
from typing import TYPE_CHECKING, Final, Self, TypeVar

from milepost import process_cache
from milepost.errors import RecordsGoneError
from milepost.kept_plays import PlayPlace, place_of
from milepost.logs.sources.files import expand
from milepost.logs.sources.remote import is_address
from milepost.logs.store.manifest import REPLAYED, read_manifest
from milepost.measures.raw import RawCounts
from milepost.memory import memory_of_attempts
from milepost.output import cache_folder
from milepost.playback.attempt_tables import AroundAttempts, SessionTimes
from milepost.playback.play import FullPlay
from milepost.playback.tallies import Tallies
from milepost.whole_log import WholeLog

if TYPE_CHECKING:
    from collections.abc import Callable

    from milepost.arrays import Bools
    from milepost.cleaning.selection import Exclusion
    from milepost.cleaning.splitting import Split
    from milepost.course.course import Course
    from milepost.logs.interface import BareLog
    from milepost.partitions.execution import ExecutionPlan, LogRequest
    from milepost.playback.play import Kinds, Play, Summed
    from milepost.whole_log import ReplaySource

V = TypeVar("V")
MOST_OF_STORE: Final = 2 << 30  # bytes of plays that are kept of a store; what was asked for longest ago goes first
MOST_OF_LOGS: Final = 200 << 20  # and of all small logs together
LARGEST: Final = 32 << 20  # bytes of a log's files, up to which it is small
SWITCH: Final = "MILEPOST_REMEMBER"  # in the environment: `no`, and nothing is kept of small logs


@dataclass(frozen=True, eq=False, repr=False)
class KeptLog:
    """A log of which what was replayed is kept for the next question.

    Attributes:
        request: the log, and what of it.
        open: opens the log itself, where something has to be replayed.
        folder: where what is made of it is kept.
        contents: what tells its contents from any others.
        most: bytes that all which is kept in the folder may take.
        small: whether it is a small log, whose plays keep their records.
        counts_only: whether its attempts do not fit into memory.
        anonymous: whether names of people are left out.
        idle_cap: seconds that a stretch without a record counts at most, where there is such a bound.
    """

    request: LogRequest
    open: Callable[[], ReplaySource]
    folder: Path
    contents: tuple[str, ...]
    most: int
    small: bool
    counts_only: bool = False
    anonymous: bool = field(default=False, kw_only=True)
    idle_cap: float | None = field(default=None, kw_only=True)

    @property
    def course(self) -> Course | None:
        """The course, if one is given."""
        return self.request.course

    def without_names(self) -> Self:
        """Return the log with pseudonyms for people."""
        return replace(self, anonymous=True)

    def without_idle(self, cap: float | None) -> Self:
        """Return the log with a bound on how many seconds a stretch without a record counts."""
        return replace(self, idle_cap=cap)

    def play(self, exclusion: Exclusion | None = None, last: bool = False) -> Play:
        """Return the kept play, or replay the log and keep it; the play of a small log has its records."""
        if exclusion is not None:
            return self._source.play(exclusion, last)
        if self._kept_play is not None and not self.small:
            return self._kept_play
        play = self._source.play()
        if self._kept_play is None:
            _place(self).keep_play(_summarise_records(play))
        return play.kept_by(_place(self))

    def compute(self, name: str, make: Callable[[Play], V]) -> V:
        """Return a function's kept result, without loading the play; or compute it now and keep it."""
        return _place(self).compute(name, lambda: make(self.play()))

    def compute_from_counts(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts: a kept one, or one of the kept play where that has all it takes."""

        def result() -> V:
            if self._kept_play is not None:
                with suppress(RecordsGoneError):
                    return make(self._kept_play)
            elif self.counts_only:
                return self._source.compute_from_counts(name, make, kinds)
            return make(self.play())

        return result() if name is None else _place(self).compute(name, result)

    def replay_groups(self, key: str, exclusion: Exclusion | None = None) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself."""
        return self._source.replay_groups(key, exclusion)

    def replay_sides(self, split: Split, exclusion: Exclusion | None = None) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course; those of a store are kept."""
        if exclusion is not None or self.small:
            return self._source.replay_sides(split, exclusion)
        places = [_place(self, split, side) for side in ("before", "after")]
        before, after = (place.play(course, self.request.rules) for place, course in zip(places, split.courses, strict=True))
        if before is None or after is None:
            before, after = self._source.replay_sides(split)
            places[0].keep_play(before)
            places[1].keep_play(after)
        return before.kept_by(places[0]), after.kept_by(places[1])

    def replay_some(self, exclusion: Exclusion, sessions: Bools) -> Play:
        """Replay some sessions, as if the log held only those, with something left out."""
        return self._source.replay_some(exclusion, sessions)

    @property
    def sessions(self) -> BareLog:
        """The log, of which only the sessions may be asked."""
        return self._kept_play.gated.log if self.small and self._kept_play is not None else self._source.sessions

    @cached_property
    def _source(self) -> ReplaySource:
        source = self.open().without_idle(self.idle_cap)
        return source.without_names() if self.anonymous else source

    @cached_property
    def _kept_play(self) -> Play | None:
        play = _place(self).play(self.course, self.request.rules)
        return None if play is None else replace(play, replay_without=self.replay_some).kept_by(_place(self))


def _place(log: KeptLog, *of_what: object) -> PlayPlace:
    """A play's place, by what tells this question from any other."""
    request = log.request
    how = (request.log_map, request.options, request.course, request.rules, request.conditions, request.players)
    return PlayPlace(place_of(log.folder, (log.contents, how, log.anonymous, log.idle_cap, of_what)), log.most)


def _summarise_records(play: Play) -> Play:
    """The play, after what every document says of its records was made of them."""
    if isinstance(play, FullPlay):
        for kind in (Tallies, RawCounts):
            play.summary(kind)
        play.summaries |= {AroundAttempts: play.around, SessionTimes: play.session_times}
    return play


def kept_store(request: LogRequest, plan: ExecutionPlan) -> KeptLog:
    """A store, of which the plays are kept beside its records."""

    def opened() -> ReplaySource:
        from milepost.partitions.partitioned_source import load_parts

        return load_parts(request, plan)

    folder = Path(request.names[0])
    manifest = read_manifest(folder)
    too_many = memory_of_attempts(manifest.rows) > request.work.most
    return KeptLog(request, opened, folder / REPLAYED, (manifest.stamp(),), MOST_OF_STORE, False, too_many)


def kept_small_log(request: LogRequest) -> KeptLog | None:
    """A small log in files, of which the plays are kept in the user's cache; None where it is none, or nothing can be kept.

    Raises:
        LogError: a name stands for nothing.
    """
    if (
        os.environ.get(SWITCH) == "no"
        or process_cache.is_used()
        or any(name == "-" or is_address(name) for name in request.names)
    ):
        return None
    files = [source.path for source in expand(request.names)]
    contents = _contents([path for path in files if path is not None and path.is_file()])
    folder = cache_folder("logs") if contents is not None and len(contents) == len(files) else None
    if contents is None or folder is None:
        return None
    return KeptLog(request, lambda: WholeLog.of(request), folder, (*request.names, *contents), MOST_OF_LOGS, True)


def _contents(files: list[Path]) -> tuple[str, ...] | None:
    """What is in some files, in short; None where they are too large, or cannot be read, which reading them will say."""
    with suppress(OSError):
        if sum(path.stat().st_size for path in files) <= LARGEST:
            return tuple(_digest(path) for path in files)
    return None


def _digest(path: Path) -> str:
    with path.open("rb") as stream:
        return file_digest(stream, "sha256").hexdigest()
