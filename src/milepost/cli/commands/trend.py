"""The command `trend`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Change and test again", 205  # in the help
HELP = "builds, days, weeks or months in a row: each level's difficulty step by step, and what changed"
EXAMPLE = "milepost trend --over build --figure trend.png"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, by=False, figure=True)
    parser.add_argument(
        "--over",
        default="build",
        metavar="STEPS",
        help="what the steps are: build, day, week, month, or a tag of sessions (build)",
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cleaning.splitting import values_in_order
    from milepost.cli.loading import load
    from milepost.cli.run_measure import run_measure
    from milepost.comparison.trend import DATES, Trend
    from milepost.comparison.trend_steps import groups_in_order

    if args.over in DATES:
        return run_measure(args, Trend(args.over, args.min_players), load(args, every_record=True))
    loaded = load(args)
    values_in_order(loaded.sessions, args.over)  # says what there is, where the log has nothing of that name
    groups = groups_in_order(loaded.sessions, args.over, loaded.replay_groups(args.over))
    return run_measure(args, Trend(args.over, args.min_players, tuple(groups)), loaded)
