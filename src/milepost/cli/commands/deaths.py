"""The command `deaths`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "See the course", 80  # in the help
HELP = "what kills players in each level, and where"
EXAMPLE = "milepost deaths --where role=newcomer"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)
    parser.add_argument(
        "--arrival",
        type=options.seconds,
        default=1.0,
        metavar="S",
        help="seconds after the opening within which a death is one on arrival (1)",
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.measures.deaths import Deaths

    return measured(args, Deaths(args.arrival))
