"""The command `check`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, cast

from milepost.cli import options
from milepost.cli.messages import Exit

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.reports.document_types import CheckDocument

GROUP, PLACE = "Trust the log", 30  # in the help
HELP = "what is in a log, what is broken, what was done about it, and what the repairs change"
EXAMPLE = "milepost check --strict high"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, by=False)
    parser.add_argument(
        "--strict",
        choices=("low", "medium", "high"),
        help="exit with status 1 if anything of this weight or more was found that is not declared as known; "
        "suspects weigh medium",
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost import engine
    from milepost.audit.audit import audit, has_weighty
    from milepost.cli.loading import load
    from milepost.cli.run_measure import write
    from milepost.reports.check_views import check_views
    from milepost.reports.interface import Report

    report = cast("CheckDocument", engine.document_of(load(args), args.command, audit))
    write(args, Report(report, check_views(report), report["details"]))
    return Exit.GATE_HIT if args.strict and has_weighty(report, args.strict) else Exit.DONE
