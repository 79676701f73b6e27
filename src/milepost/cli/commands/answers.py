"""The command `answers`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "Judge", 180  # in the help
HELP = "what players answered, level by level, and whether it goes with how hard the levels are to play"
EXAMPLE = "milepost answers"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)
    parser.add_argument(
        "--answers",
        action=options.Once,
        metavar="FILE",
        help="the table of answers: player, level, question, answer (that of milepost.toml)",
    )
    parser.add_argument(
        "--order",
        action="append",
        default=[],
        metavar="QUESTION=A,B,C",
        help="the answers to a question in order, the least first; may be repeated",
    )
    parser.add_argument(
        "--themes",
        action=options.Once,
        metavar="FILE",
        help="a table of themes: theme, words (with commas) or pattern (that of milepost.toml)",
    )
    parser.add_argument("--since", metavar="REPORT.json", default=None, help="what changed since this report of an earlier day")


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.folder_tables import answers_of
    from milepost.cli.run_measure import run_measure

    measure = answers_of(args)
    if measure is None:
        from milepost.errors import UsageError

        raise UsageError('there is no table of answers. Name one: --answers FILE, or answers = "answers.csv" in milepost.toml.')
    return run_measure(args, measure)
