"""The command `report`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from milepost.cli import options
from milepost.cli.messages import Exit

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments

GROUP, PLACE = "Tell the team", 240  # in the help
HELP = "the whole finding in one file for the team: a page (.html), .md, .pdf, or every figure (.json)"
EXAMPLE = "milepost report -o report.html"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, by=False)
    options.add_paper(parser)
    options.add_compared(parser)
    parser.add_argument(
        "--since",
        action=options.Once,
        metavar="REPORT.json",
        help="say what is new since an earlier report, which was written as .json",
    )
    parser.add_argument(
        "--only",
        action=options.Once,
        metavar="A,B,C",
        help="these measures and nothing else, each as its own command shows it: funnel,deaths; in .json, .md or the terminal",
    )
    parser.add_argument(
        "--anonymous", action="store_true", help="pseudonyms for players, sessions and files; the same name gets the same one"
    )
    parser.add_argument(
        "--keep",
        action="append",
        default=[],
        choices=("notes", "answers"),
        help="with --anonymous: show the text of notes, or answers in words, with names replaced; may be repeated",
    )


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost.cli.loading import load
    from milepost.cli.reporting import begin_checksums, form_of

    form_of(args.output)  # before the work, not after it
    if args.only is not None:
        from milepost.cli.reporting import report_only, resolve_measures

        resolve_measures(args.only)
        begin_checksums(args)
        return report_only(args, load(args))
    from milepost.cli.reporting import gather_report, write_report
    from milepost.reports.since import read_report

    if args.since:
        read_report(args.since)
    begin_checksums(args)
    write_report(args, gather_report(args, load(args)))
    return Exit.DONE
