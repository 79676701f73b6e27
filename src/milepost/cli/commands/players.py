"""The command `players`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Look at one level or session", 145  # in the help
HELP = "a row a player: sessions, minutes, how far, tries, pace, skill with its error, and how it ended; one spread or two groups"
EXAMPLE = "milepost players --columns all"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, by=False)


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.difficulty.players import Players

    return measured(args, Players())
