"""The command `moves`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "See the course", 90  # in the help
HELP = "where players went: skips, setbacks and what they cost"
EXAMPLE = "milepost moves"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.loading import whoever_tried
    from milepost.cli.run_measure import measured
    from milepost.measures.moves import Moves

    return measured(args, Moves(), whoever_tried(args))
