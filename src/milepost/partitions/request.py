"""The request for a replay: all that opening a log takes."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass

from milepost.cleaning.selection import Condition
from milepost.course.course import Course
from milepost.folder.player_table import PlayerTable
from milepost.logs.interface import DEFAULTS, ReadOptions
from milepost.logs.mapping.logmap import NO_MAP, LogMap
from milepost.partitions.execution import ALONE, Work
from milepost.progress import SILENT, Progress
from milepost.rules import ReplayRules

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
