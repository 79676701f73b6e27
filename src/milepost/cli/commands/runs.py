"""The command `runs`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.cli.messages import Exit

GROUP, PLACE = "See the course", 100  # in the help
HELP = "how far runs get, from a fresh beginning to a win or the end, and what comes of playing again"
EXAMPLE = "milepost runs race/logs --course race/course.toml --by run.lantern"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, figure=True)


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.run_measure import measured
    from milepost.measures.run_lengths import RunsMeasure

    return measured(args, RunsMeasure())
