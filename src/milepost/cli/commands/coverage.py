"""The command `coverage`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Trust the log", 40  # in the help
HELP = "which levels and moves were hardly tested, and how long it takes to get there"
EXAMPLE = "milepost coverage"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser)


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.measures.coverage import Coverage

    return measured(args, Coverage(args.min_players))
