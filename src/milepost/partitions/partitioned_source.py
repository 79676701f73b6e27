"""A log that is replayed part by part: its store, made for the moment if need be, and who works on it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache, partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TypeVar

import numpy as np

from milepost.arrays import Bools
from milepost.cleaning.selection import Exclusion
from milepost.cleaning.splitting import Split, groups_with_courses
from milepost.course.course import Course
from milepost.errors import LogError, UsageError
from milepost.folder.player_table import with_players
from milepost.logs.interface import BareLog, Log
from milepost.logs.read import no_usable_record
from milepost.logs.sources.files import expand
from milepost.logs.store.checks import Limits, sound
from milepost.logs.store.manifest import Manifest, earlier_name, read_latest, read_manifest
from milepost.logs.store.pack_store import Into, Layout, pack
from milepost.logs.store.store import bare_log, groups_of_parts, log_and_sessions, records_of
from milepost.logs.store.tables import SessionTable
from milepost.memory import SMALL, give_back_now, scratch_writing, unpacked_size
from milepost.partitions.execution import ExecutionPlan, LogRequest, Telling, Work
from milepost.partitions.executors import workers
from milepost.partitions.memory_parts import Opened, hold, number_own_sessions
from milepost.partitions.partitioned_log import PartedLog
from milepost.partitions.tasks import PartRequest
from milepost.playback.play import Kinds, Play, Summed
from milepost.progress import Progress

V = TypeVar("V")


@dataclass(frozen=True, eq=False, repr=False)
class LoadedParts:
    """A parted log with what it takes to replay it.

    Attributes:
        parted: the log.
        course: the course, if one is given.
        wanted: what is replayed of it, and how.
        work: who works on it.
        spilled: the folder of a store that was made for the moment, and goes when this does.
        telling: gives whom progress is told.
    """

    parted: PartedLog
    course: Course | None
    wanted: PartRequest
    work: Work
    spilled: TemporaryDirectory[str] | None
    telling: Telling

    def play(self, exclusion: Exclusion | None = None, last: bool = False) -> Play:
        """Replay it; what is held in memory is freed where nobody will have it replayed after that."""
        (play,) = self._plays([replace(self.wanted, exclusion=exclusion)], last)
        give_back_now()
        return play

    def compute(self, name: str, make: Callable[[Play], V]) -> V:
        """Return a function's result on the replayed log, which is not held any longer."""
        return make(self.play(last=True))

    def compute_from_counts(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts over the log, which is not held any longer; a small log is replayed for it."""
        if self.parted.records <= SMALL:
            return make(self.play())
        with self.telling() as progress, workers(self.work.threads, self.work.cluster, progress) as pool:
            play = self.parted.count_parts(self.wanted, kinds, pool, progress)
        return make(play)

    def replay_groups(self, key: str, exclusion: Exclusion | None = None) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself."""
        groups = groups_with_courses(self.sessions, key, self.course)
        plays = self._plays([self._request_for(sessions, course, exclusion) for _, sessions, course in groups])
        return [(value, play) for (value, _, _), play in zip(groups, plays, strict=True)]

    def replay_sides(self, split: Split, exclusion: Exclusion | None = None) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""
        before, after = self._plays(
            [self._request_for(sessions, course, exclusion) for sessions, course in split.groups(self.sessions)]
        )
        return before, after

    def _request_for(self, sessions: Bools, course: Course | None, exclusion: Exclusion | None) -> PartRequest:
        """Return the request for some of the sessions only."""
        kept = np.ones(len(self.parted.log.sessions.name), np.bool_) if self.wanted.kept is None else self.wanted.kept.copy()
        kept[kept] = sessions
        return replace(self.wanted, kept=kept, course=course, exclusion=exclusion)

    def _plays(self, wanted: list[PartRequest], last: bool = False) -> list[Play]:
        with self.telling() as progress, workers(self.work.threads, self.work.cluster, progress) as pool:
            plays = [self.parted.play(request, pool, progress, last) for request in wanted]
        return [
            replace(play, replay_without=partial(self._replay_some, request)) for request, play in zip(wanted, plays, strict=True)
        ]

    def _replay_some(self, wanted: PartRequest, exclusion: Exclusion, sessions: Bools) -> Play:
        """Some sessions of a play with something left out."""
        (play,) = self._plays([self.parted.once_more(wanted, exclusion, sessions)])
        return play

    def replay_some(self, exclusion: Exclusion, sessions: Bools) -> Play:
        """Replay some sessions, as if the log held only those, with something left out."""
        return self._replay_some(self.wanted, exclusion, sessions)

    @property
    def sessions(self) -> BareLog:
        """The log without its records."""
        return self.wanted.of(self.parted.log)

    def without_idle(self, cap: float | None) -> LoadedParts:
        """Return the log with a bound on how many seconds a stretch without a record counts."""
        return replace(self, wanted=replace(self.wanted, idle_cap=cap))

    def without_names(self) -> LoadedParts:
        """Return the log with pseudonyms for people."""
        return replace(self, wanted=replace(self.wanted, anonymous=True))


def load_parts(asked: LogRequest, plan: ExecutionPlan) -> LoadedParts:
    """Open the store that is named, or pack the logs that are named into one for the moment, or hold them in memory.

    Raises:
        LogError: a log cannot be read, or the store is damaged.
        UsageError: there is a store, and logs beside it; the log is standard input; or a condition fits nothing.
    """
    work = asked.work
    with asked.telling() as progress:
        spilled = None
        if plan.held:
            parted = PartedLog(*hold(asked, progress))
        else:
            folder, spilled = _store_of(asked, plan, progress)
            parted = PartedLog(*open_store(folder))
        bare = parted.bare
        parted = replace(parted, bare=lambda: with_players(bare(), asked.players))
        with workers(work.threads, work.cluster, progress) as pool:
            kept = parted.fitting(asked.conditions, pool)
    return LoadedParts(
        parted, asked.course, PartRequest(asked.course, asked.rules, kept, asked.players), work, spilled, asked.telling
    )


def _store_of(asked: LogRequest, plan: ExecutionPlan, progress: Progress) -> tuple[Path, TemporaryDirectory[str] | None]:
    sources = expand(asked.names)
    if sources[0].store is not None:
        if len(sources) > 1:
            raise UsageError("work over parts takes one store, or logs. Add the logs to the store first: milepost pack --add.")
        return sources[0].store, None
    if any(source.path is None for source in sources):
        raise UsageError("standard input cannot be worked on by a cluster, or within --memory. Name a file, or leave these out.")
    layout = Layout.of(sum(unpacked_size(source.label, source.size()) for source in sources), plan.memory, asked.work.threads)
    with scratch_writing():
        spilled = TemporaryDirectory(prefix="milepost-")
        folder = Path(spilled.name) / "store"
        pack(asked.names, Into(folder, layout=layout), asked.log_map, asked.options, progress)
    return folder, spilled


@dataclass(frozen=True, eq=False, repr=False)
class StoredPart:
    """Some parts of a store that belong together.

    Attributes:
        store: the store's folder, as every worker sees it.
        additions: how often it had been added to.
        stamp: of its manifest, so that no worker takes another store of its name, or an older or newer state, for it.
        numbers: which parts.
    """

    store: str
    additions: int
    stamp: str
    numbers: tuple[int, ...]

    def log(self, columns: tuple[str, ...] | None = None) -> Log:
        """The log of the part.

        Args:
            columns: those of the records that are needed, where not all are; the others hold zeros.

        Raises:
            LogError: the store is damaged, or has become another in the meantime.
        """
        manifest, log = opened_store(self.store, self.additions, self.stamp)
        limits = Limits.of(log, len(log.sessions.name))
        return Log(**vars(log), records=records_of(Path(self.store), manifest, self.numbers, limits, columns))

    def by_itself(self, columns: tuple[str, ...] | None = None) -> Log:
        """Return the part with its own sessions only; the others are not made.

        Raises:
            LogError: the store is damaged, or has become another in the meantime.
        """
        manifest, bare, sessions = _drop_sessions(self.store, self.additions, self.stamp)
        limits = Limits.of(bare, len(sessions.debug))
        numbers, records = number_own_sessions(records_of(Path(self.store), manifest, self.numbers, limits, columns))
        with sound(Path(self.store)):
            return Log(**vars(replace(bare, sessions=sessions.pick(numbers), numbers=numbers)), records=records)

    def free(self) -> None:
        """Nothing of it is held in memory."""


@lru_cache(maxsize=1)
def opened_store(store: str, additions: int, stamp: str) -> tuple[Manifest, BareLog]:
    """A store's manifest, which it may have had before others added to it, and its log without records.

    Raises:
        LogError: the store is damaged, or has become another in the meantime.
    """
    manifest = _manifest(store, additions, stamp)
    return manifest, bare_log(Path(store), manifest)


@lru_cache(maxsize=1)
def _drop_sessions(store: str, additions: int, stamp: str) -> tuple[Manifest, BareLog, SessionTable]:
    """Return the store's log without sessions, which stay compressed.

    Raises:
        LogError: the store is damaged, or has become another in the meantime.
    """
    manifest = _manifest(store, additions, stamp)
    return manifest, *log_and_sessions(Path(store), manifest)


def _manifest(store: str, additions: int, stamp: str) -> Manifest:
    """A state of a store.

    Raises:
        LogError: it has become another in the meantime.
    """
    manifest = read_manifest(Path(store), earlier_name(Manifest(additions=additions)))
    if manifest.stamp() != stamp:
        raise LogError(f"{store}: was packed anew in the meantime. Ask again.")
    return manifest


def open_store(folder: Path) -> tuple[list[StoredPart], Opened, Opened, int]:
    """A store's parts that hold some records, what gives its log without records, and without sessions as well, and its records.

    Args:
        folder: the store's folder; workers elsewhere see it under the same name.

    Raises:
        LogError: the store is damaged, or holds no record that can be used.
    """
    store = str(folder.resolve())
    manifest = read_latest(folder, lambda manifest: _manifest(store, manifest.additions, manifest.stamp()))
    state = (store, manifest.additions, manifest.stamp())
    if not manifest.records:
        raise no_usable_record(_drop_sessions(*state)[1])
    parts = [StoredPart(*state, numbers) for numbers in groups_of_parts(manifest)]
    return parts, lambda: opened_store(*state)[1], lambda: _drop_sessions(*state)[1], manifest.rows
