"""The command `ratings`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "See the course", 120  # in the help
HELP = "which ratings players get, by the bands of pick-ups that the course declares"
EXAMPLE = "milepost ratings"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser)


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.measures.ratings import Ratings

    return measured(args, Ratings())
