"""Execution: the work to do, and whether a log is replayed as a whole or in parts."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass
from typing import Final, NamedTuple, TypedDict

from milepost.cleaning.selection import Condition
from milepost.course.course import Course
from milepost.folder.player_table import PlayerTable
from milepost.logs.interface import DEFAULTS, ReadOptions
from milepost.logs.mapping.logmap import NO_MAP, LogMap
from milepost.logs.sources.files import expand
from milepost.logs.sources.remote import is_address
from milepost.memory import COMFORT, cores, memory_of_held, memory_of_machine, memory_of_whole, unpacked_size
from milepost.progress import SILENT, Progress
from milepost.rules import ReplayRules

_SHARE: Final = 2  # of this machine's memory, one part in so many is the most that a log takes in memory
_THREADS: Final = 2  # that work where nobody has said; the columns of each are in memory at the same time
_MOST: Final = 1 << 62  # bytes, where nothing says how many there are


class WorkSettings(TypedDict, total=False):
    """See `Work`."""

    jobs: int | None
    cluster: str | None
    memory: int | None


@dataclass(frozen=True)
class Work:
    """The workers, and how much memory they may use.

    Attributes:
        jobs: threads of this process; None where nobody has said.
        cluster: the address of a scheduler whose workers do it, instead.
        memory: about how many bytes may be used in all; None where nobody has said.
    """

    jobs: int | None = None
    cluster: str | None = None
    memory: int | None = None

    @property
    def threads(self) -> int:
        """How many threads there are."""
        if self.jobs is not None:
            return self.jobs
        return 1 if self.memory is not None else min(_THREADS, cores())

    def plan(self, names: list[str]) -> ExecutionPlan:
        """How a log is replayed that may be large.

        Args:
            names: log files, folders and globs; a packed store, standard input and addresses, whose size nobody knows beforehand,
                go in parts only where that was said.

        Raises:
            LogError: a name stands for nothing.
        """
        if self.cluster is not None:
            return ExecutionPlan(packed=True, memory=self.memory)
        if any(name == "-" or is_address(name) for name in names):
            return ExecutionPlan(held=self._divided, packed=not self._divided and self.memory is not None, memory=self.memory)
        sources = expand(names)
        if sources[0].store is not None:
            return ExecutionPlan(packed=self._divided or self.memory is not None, memory=self.memory)
        return self._way_of_size(sum(unpacked_size(source.label, source.size()) for source in sources))

    @property
    def most(self) -> int:
        """About how many bytes a log may take in memory."""
        available = memory_of_machine()
        return self.memory if self.memory is not None else _MOST if available is None else available // _SHARE

    @property
    def _divided(self) -> bool:
        """Return whether it was said that several do the work."""
        return self.jobs is not None and self.jobs > 1

    def _way_of_size(self, size: int) -> ExecutionPlan:
        """Return the plan for logs of so many bytes of JSON Lines."""
        most = self.most
        comfort = most if self.memory is not None else min(most, COMFORT)
        if not self._divided and memory_of_whole(size) <= comfort:
            return ExecutionPlan()
        if memory_of_held(size) <= most:
            return ExecutionPlan(held=True)
        return ExecutionPlan(packed=True, memory=most if self.memory is not None else most // _SHARE)


class ExecutionPlan(NamedTuple):
    """How a log is replayed: as a whole, or in parts.

    Attributes:
        held: whether all of it is held in memory.
        packed: whether it lies in a store, made for the moment if need be.
        memory: about how many bytes may be used in all, where it is packed for the moment; None where any will do.
    """

    held: bool = False
    packed: bool = False
    memory: int | None = None

    @property
    def in_parts(self) -> bool:
        """Return whether it is replayed part by part."""
        return self.held or self.packed


ALONE: Final = Work()  # as nobody has said anything


Telling = Callable[[], AbstractContextManager[Progress]]


def silently() -> AbstractContextManager[Progress]:
    """Nobody is told."""
    return nullcontext(SILENT)


@dataclass(frozen=True)
class LogRequest:
    """A log to replay.

    Attributes:
        names: a packed store, or log files, folders and globs.
        course: the course, if one is given.
        rules: the replay's settings.
        log_map: how the logs are to be understood.
        options: how files are read.
        conditions: which sessions take part.
        of_attempts: which attempts are looked at.
        exclude: what is left out as suspect.
        players: the table of players, whose columns are tags of their sessions.
        work: who does the work, and with how much memory.
        every_record: whether records will be looked at one by one, so that the log has to be read as a whole.
        telling: gives whom progress is told.
        remember: whether what is replayed of a small log may be kept for the next question.
    """

    names: list[str]
    course: Course | None
    rules: ReplayRules
    log_map: LogMap = NO_MAP
    options: ReadOptions = DEFAULTS
    conditions: tuple[Condition, ...] = ()
    of_attempts: tuple[Condition, ...] = ()
    exclude: tuple[str, ...] = ()
    players: PlayerTable | None = None
    work: Work = ALONE
    every_record: bool = False
    telling: Telling = silently
    remember: bool = False
