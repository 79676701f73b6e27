"""Every option of the command line, each in one place."""

from __future__ import annotations

import argparse
from math import isfinite
from typing import Final

from milepost.logs.formats.registry import FORMATS as LOG_FORMATS

_MOST_JOBS = 512

FORMATS = ("table", "json", "csv", "markdown")


class Once(argparse.Action):
    """An option that has one value: given twice, one of the two would be passed over without a word."""

    def __call__(
        self, parser: argparse.ArgumentParser, args: argparse.Namespace, value: object, option: str | None = None
    ) -> None:
        """Take the value."""
        given: set[str] = vars(args).setdefault("given_once", set())
        if self.dest in given:
            parser.error(f"{option} is given twice, and there is one. Leave one of them out")
        given.add(self.dest)
        setattr(args, self.dest, value)


def group_of(parser: argparse.ArgumentParser, title: str) -> argparse._ArgumentGroup:
    """Return the group of options with this title; help lists a command's own options before all groups."""
    known = (group for group in parser._action_groups if group.title == title)
    return next(known, None) or parser.add_argument_group(title)


def add_log(parser: argparse.ArgumentParser, course: bool = True, needed: bool = True, mapped: bool = True) -> None:
    """Add the options for the log, its map and its course."""
    add_input(parser, needed)
    add_folder(parser)
    group = group_of(parser, "the log")
    if course:
        group.add_argument(
            "--course",
            action=Once,
            metavar="FILE",
            help="the course (TOML): order of the levels, other names, plan; inferred if not given",
        )
    if mapped:
        group.add_argument(
            "--map", action=Once, metavar="FILE", help="the log map (TOML), for logs with other field names, words or units"
        )


def add_input(parser: argparse.ArgumentParser, needed: bool) -> None:
    """The log, and how its files are read."""
    parser.add_argument(
        "logs",
        nargs="*",
        metavar="LOG",
        help="log files, folders, globs or addresses that make up one log; - is standard input (those of milepost.toml)",
    )
    parser.set_defaults(needs_log=needed)
    group = group_of(parser, "the log")
    group.add_argument("--input-format", choices=tuple(LOG_FORMATS), help="the log's format, if its content does not tell it")
    group.add_argument(
        "--max-bytes", type=size_in_bytes, metavar="N", default=4 << 30, help="most a packed file may unpack to (4GB)"
    )


def days(text: str) -> float:
    """Return a number of days above 0.

    Raises:
        ArgumentTypeError: it is none.
    """
    try:
        value = float(text)
    except ValueError:
        value = 0.0
    if not 0 < value < 1e5:
        raise argparse.ArgumentTypeError(f"{text!r} is no number of days above 0. Give one, such as 7.")
    return value


def add_answers(parser: argparse.ArgumentParser) -> None:
    """What is known of a foreign log beforehand."""
    parser.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="NAME=VALUE",
        help="what is known of the log: a column (level=route), the meaning of an event word (fall=death), or the unit of times "
        "(unit=ms); may be repeated",
    )


def add_saying(parser: argparse.ArgumentParser) -> None:
    """How much is said beside the output."""
    saying = group_of(parser, "output").add_mutually_exclusive_group()
    saying.add_argument("--quiet", action="store_true", help="say nothing on standard error but errors")
    saying.add_argument(
        "--verbose",
        action="store_true",
        default=argparse.SUPPRESS,
        help="say each step of the work, and how long it took, on standard error",
    )


def add_folder(parser: argparse.ArgumentParser) -> None:
    """Add the option to pass over the playtest folder's file."""
    group_of(parser, "the log").add_argument(
        "--no-folder", action="store_true", help="pass over the milepost.toml of this folder or one above it"
    )


