"""The one way in: a log that is asked for is opened as a whole, or in parts where it is too large for that."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Final, TypeVar

from milepost.errors import UsageError
from milepost.logs.sources.files import STORE_MANIFEST
from milepost.memory import SMALL
from milepost.partitions.execution import ExecutionPlan
from milepost.playback.attempt_filters import apply_exclusion, keep_fitting
from milepost.whole_log import WholeLog

if TYPE_CHECKING:
    from collections.abc import Callable

    from milepost.cleaning.selection import Condition, Exclusion
    from milepost.cleaning.splitting import Split
    from milepost.course.course import Course
    from milepost.logs.interface import BareLog
    from milepost.partitions.execution import LogRequest
    from milepost.playback.play import Kinds, Play, Summed
    from milepost.whole_log import ReplaySource

REMEMBERED: Final = SMALL  # records of a store from which it is replayed in parts, and what was replayed is kept
V = TypeVar("V")


@dataclass(frozen=True, eq=False, repr=False)
class Loaded:
    """A log as it is asked for: without what is suspect, and with an eye on some attempts.

    Attributes:
        source: the log.
        of_attempts: which attempts are looked at.
        exclude: what is left out as suspect.
    """

    source: ReplaySource
    of_attempts: tuple[Condition, ...] = ()
    exclude: tuple[str, ...] = ()

    @property
    def course(self) -> Course | None:
        """The course, if one is given."""
        return self.source.course

    @property
    def sessions(self) -> BareLog:
        """The log, of which only the sessions may be asked."""
        return self.source.sessions

    def play(self) -> Play:
        """Replay it."""
        return keep_fitting(self._clean(), self.of_attempts)

    def last_play(self) -> Play:
        """Replay it, where nobody will have it replayed after that."""
        return self.play() if _has_to_be_judged(self) else keep_fitting(self.source.play(last=True), self.of_attempts)

    def compute(self, name: str | None, make: Callable[[Play], V]) -> V:
        """Return a function's result on the log, if nobody will have it replayed after that.

        Args:
            name: tells the function from any other, where it makes plain values of all attempts; None where nothing does.
            make: the function.
        """
        if name is None or _has_to_be_judged(self) or self.of_attempts:
            return make(self.last_play())
        return self.source.compute(name, make)

    def compute_from_counts(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts, so that a large log's attempts need not be merged.

        Args:
            name: tells the function from any other, where it makes plain values; None where nothing does.
            make: the function.
            kinds: what it needs counted.
        """
        if _has_to_be_judged(self) or self.of_attempts:
            return make(self.last_play())
        return self.source.compute_from_counts(name, make, kinds)

    def replay_groups(self, key: str) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself, as if the log held only those.

        Raises:
            UsageError: the log has no such field or tag.
        """
        return [
            (value, keep_fitting(play, self.of_attempts)) for value, play in self.source.replay_groups(key, self._judged()[1])
        ]

    def replay_sides(self, split: Split) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""
        before, after = self.source.replay_sides(split, self._judged()[1])
        return keep_fitting(before, self.of_attempts), keep_fitting(after, self.of_attempts)

    def _clean(self) -> Play:
        """The log without what is suspect."""
        first, exclusion = self._judged()
        if first is None:
            return self.source.play()
        if exclusion is None:
            return first
        replayed = first if not exclusion.replays else self.source.play(exclusion)
        return replace(replayed if exclusion.replays else apply_exclusion(first, exclusion), before=first)

    def _judged(self) -> tuple[Play | None, Exclusion | None]:
        """The log as it is, and what is left out of it; nothing where nobody has to look.

        Raises:
            UsageError: nothing would be left.
        """
        if not _has_to_be_judged(self):
            return None, None
        from milepost.audit.exclusions import build_exclusion

        first = self.source.play()
        exclusion = build_exclusion(first, self.exclude)
        if exclusion is not None and not exclusion.keeps(first.gated.log).any():
            raise UsageError(f"--exclude {','.join(self.exclude)}: no session is left. Leave less out.")
        return first, exclusion

    def without_names(self) -> Loaded:
        """Return the log with pseudonyms for people."""
        return replace(self, source=self.source.without_names())

    def without_idle(self, cap: float | None) -> Loaded:
        """Return the log with a bound on how many seconds a stretch without a record counts in an attempt."""
        return replace(self, source=self.source.without_idle(cap))


def _has_to_be_judged(loaded: Loaded) -> bool:
    """Return whether something may have to be left out."""
    promises = loaded.course.promises if loaded.course else ()
    return bool(loaded.exclude) or any(promise.voids for promise in promises)


def open_log(asked: LogRequest) -> Loaded:
    """Open a log, and keep the sessions that are asked for.

    Raises:
        MilePostError: it cannot be read, or a condition fits nothing.
    """
    plan = plan_of(asked)
    if plan.in_parts:
        return _load_looked_at(asked, _open_in_parts(asked, plan))
    if asked.remember:
        from milepost.kept_log import kept_small_log

        if (small := kept_small_log(asked)) is not None:
            return _load_looked_at(asked, small)
    return _load_looked_at(asked, WholeLog.of(asked))


def _open_in_parts(asked: LogRequest, plan: ExecutionPlan) -> ReplaySource:
    """A store that remembers, or logs that are held in parts or packed for the moment."""
    if len(asked.names) == 1 and _is_store(asked.names[0]):
        from milepost.kept_log import kept_store

        return kept_store(asked, plan)
    from milepost.partitions.partitioned_source import load_parts

    return load_parts(asked, plan)


def _load_looked_at(asked: LogRequest, source: ReplaySource) -> Loaded:
    if not asked.exclude:
        return Loaded(source, asked.of_attempts)
    from milepost.audit.exclusions import require_acting

    return Loaded(source, asked.of_attempts, require_acting(asked.exclude))


def plan_of(asked: LogRequest) -> ExecutionPlan:
    """How the log is replayed: as a whole, or part by part, which is asked for, or its size, or that it is a large store."""
    if asked.every_record:
        return ExecutionPlan()
    plan = asked.work.plan(asked.names)
    return ExecutionPlan(packed=True) if not plan.in_parts and _is_large_store(asked.names) else plan


def _is_large_store(names: list[str]) -> bool:
    """Return whether the log is a store that is large enough not to be held in memory, and to be remembered."""
    if len(names) > 1 or not _is_store(names[0]):
        return False
    from milepost.logs.store.manifest import read_manifest

    return read_manifest(Path(names[0])).rows >= REMEMBERED


def _is_store(name: str) -> bool:
    return (Path(name) / STORE_MANIFEST).is_file()
