"""The command `layouts`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "See the course", 110  # in the help
HELP = "how much the layout inside a level matters (tags layout or seed)"
EXAMPLE = "milepost layouts logs/ --course course.toml"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser)
    parser.add_argument(
        "--min-tries", type=options.count, default=5, metavar="N", help="layouts with fewer tries are not compared (5)"
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.measures.layouts import Layouts

    return measured(args, Layouts(args.min_tries))
