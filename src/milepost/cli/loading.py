"""From arguments to a replayed log."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from milepost.cli import terminal
from milepost.cli.folder_defaults import file_of_folder, replay_of_folder
from milepost.cli.messages import tell
from milepost.course.course import read_course
from milepost.errors import UsageError
from milepost.folder.player_table import read_players
from milepost.logs.interface import ReadOptions
from milepost.logs.mapping.logmap import NO_MAP, read_map
from milepost.logs.sources.files import expand
from milepost.logs.sources.remote import is_address, without_secrets
from milepost.memory import give_back_early
from milepost.open_log import open_log, plan_of
from milepost.partitions.execution import ALONE, LogRequest, Work
from milepost.playback.attempt_filters import parse_conditions
from milepost.playback.attributes import is_attribute
from milepost.rules import ReplayRules
from milepost.wording import safe

if TYPE_CHECKING:
    from milepost.cleaning.anonymous import Pseudonyms
    from milepost.cleaning.selection import Condition
    from milepost.cli.arguments import Arguments
    from milepost.course.course import Course
    from milepost.folder.player_table import PlayerTable
    from milepost.logs.mapping.logmap import LogMap
    from milepost.open_log import Loaded
    from milepost.reports.document_types import CompareDocument


def load(args: Arguments, every_record: bool = False) -> Loaded:
    """Read the course, the map and the log that the arguments name, and keep the sessions that they ask for.

    Args:
        args: the arguments.
        every_record: whether what is asked for looks at records one by one, so that the log is read as a whole.

    Raises:
        UsageError: it does, and the log is to be read in parts.
    """
    in_parts = [name for name in ("jobs", "cluster", "memory") if getattr(args, name) is not None]
    if every_record and in_parts:
        raise UsageError(f"--{in_parts[0]}: what is asked for looks at records one by one, in the log as a whole. Leave it out.")
    course = load_course(args)
    fetch(args.logs)
    of_sessions, of_attempts = parse_conditions(args.where, course)
    log_map = load_map(args)
    rules = rules_of(args, log_map)
    work = ALONE if every_record else Work(args.jobs, args.cluster, args.memory)
    asked = LogRequest(
        args.logs,
        course,
        rules,
        log_map,
        read_options(args),
        conditions=of_sessions,
        of_attempts=of_attempts,
        exclude=tuple(args.exclude),
        players=players_of_folder(args),
        work=work,
        every_record=every_record,
        telling=terminal.progress,
        remember=not every_record,
    )
    if plan_of(asked).in_parts:
        give_back_early()
    loaded = open_log(asked)
    if log_map.active and args.command != "check" and (use := loaded.sessions.map_use):  # check says more of it
        for missing in use["missing_column"]:
            tell(f"milepost: {args.map}: fields.{safe(missing['field'])}: no record has the column {safe(missing['column'])}.")
    return loaded


def fetch(names: list[str]) -> None:
    """Copy what lies at addresses here, and say meanwhile that this is what takes so long."""
    addresses = [name for name in names if is_address(name)]
    if addresses:
        with terminal.progress() as progress:
            progress.step(f"fetching {without_secrets(addresses[0])}")
            expand(names)


def load_with_any_start(args: Arguments) -> Loaded:
    """Load the log for figures on moves, which are the same whatever a try began with.

    Raises:
        UsageError: groups by what a try began with are asked for.
    """
    if args.by and is_attribute(args.by):
        raise UsageError(
            f"--by {args.by}: where players went is the same whatever a try began with, so {args.command} has no such groups. "
            "attempts, times, deaths and spikes do."
        )
    loaded = load(args)
    pass_over(args.command, loaded.of_attempts)
    return replace(loaded, of_attempts=())


def pass_over(command: str, of_attempts: tuple[Condition, ...]) -> None:
    """Say which conditions on attempts a command passes over."""
    for condition in of_attempts:
        where = f"{command} says where players went, whatever a try began with"
        tell(f"milepost: {where}: {safe(condition.written)} is passed over.")


def players_of_folder(args: Arguments) -> PlayerTable | None:
    """The folder's table of players, if it has one."""
    path = file_of_folder(args, "players") if args.has("where") else None
    return None if path is None else read_players(path)


def load_map(args: Arguments) -> LogMap:
    """The log map, if one is named."""
    return read_map(args.map) if args.map else NO_MAP


def read_options(args: Arguments) -> ReadOptions:
    """How files are to be read."""
    return ReadOptions(form=args.input_format, max_bytes=args.max_bytes)


def load_course(args: Arguments) -> Course | None:
    """The course, if one is named; keys of it that mean nothing are said on standard error."""
    return course_named(args.course) if args.course else None


def course_named(path: str) -> Course:
    """A course; keys of it that mean nothing are said on standard error."""
    course = read_course(path)
    if course.unused:
        tell(f"milepost: {path}: not used here: {', '.join(course.unused)}")
    return course


def rules_of(args: Arguments, log_map: LogMap) -> ReplayRules:
    """The replay's settings: what the map says, overruled by the folder's file, overruled by options."""
    given = {name: getattr(args, name) for name in ("repeat_window", "instant", "implied_complete")}
    options = {name: value for name, value in given.items() if value is not None}
    settings = dict(log_map.replay) | replay_of_folder(args, options) | options
    return ReplayRules(**settings, keep_debug=args.debug == "keep", keep_shortcuts=args.shortcuts == "keep")


def compare_with_answers(args: Arguments, loaded: Loaded, hidden: Pseudonyms | None = None) -> CompareDocument:
    """Compare two groups, with what both answered; ``hidden`` is how the log's names were replaced."""
    from milepost.cli.folder_tables import answers_of
    from milepost.comparison.compare_in_play import CompareWithin, compare_answers
    from milepost.reports.compared import compare_document

    before, after = (course_named(given) if given else None for given in (args.course_from, args.course_to))
    settings = args.min_players, args.assigned, args.looks, tuple(args.untouched), args.shares
    groups = CompareWithin(args.before, args.after, args.key, *settings, (before, after)).of(loaded)
    document = compare_document(groups, args.min_players)
    measure = None if is_attribute(args.key) else answers_of(args, hidden)
    if measure is not None:
        document["answers"] = compare_answers(measure, groups.plays)
    return document
