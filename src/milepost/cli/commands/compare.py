"""The command `compare`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options
from milepost.cli.messages import Exit

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

GROUP, PLACE = "Change and test again", 200  # in the help
HELP = "two builds side by side: which levels got harder or easier, whether all moved, and how many players would tell"
EXAMPLE = "milepost compare --from 0.7 --to 0.8"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, by=False, figure=True)
    options.add_compared(parser)
    parser.add_argument(
        "--key",
        default="build",
        metavar="KEY",
        help="compare two values of this tag instead of two builds; start.NAME: tries, by what their start says",
    )
    parser.add_argument(
        "--course-from", action=options.Once, metavar="FILE", help="the course of the earlier build, where it differs"
    )
    parser.add_argument(
        "--course-to", action=options.Once, metavar="FILE", help="the course of the later build, where it differs"
    )
    parser.add_argument(
        "--assigned",
        choices=("lot", "crossed"),
        help="players were given their side by chance, or all played both in crossed order",
    )
    parser.add_argument(
        "--shares",
        type=options.shares,
        default=(1.0, 1.0),
        metavar="A:B",
        help="the shares that --assigned lot deals out (1:1); others than these are no lot",
    )
    parser.add_argument(
        "--looks", type=options.positive, default=1, metavar="N", help="how often a running test is looked at, as planned (1)"
    )
    parser.add_argument(
        "--untouched", action="append", default=[], metavar="LEVEL", help="a level known not to have changed; may be repeated"
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.loading import compare_with_answers, load
    from milepost.cli.run_measure import draw, write
    from milepost.reports.compared import compare_views, flat_rows
    from milepost.reports.interface import Report

    report = compare_with_answers(args, load(args))
    draw(args, report)
    write(args, Report(report, compare_views(report), flat_rows(report)))
    return Exit.DONE
