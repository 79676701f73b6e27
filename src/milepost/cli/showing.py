"""From a measure to the place and form asked for: whole or by groups, with its figure."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from milepost.cli import terminal
from milepost.cli.exits import Exit
from milepost.cli.loading import Loaded, load
from milepost.measures.interface import Table
from milepost.output import write_text
from milepost.playback.play import Play
from milepost.reports.document import described, document
from milepost.reports.formats import render
from milepost.reports.grouped import grouped_document, grouped_rows, grouped_view
from milepost.reports.interface import Report
from milepost.reports.registry import VIEWS

if TYPE_CHECKING:
    from milepost.figures.draw import Paper


def measured(args: argparse.Namespace, measure: Callable[[Play], Table], loaded: Loaded | None = None) -> Exit:
    """Load, measure, draw and show, as the arguments ask."""
    loaded = loaded or load(args)
    if getattr(args, "by", None):
        return _by_groups(args, measure, loaded)
    play = loaded.play()
    report = described(document(args.command, play, measure(play)), loaded.course, args.min_players)
    draw(args, report)
    views = VIEWS[args.command](report)
    write(args, Report(report, views, report.get(ROWS.get(args.command, "levels"), [])))
    return Exit.DONE


ROWS = {"moves": "moves"}  # the key of the rows that a plain table has, where it is not `levels`


def _by_groups(args: argparse.Namespace, measure: Callable[[Play], Table], loaded: Loaded) -> Exit:
    documents = [
        (value, described(document(args.command, play, measure(play)), loaded.course, args.min_players))
        for value, play in loaded.grouped(args.by)
    ]
    report = grouped_document(args.command, args.by, documents)
    key = ROWS.get(args.command, "levels")
    write(args, Report(report, [grouped_view(report)], grouped_rows(report, key)))
    return Exit.DONE


def write(args: argparse.Namespace, report: Report) -> None:
    """Write a finished report as the arguments ask."""
    text = render(report, args.format, terminal.width(), terminal.has_colour(args.output))
    write_text(text, args.output)


def draw(args: argparse.Namespace, report: dict[str, Any]) -> None:
    """Draw the measure's figure if one is asked for."""
    if getattr(args, "figure", None):
        from milepost.figures.draw import draw_to

        draw_to(args.figure, args.command, report, paper(args))


def paper(args: argparse.Namespace) -> Paper:
    """What the arguments ask to draw on."""
    from milepost.figures.draw import Paper
    from milepost.figures.style import DARK, LIGHT, SIZE

    return Paper(args.size or SIZE, DARK if args.dark else LIGHT)
