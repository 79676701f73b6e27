"""From arguments to a replayed log."""

from __future__ import annotations

import argparse
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final, Protocol, Self

from milepost.cli import terminal
from milepost.cli.telling import tell
from milepost.gate.selection import groups, only, parse_condition, where
from milepost.logs.course import Course, read_course
from milepost.logs.interface import Log, ReadOptions
from milepost.logs.logmap import NO_MAP, LogMap, read_map
from milepost.logs.read import read
from milepost.logs.sources import STORE_MANIFEST
from milepost.measures.clocks import on_clock
from milepost.parts.work import Work
from milepost.playback.play import Play
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules
from milepost.wording import safe

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
    idle_cap: float | None = None

    def play(self) -> Play:
        """Replay it."""
        with terminal.progress() as progress:
            return on_clock(replay_log(self.log, self.course, self.rules, progress), idle_cap=self.idle_cap)

    def grouped(self, key: str) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself."""
        return [
            (value, on_clock(replay_log(only(self.log, sessions), self.course, self.rules), idle_cap=self.idle_cap))
            for value, sessions in groups(self.log, key)
        ]

    def without_names(self) -> LoadedWhole:
        """The same with pseudonyms for people."""
        from milepost.gate.anonymous import anonymous

        return replace(self, log=anonymous(self.log))

    def without_idle(self, cap: float | None) -> LoadedWhole:
        """The same with a bound on how many seconds a stretch without a record counts."""
        return replace(self, idle_cap=cap)


def load(args: argparse.Namespace, every_record: bool = False) -> Loaded:
    """Read the course, the map and the log that the arguments name, and keep the sessions that they ask for.

    Args:
        args: the arguments.
        every_record: whether what is asked for looks at records one by one, so that the log is read as a whole.
    """
    course = load_course(args)
    conditions = tuple(parse_condition(text).through(course) for text in getattr(args, "where", []))
    log_map = load_map(args)
    rules = rules_of(args, log_map)
    work = Work() if every_record else Work(args.jobs, args.cluster, args.memory).suited_to(args.logs)
    if work.in_parts or (not every_record and _is_large_store(args.logs)):
        from milepost.parts.loaded import load_parts

        reading = log_map, read_options(args)
        return load_parts(args.logs, reading, conditions, course, rules, work, terminal.progress)
    with terminal.progress() as progress:
        log = read(args.logs, log_map, progress, read_options(args))
    if log.map_use and args.command != "check":  # which says more of it
        for one in log.map_use["missing_column"]:
            tell(f"milepost: {args.map}: fields.{safe(one['field'])}: no record has the column {safe(one['column'])}.")
    return LoadedWhole(where(log, conditions), course, rules)


def _is_large_store(names: list[str]) -> bool:
    """Whether the log is a packed store with so many records that it is better not to have all of them in memory."""
    folder = Path(names[0])
    if len(names) > 1 or not (folder / STORE_MANIFEST).is_file():
        return False
    from milepost.logs.manifest import read_manifest

    return read_manifest(folder).rows >= LARGE


def load_map(args: argparse.Namespace) -> LogMap:
    """The log map, if one is named."""
    return read_map(args.map) if args.map else NO_MAP


def read_options(args: argparse.Namespace) -> ReadOptions:
    """How files are to be read."""
    return ReadOptions(form=args.input_format, max_bytes=args.max_bytes)


def load_course(args: argparse.Namespace) -> Course | None:
    """The course, if one is named; keys of it that mean nothing are said on standard error."""
    if not args.course:
        return None
    course = read_course(args.course)
    if course.unused:
        tell(f"milepost: {args.course}: not used here: {', '.join(course.unused)}")
    return course


def rules_of(args: argparse.Namespace, log_map: LogMap) -> ReplayRules:
    """The replay's settings: what the map says, overruled by options."""
    given = {name: getattr(args, name) for name in ("repeat_window", "instant", "implied_complete")}
    settings = dict(log_map.replay) | {name: value for name, value in given.items() if value is not None}
    return ReplayRules(**settings, keep_debug=args.debug == "keep", keep_shortcuts=args.shortcuts == "keep")
