"""The command `times`."""

from __future__ import annotations

import argparse

from milepost.cli import options
from milepost.cli.exits import Exit

HELP = "how long a level takes, without pauses and gaps"
EXAMPLE = "milepost times wickwater/logs --course wickwater/course.toml"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_log(parser)
    options.add_output(parser)
    options.add_replay(parser)


def run(args: argparse.Namespace) -> Exit:
    """Run the command."""
    from milepost.cli.loading import load
    from milepost.cli.showing import show
    from milepost.measures.times import TimeInLevel

    play = load(args)
    show(args, play, TimeInLevel()(play))
    return Exit.DONE
