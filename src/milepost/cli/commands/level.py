"""The command `level`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Look at one level or session", 130  # in the help
HELP = "one page on one level: reach, tries, time, causes, neighbours, plan, sessions to watch"
EXAMPLE = 'milepost level "Low Arch"'


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("name", metavar="NAME", help="the level, in any spelling")
    options.add_measure(parser, by=False, figure=True)


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.measures.level import LevelPage

    return measured(args, LevelPage(args.name))
