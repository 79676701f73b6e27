"""Every option of the command line, each in one place."""

from __future__ import annotations

import argparse
from math import isfinite

from milepost.reports.formats import FORMATS

INPUT_FORMATS = ("jsonl", "json", "csv", "tsv", "parquet", "sqlite", "xes")


def add_log(parser: argparse.ArgumentParser, course: bool = True) -> None:
    """What to read, how, and by which course."""
    parser.add_argument("logs", nargs="+", metavar="LOG", help="log files, folders or globs that make up one log; - is standard input")  # noqa: E501
    if course:
        parser.add_argument("--course", metavar="FILE", help="the course (TOML): order of the levels, other names, plan; inferred if not given")  # noqa: E501
    parser.add_argument("--map", metavar="FILE", help="the log map (TOML), for logs with other field names, words or units")
    parser.add_argument("--input-format", choices=INPUT_FORMATS, help="the log's format, if its content does not tell it")
    parser.add_argument("--max-bytes", type=_bytes, metavar="N", default=4 << 30, help="most a packed file may unpack to (4GB)")


def add_replay(parser: argparse.ArgumentParser) -> None:
    """How the log is replayed."""
    group = parser.add_argument_group("replay")
    group.add_argument("--repeat-window", type=_seconds, metavar="S", help="seconds within which the same again is a repeat (0.25)")  # noqa: E501
    group.add_argument("--instant", type=_seconds, metavar="S", help="seconds below which a clear is named instant (0.5)")
    group.add_argument("--implied-complete", action=argparse.BooleanOptionalAction, default=None, help="for logs without completions: moving on clears the level")  # noqa: E501
    group.add_argument("--debug", choices=("drop", "keep"), default="drop", help="what to do with sessions tagged debug (drop)")
    group.add_argument("--shortcuts", choices=("end", "keep"), default="end", help="whether a session goes on after a skipped stretch (end)")  # noqa: E501


def add_output(parser: argparse.ArgumentParser) -> None:
    """In which form, and where to."""
    parser.add_argument("--format", choices=FORMATS, default="table", help="the form of the output (table)")
    parser.add_argument("--output", metavar="FILE", help="write to this file, whole or not at all")


def add_figure(parser: argparse.ArgumentParser) -> None:
    """A picture beside the output."""
    parser.add_argument("--figure", metavar="FILE", help="also draw it, as .png or .svg by the name's ending")


def _bytes(text: str) -> int:
    number, unit = text.rstrip("KMGBkmgb"), text[len(text.rstrip("KMGBkmgb")) :].upper().removesuffix("B")
    if not number.isdecimal() or unit not in ("", "K", "M", "G") or int(number) == 0:
        raise argparse.ArgumentTypeError(f"{text!r} is no size, such as 500MB or 8GB")
    return int(number) << {"": 0, "K": 10, "M": 20, "G": 30}[unit]


def _seconds(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not isfinite(value) or value < 0:
        raise argparse.ArgumentTypeError(f"{text!r} is no number of seconds from 0 up")
    return value
