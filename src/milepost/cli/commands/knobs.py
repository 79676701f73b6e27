"""The command `knobs`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Judge", 175  # in the help
HELP = "the knobs of each level, what they break of the course's rules, and what a unit of each does to difficulty"
EXAMPLE = "milepost knobs"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, by=False, figure=True, work=False)
    parser.add_argument(
        "--reach",
        type=options.chance,
        metavar="CHANCE",
        help="also the value of each knob that would bring the chance that a first try clears to this, such as 0.75",
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.loading import load
    from milepost.cli.run_measure import measured
    from milepost.planning.knob_table import Knobs

    return measured(args, Knobs(args.min_players, args.reach), load(args, every_record=True))
