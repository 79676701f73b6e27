"""The command `attempts`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "See the course", 60  # in the help
HELP = "how many tries a level takes, those who have not cleared it yet counted as such"
EXAMPLE = "milepost attempts"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)
    options.add_per(parser)


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.measures.attempts import AttemptsToClear

    return measured(args, AttemptsToClear())