def add_replay(parser: argparse.ArgumentParser) -> None:
    """How the log is replayed."""
    group = parser.add_argument_group("replay")
    group.add_argument(
        "--repeat-window", type=seconds, metavar="S", help="seconds within which the same again is a repeat (0.25)"
    )
    group.add_argument("--instant", type=seconds, metavar="S", help="seconds below which a clear is named instant (0.5)")
    group.add_argument(
        "--implied-complete",
        action=argparse.BooleanOptionalAction,
        default=None,
        help="for logs without completions: moving on clears the level",
    )
    group.add_argument("--debug", choices=("drop", "keep"), default="drop", help="what to do with sessions tagged debug (drop)")
    group.add_argument(
        "--shortcuts", choices=("end", "keep"), default="end", help="whether a session goes on after a skipped stretch (end)"
    )


def add_selection(parser: argparse.ArgumentParser, by: bool = True) -> None:
    """Add the options for the selection of players and for groups."""
    group = parser.add_argument_group("who takes part")
    group.add_argument(
        "--where",
        action="append",
        default=[],
        metavar="COND",
        help="only sessions that fit: role=tester, build!=0.7, platform=desktop,tablet, level=..., score>5; or only tries that "
        "do, by what their start or end said: start.health<3; may be repeated",
    )
    group.add_argument(
        "--exclude",
        action="append",
        default=[],
        metavar="CODE",
        help="leave out what check calls suspect by this code, such as instant_clear or stuck; may be repeated",
    )
    group.add_argument("--no-where", action="store_true", help="without the conditions of milepost.toml")
    group.add_argument("--no-exclude", action="store_true", help="without what milepost.toml leaves out")
    if by:
        group.add_argument(
            "--by",
            action=Once,
            metavar="KEY",
            help="side by side for each value of player, build, session, a tag, or of what a start says: start.NAME",
        )
    group.add_argument(
        "--min-players",
        type=count,
        default=5,
        metavar="N",
        help="figures of fewer players are marked, and nothing is claimed of them (5)",
    )


def add_output(parser: argparse.ArgumentParser, forms: tuple[str, ...] = FORMATS) -> None:
    """In which form, and where to."""
    group = group_of(parser, "output")
    group.add_argument("--format", choices=forms, default="table", help="the form of the output (table)")
    group.add_argument("-o", "--output", action=Once, metavar="FILE", help="write to this file, whole or not at all")
    group.add_argument(
        "--columns", action=Once, metavar="A,B,C", help="which columns of the table, by their headings; all shows every one"
    )


def add_work(parser: argparse.ArgumentParser) -> None:
    """Add the options for threads, clusters and memory."""
    group = parser.add_argument_group("large logs")
    group.add_argument("--jobs", type=jobs, metavar="N", help="threads that work on the log's parts (2, or 1 within --memory)")
    group.add_argument("--cluster", metavar="ADDRESS", help="a Dask scheduler, as tcp://host:8786, whose workers do the work")
    group.add_argument(
        "--memory",
        type=size_in_bytes,
        metavar="SIZE",
        help="about how much memory may be used, such as 1GB; the rest goes to disk",
    )


def add_measure(
    parser: argparse.ArgumentParser,
    by: bool = True,
    figure: bool = False,
    work: bool = True,
    needed: bool = True,
    forms: tuple[str, ...] = FORMATS,
) -> None:
    """All that measuring commands share: what to read, who takes part, the form of the output, how to replay and where."""
    add_log(parser, needed=needed)
    add_selection(parser, by)
    add_output(parser, forms)
    if figure:
        add_figure(parser)
    add_replay(parser)
    if work:
        add_work(parser)


def add_per(parser: argparse.ArgumentParser) -> None:
    """Add the option for counting by player or by run."""
    parser.add_argument(
        "--per",
        choices=("player", "run"),
        default="player",
        help="whether numbers of tries and first clears begin anew in each run (player)",
    )


def add_compared(parser: argparse.ArgumentParser) -> None:
    """Add the options for the two builds to compare."""
    group = parser.add_argument_group("two builds")
    group.add_argument("--from", dest="before", action=Once, metavar="A", help="the earlier one (the last but one to appear)")
    group.add_argument("--to", dest="after", action=Once, metavar="B", help="the later one (the last to appear)")


