"""The command `targets`."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, cast

from milepost.cli import options
from milepost.cli.messages import Exit

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.reports.document_types import TargetsDocument

GROUP, PLACE = "Judge", 170  # in the help
HELP = "the plan against the play: which targets are met, which are missed, and which are undecided"
EXAMPLE = "milepost targets --format junit --output targets.xml"


def add_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    options.add_measure(parser, by=False, forms=("table", "json", "csv", "markdown", "junit"))
    parser.add_argument("--strict", action="store_const", const="missed", help="exit with status 1 if a target is missed")


def run(args: Arguments) -> Exit:
    """Run the command."""
    from milepost import engine
    from milepost.cli.folder_tables import targets_of
    from milepost.cli.loading import load
    from milepost.cli.run_measure import write
    from milepost.output import write_text
    from milepost.planning.hypotheses import check_hypotheses
    from milepost.playback.play import with_records
    from milepost.reports.build_document import add_descriptions
    from milepost.reports.interface import Report
    from milepost.reports.target_views import hypotheses_view, junit, targets_on_terminal, targets_view
    from milepost.reports.text import EVERY

    settled = args.settled
    hypotheses = settled.folder.hypotheses if settled is not None else ()
    loaded = load(args, every_record=bool(hypotheses))
    play = loaded.play() if hypotheses else None
    measure = targets_of(args)
    document = (
        engine.measured_document(play, args.command, measure) if play else engine.document_of(loaded, args.command, measure)
    )
    report = cast("TargetsDocument", add_descriptions(document, loaded.course, args.min_players))
    if play:
        report["hypotheses"] = check_hypotheses(with_records(play), hypotheses)
    if args.format == "junit":
        write_text(junit(report), args.output)
    else:
        listed = args.format != "table" or args.output not in (None, "-")
        every = (args.columns or "").strip() == EVERY
        views = [*hypotheses_view(report), *(targets_view(report) if listed else targets_on_terminal(report, every))]
        write(args, Report(report, views, report["targets"]))
    return Exit.GATE_HIT if args.strict and report["missed"] else Exit.DONE
