"""The command `funnel`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "See the course", 50  # in the help
HELP = "who reached, cleared and moved on from each level, who stopped there and why"
EXAMPLE = "milepost funnel --raw"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)
    options.add_per(parser)
    parser.add_argument("--raw", action="store_true", help="put beside it what a naive count of the records would say")
    parser.add_argument(
        "--unknown-end", choices=("lost", "censor"), default="lost", help="what a session without a known end counts as (lost)"
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.loading import load, load_with_any_start
    from milepost.cli.run_measure import measure_runs, run_measure
    from milepost.measures.funnel import Funnel

    if args.per == "run":
        return measure_runs(args, load(args))
    funnel = Funnel(args.unknown_end)
    if args.raw:
        from milepost.measures.raw import FunnelWithRaw

        return run_measure(args, FunnelWithRaw(funnel), load_with_any_start(args))
    return run_measure(args, funnel, load_with_any_start(args))