def shares(text: str) -> tuple[float, float]:
    """Two shares, as 1:1 or 80:20."""
    first, colon, second = text.partition(":")
    try:
        both = float(first), float(second)
    except ValueError:
        both = (0.0, 0.0)
    if not colon or not all(0 < share < 1e9 for share in both):
        raise argparse.ArgumentTypeError(f"two shares with a colon between, such as 1:1 or 80:20, not {text!r}")
    return both


def chance(text: str) -> float:
    """A chance between 0 and 1, without these."""
    try:
        value = float(text)
    except ValueError:
        value = 0.0
    if not 0 < value < 1:
        raise argparse.ArgumentTypeError(f"{text!r} is no chance between 0 and 1, such as 0.75")
    return value


def positive(text: str) -> int:
    """A whole number from 1 up."""
    if not text.isdecimal() or int(text) < 1:
        raise argparse.ArgumentTypeError(f"{text!r} is no whole number from 1 up")
    return int(text)


def logits(text: str) -> float:
    """A number other than 0."""
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not isfinite(value) or value == 0:
        raise argparse.ArgumentTypeError(f"{text!r} is no size of a change, such as 0.7")
    return value


def add_figure(parser: argparse.ArgumentParser) -> None:
    """A picture beside the output."""
    group_of(parser, "output").add_argument(
        "--figure",
        action=Once,
        metavar="FILE",
        help="also draw it, as .png, .svg or .pdf by the name's ending; with --by, one a group",
    )
    add_paper(parser)


def add_paper(parser: argparse.ArgumentParser) -> None:
    """On what pictures are drawn."""
    group = group_of(parser, "output")
    group.add_argument("--size", type=size, metavar="WxH", help="the picture's width and height in dots (1280x800)")
    group.add_argument("--dark", action="store_true", help="draw light on dark")


def count(text: str) -> int:
    """A whole number from 0 up."""
    if not text.isdecimal():
        raise argparse.ArgumentTypeError(f"{text!r} is no whole number from 0 up")
    return int(text)


def size(text: str) -> tuple[int, int]:
    """A picture's width and height in dots."""
    width, _, height = text.lower().replace("×", "x").partition("x")
    whole = width.isdecimal() and height.isdecimal()
    if not whole or not 300 <= int(height) <= 6000 or not int(height) <= int(width) <= 4 * int(height):
        raise argparse.ArgumentTypeError(f"{text!r} is no size such as 1280x800, 300 to 6000 high and 1 to 4 times as wide")
    return int(width), int(height)


def jobs(text: str) -> int:
    """A number of processes."""
    if not text.isdecimal() or not 1 <= int(text) <= _MOST_JOBS:
        raise argparse.ArgumentTypeError(f"{text!r} is no number of processes from 1 to {_MOST_JOBS}")
    return int(text)


def size_in_bytes(text: str) -> int:
    """A size such as 500MB or 8GB."""
    number, unit = text.rstrip("KMGBkmgb"), text[len(text.rstrip("KMGBkmgb")) :].upper().removesuffix("B")
    if not number.isdecimal() or unit not in ("", "K", "M", "G") or int(number) == 0:
        raise argparse.ArgumentTypeError(f"{text!r} is no size, such as 500MB or 8GB")
    return int(number) << {"": 0, "K": 10, "M": 20, "G": 30}[unit]


def clock_offset(text: str) -> float:
    """Seconds from an offset such as 00:03:20, 3:20 or 200."""
    parts = text.lstrip("-").split(":")
    try:
        value = sum(float(part) * 60.0**place for place, part in enumerate(reversed(parts)))
    except ValueError:
        value = float("nan")
    if not isfinite(value) or len(parts) > 3:
        raise argparse.ArgumentTypeError(f"{text!r} is no offset such as 00:03:20")
    return -float(value) if text.startswith("-") else float(value)


def clock_text(text: str) -> str:
    """A place on a clock, as it was written."""
    clock_offset(text)
    return text


def seconds(text: str) -> float:
    """A number of seconds from 0 up."""
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not isfinite(value) or value < 0:
        raise argparse.ArgumentTypeError(f"{text!r} is no number of seconds from 0 up")
    return value


KINDS: Final = {"seconds": seconds, "days": days, "count": count, "chance": chance, "clock_offset": clock_offset}  # of settings
