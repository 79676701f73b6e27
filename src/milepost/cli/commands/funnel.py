"""The command `funnel`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from collections.abc import Callable

    from milepost.cli.exits import Exit
    from milepost.measures.funnel import Funnel, FunnelRow
    from milepost.measures.interface import NoTotals, Table
    from milepost.playback.play import Play

PLACE = 30  # among the commands of the help
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


def run(args: argparse.Namespace) -> Exit:
    """Run the command."""
    from milepost.cli.loading import load, whoever_tried
    from milepost.cli.showing import measured, per_run
    from milepost.measures.funnel import Funnel

    if args.per == "run":
        return per_run(args, load(args))
    funnel = Funnel(censor_unknown=args.unknown_end == "censor")
    return measured(args, _with_raw(funnel) if args.raw else funnel, whoever_tried(args))


def _with_raw(funnel: Funnel) -> Callable[[Play], Table[FunnelRow, NoTotals]]:
    """The funnel with a naive count of the records beside it; to be asked for before the log is replayed, which it counts."""
    from milepost.measures.interface import beside, table_of
    from milepost.measures.raw import raw_counts

    return lambda play: beside(table_of(play, funnel), raw_counts(play))
