"""The command `leaving`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "See the course", 95  # in the help
HELP = "after which tries players leave: by failures in a row, by minutes played, and by level; and who came back"
EXAMPLE = "milepost leaving --figure leaving.png"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)
    parser.add_argument(
        "--unknown-end", choices=("lost", "censor"), default="lost", help="what a session without a known end counts as (lost)"
    )
    parser.add_argument(
        "--return-within",
        type=options.days,
        metavar="DAYS",
        help="take whoever stopped less than so many days before the log's last record as cut off: they may still come back",
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.measures.leaving import Leaving

    return measured(args, Leaving(args.unknown_end == "censor", args.return_within))
