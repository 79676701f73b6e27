"""The command `sections`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Look at one level or session", 135  # in the help
HELP = "which part of a level players fail in: between the marks of checkpoints, or by progress"
EXAMPLE = 'milepost sections --level "Low Arch"'


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)
    parser.add_argument("--level", metavar="NAME", help="one level of the course (all of them)")


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.measures.sections import Sections

    return measured(args, Sections(args.level))
