"""From arguments to a replayed log."""

from __future__ import annotations

import argparse
import sys

from milepost.cli import terminal
from milepost.logs.course import Course, read_course
from milepost.logs.interface import ReadOptions
from milepost.logs.logmap import NO_MAP, LogMap, read_map
from milepost.playback.play import Play
from milepost.rules import ReplayRules


def load(args: argparse.Namespace) -> Play:
    """Read the course, the map and the log that the arguments name, and replay."""
    return load_with_course(args)[0]


def load_with_course(args: argparse.Namespace) -> tuple[Play, Course | None]:
    """The replayed log, and the course if one is named."""
    from milepost.logs.read import read
    from milepost.playback.replay import replay_log

    course = load_course(args)
    log_map = load_map(args)
    rules = rules_of(args, log_map)
    with terminal.progress() as progress:
        log = read(args.logs, log_map, progress, read_options(args))
        return replay_log(log, course, rules, progress), course


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
        print(f"milepost: {args.course}: not used here: {', '.join(course.unused)}", file=sys.stderr)
    return course


def rules_of(args: argparse.Namespace, log_map: LogMap) -> ReplayRules:
    """The replay's settings: what the map says, overruled by options."""
    given = {name: getattr(args, name) for name in ("repeat_window", "instant", "implied_complete")}
    settings = dict(log_map.replay) | {name: value for name, value in given.items() if value is not None}
    return ReplayRules(
        **settings, keep_debug=args.debug == "keep", keep_shortcuts=args.shortcuts == "keep"
    )  # fmt: skip
