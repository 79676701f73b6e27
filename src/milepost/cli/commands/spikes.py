"""The command `spikes`."""

from __future__ import annotations

import argparse

from milepost.cli import options
from milepost.cli.exits import Exit

PLACE = 100  # among the commands of the help
HELP = "which levels break what their surroundings lead one to expect, how sure that is, and what it costs"
EXAMPLE = "milepost spikes wickwater/logs --course wickwater/course.toml"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)
    options.add_per(parser)


def run(args: argparse.Namespace) -> Exit:
    """Run the command."""
    from milepost.cli.showing import measured
    from milepost.difficulty.spikes import Spikes

    return measured(args, Spikes(args.min_players))
