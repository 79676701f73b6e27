"""The command `trace`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Look at one level or session", 140  # in the help
HELP = "one session attempt by attempt, or all of them as strips"
EXAMPLE = "milepost trace ada-wick-1 --offset 00:03:20"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("session", metavar="SESSION", nargs="?", help="a session, or a player; with --all, the first log")
    options.add_measure(parser, by=False, figure=True, work=False)
    parser.add_argument("--all", action="store_true", help="every session, one strip each")
    parser.add_argument("--events", action="store_true", help="each record too, with what it did")
    parser.add_argument(
        "--offset",
        type=options.clock_offset,
        default=None,
        metavar="CLOCK",
        help="how far a recording had run when the session began, such as 00:03:20 (as recordings.csv has it)",
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.loading import load
    from milepost.cli.run_measure import measured
    from milepost.measures.trace import Trace

    return measured(args, Trace(args.session, args.offset or 0.0, args.events), load(args, every_record=True))
