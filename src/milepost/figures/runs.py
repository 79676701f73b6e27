"""Runs as a figure: the share that reaches each level, and what comes of the first, the second and further runs."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from milepost.figures.style import Palette, Sheet, heading, label_size, names_down, shorten
from milepost.measures.run_lengths import RunsRow
from milepost.reports.document_types import RunsDocument
from milepost.wording import number, percent, plural

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_MOST_NUMBERS: Final = 12


def draw_runs(sheet: Sheet, document: RunsDocument) -> None:
    """Draw on an empty figure: levels down with the share of runs that gets there, run numbers across."""
    sheet.title(
        finding(document),
        "Left: the share of runs that gets to a level, had none been cut short, with its 95 % "
        "interval. Right: the furthest level of first, second … runs, by the median.",
    )
    reach = sheet.axes(0.17, 0.06, 0.42, 0.768)
    later = sheet.axes(0.68, 0.09, 0.3, 0.738)
    _draw_reach(reach, sheet.look, document["levels"])
    _draw_numbers(later, sheet.look, document)


def finding(document: RunsDocument) -> str:
    """How far runs get, in a sentence."""
    rows, runs = document["levels"], document["runs"]
    if not rows or not runs:
        return "No run reached a level of the course"
    won = document["ends"]["won"]
    text = f"{plural(won, 'run')} of {number(runs)} won" if won else f"None of {plural(runs, 'run')} was won"
    worst = max(rows, key=_stopped)
    if not _stopped(worst):
        return text
    return f"{text}; most ended at {shorten(worst['level'], 30)}: {_stopped(worst)} of {worst['reached']}"


def _stopped(row: RunsRow) -> int:
    return sum(count for cause, count in row["ended"].items() if cause != "won")


def _draw_reach(axes: Axes, look: Palette, rows: list[RunsRow]) -> None:
    shares = [row["share"] or 0.0 for row in rows]
    axes.barh(range(len(rows)), shares, color=look.pale, height=0.74)
    size = label_size(len(rows))
    for place in names_down(axes, [row["level"] for row in rows]):
        row = rows[place]
        if row["share_low"] is not None and row["share_high"] is not None:
            axes.plot([row["share_low"], row["share_high"]], [place, place], color=look.water, linewidth=1.6)
        label = f"{percent(row['share'])}, {number(row['reached'])} runs"
        axes.text(1.02, place, label, va="center", fontsize=size * 0.9, color=look.ink)
    axes.plot(shares, range(len(rows)), "o", color=look.water, markersize=4)
    axes.set_xlim(0, 1.3)
    axes.set_xticks([])
    heading(axes, "runs that get here", look)


def _draw_numbers(axes: Axes, look: Palette, document: RunsDocument) -> None:
    rows = document["by_number"][:_MOST_NUMBERS]
    furthest = [row["furthest_p50"] or 0.0 for row in rows]
    axes.bar(range(len(rows)), furthest, color=look.pale, width=0.74)
    top = max([*furthest, 1.0])
    for place, row in enumerate(rows):
        label = f"{row['furthest_p50'] or 0.0:g}"
        axes.text(place, furthest[place] - top * 0.015, label, ha="center", va="top", fontsize=11, color=look.water)
        won = f"\n{row['won']} won" if row["won"] else ""
        label = f"{number(row['runs'])}{won}"
        axes.text(place, furthest[place] + top * 0.01, label, ha="center", va="bottom", fontsize=10, color=look.ink)
    axes.set_xticks(range(len(rows)), [str(row["number"]) for row in rows])
    axes.set_ylim(0, top * 1.15)
    axes.set_yticks([])
    axes.set_xlabel("which run of its player; above: how many runs", color=look.ink)
    heading(axes, "furthest level, by run number", look)
