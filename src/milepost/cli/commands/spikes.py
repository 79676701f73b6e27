"""The command `spikes`."""

from __future__ import annotations

import argparse

from milepost.cli import options
from milepost.cli.exits import Exit

HELP = "which levels stand out against their neighbours (a first reading)"
EXAMPLE = "milepost spikes wickwater/logs --course wickwater/course.toml"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_log(parser)
    options.add_selection(parser)
    options.add_output(parser)
    options.add_replay(parser)


def run(args: argparse.Namespace) -> Exit:
    """Run the command."""
    from milepost.cli.showing import measured
    from milepost.difficulty.neighbours import NeighbourSpikes

    return measured(args, NeighbourSpikes(args.min_players))
