"""From a report to the place and form asked for."""

from __future__ import annotations

import argparse

from milepost.cli import terminal
from milepost.measures.interface import Table
from milepost.output import write_text
from milepost.playback.play import Play
from milepost.reports import views
from milepost.reports.document import document
from milepost.reports.formats import render
from milepost.reports.interface import Report


def show(args: argparse.Namespace, play: Play, table: Table) -> None:
    """Write a measure's report as the arguments ask."""
    report = document(args.command, play, table)
    view = getattr(views, f"{args.command}_view")(report)
    write(args, Report(report, [view], report["levels"]))


def write(args: argparse.Namespace, report: Report) -> None:
    """Write a finished report as the arguments ask."""
    text = render(report, args.format, terminal.width(), terminal.has_colour(args.output))
    write_text(text, args.output)


def draw(args: argparse.Namespace, play: Play, table: Table) -> None:
    """Draw the measure's figure if one is asked for."""
    if not args.figure:
        return
    from milepost.figures.draw import draw_to

    draw_to(args.figure, args.command, document(args.command, play, table))
