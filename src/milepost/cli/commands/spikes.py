"""The command `spikes`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Judge", 160  # in the help
HELP = "which levels break what their surroundings lead one to expect, how sure that is, and what it costs"
EXAMPLE = "milepost spikes --strict strong --since last-week.json"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)
    options.add_per(parser)
    parser.add_argument(
        "--strict",
        choices=("weak", "fair", "strong"),
        help="exit with status 1 if a level stands out on evidence of this strength or more",
    )
    parser.add_argument(
        "--since",
        action=options.Once,
        metavar="REPORT.json",
        help="with --strict: pass over levels that stood out in this earlier report",
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import strict_spikes

    return strict_spikes(args)
