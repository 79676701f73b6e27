"""The command `watch`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Change and test again", 230  # in the help
HELP = "the funnel and what is newly found, while a playtest runs and its logs grow"
EXAMPLE = "milepost watch --once"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument(
        "logs",
        metavar="LOG",
        nargs="*",
        help="folders in which logs grow, or logs, all JSON Lines (.jsonl, .ndjson); by default those that milepost.toml names",
    )
    parser.set_defaults(needs_log=True)
    options.add_folder(parser)
    parser.add_argument("--course", metavar="FILE", help="the course (TOML): order of the levels, other names, plan")
    parser.add_argument("--map", metavar="FILE", help="the log map (TOML), for logs with other field names, words or units")
    parser.add_argument(
        "--state", metavar="STORE", help="keep what was read in this packed store, so that a restart reads only what is new"
    )
    parser.add_argument("--once", action="store_true", help="read what is there, show it, and end")
    parser.add_argument("--interval", type=options.seconds, default=2.0, metavar="S", help="seconds between two looks (2)")
    options.add_selection(parser, by=False)
    options.add_output(parser)
    options.add_replay(parser)


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.watch_loop import watch

    return watch(args)
