"""The command `times`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "See the course", 70  # in the help
HELP = "how long a level takes, without pauses and gaps"
EXAMPLE = "milepost times --clock input --idle-cap 30"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)
    options.add_per(parser)
    parser.add_argument("--clock", choices=("load", "input"), default="load", help="where the time of an attempt begins (load)")
    parser.add_argument(
        "--idle-cap", type=options.seconds, metavar="S", help="seconds that a stretch without a record counts at most"
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.loading import load
    from milepost.cli.run_measure import run_measure
    from milepost.measures.times import TimeFromInput, TimeInLevel

    loaded = load(args).without_idle(args.idle_cap)
    return run_measure(args, TimeFromInput() if args.clock == "input" else TimeInLevel(), loaded)
