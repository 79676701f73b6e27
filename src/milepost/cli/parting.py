"""From arguments to a log that is replayed part by part: its store, made for the moment if need be, and who works on it."""

from __future__ import annotations

import argparse
from dataclasses import dataclass, replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from milepost.cli import terminal
from milepost.cli.loading import load_map, read_options
from milepost.errors import UsageError
from milepost.gate.selection import Condition, groups
from milepost.logs.course import Course
from milepost.logs.packing import Layout, pack
from milepost.logs.sources import expand
from milepost.logs.store import read_manifest
from milepost.memory import give_back_early
from milepost.parts.executors import workers
from milepost.parts.parted import PartedLog
from milepost.parts.tasks import Wanted
from milepost.playback.play import Play
from milepost.progress import Progress
from milepost.rules import ReplayRules


@dataclass(frozen=True)
class LoadedParts:
    """A parted log with what it takes to replay it.

    Attributes:
        parted: the log.
        course: the course, if one is given.
        wanted: what is replayed of it, and how.
        jobs: processes that work on it.
        cluster: the address of a scheduler whose workers do, instead.
        spilled: the folder of a store that was made for the moment, and goes when this does.
    """

    parted: PartedLog
    course: Course | None
    wanted: Wanted
    jobs: int
    cluster: str | None
    spilled: TemporaryDirectory[str] | None

    def play(self) -> Play:
        """Replay it."""
        with terminal.progress() as progress, workers(self.jobs, self.cluster) as who:
            return self.parted.play(self.wanted, who, progress)

    def grouped(self, key: str) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself."""
        everybody = np.ones(len(self.parted.log.sessions.name), np.bool_)
        kept = everybody if self.wanted.kept is None else self.wanted.kept
        plays = []
        with terminal.progress() as progress, workers(self.jobs, self.cluster) as who:
            for value, sessions in groups(self.wanted.of(self.parted.log), key):
                own = kept.copy()
                own[kept] = sessions
                plays.append((value, self.parted.play(replace(self.wanted, kept=own), who, progress)))
        return plays

    def without_names(self) -> LoadedParts:
        """The same with pseudonyms for people."""
        return replace(self, wanted=replace(self.wanted, anonymous=True))


def load_parts(
    args: argparse.Namespace, conditions: tuple[Condition, ...], course: Course | None, rules: ReplayRules
) -> LoadedParts:  # fmt: skip
    """Open the store that the arguments name, or pack the logs that they name into one for the moment.

    Raises:
        UsageError: there is a store, and logs beside it; or the log is standard input.
    """
    give_back_early()
    with terminal.progress() as progress:
        folder, spilled = _store_of(args, progress)
        parted = PartedLog.of(folder, read_manifest(folder).additions)
        with workers(args.jobs, args.cluster) as who:
            kept = parted.fitting(conditions, who)
    return LoadedParts(parted, course, Wanted(course, rules, kept), args.jobs, args.cluster, spilled)


def _store_of(args: argparse.Namespace, progress: Progress) -> tuple[Path, TemporaryDirectory[str] | None]:
    sources = expand(args.logs)
    if sources[0].store is not None:
        if len(sources) > 1:
            raise UsageError("work over parts takes one store, or logs. Add the logs to the store first: milepost pack --add.")
        return sources[0].store, None
    if any(source.path is None for source in sources):
        raise UsageError("standard input cannot be worked on in parts. Name a file, or leave out --jobs, --cluster and --memory.")
    spilled = TemporaryDirectory(prefix="milepost-")
    folder = Path(spilled.name) / "store"
    layout = Layout.of(sum(source.size() for source in sources), args.memory, args.jobs)
    pack(args.logs, folder, False, False, load_map(args), read_options(args), progress, layout)
    return folder, spilled
