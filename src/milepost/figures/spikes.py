"""Difficulty over the course: measured with its interval, what the surroundings lead one to expect, and what stands out."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from milepost.difficulty.row_types import SpikesRow
from milepost.figures.shared import MarkBatch, collect_marks, mark_legs_across, names_of_levels
from milepost.figures.style import Palette, Sheet, names_across, shorten
from milepost.numerics.intervals import Z95
from milepost.reports.document_types import SpikesDocument
from milepost.wording import listed

if TYPE_CHECKING:
    from matplotlib.axes import Axes

SHAPES = {"spike": ("^", "brick"), "dip": ("v", "water"), "step": (">", "lantern")}


def draw_spikes(sheet: Sheet, document: SpikesDocument) -> None:
    """Draw on an empty figure; levels with few players are hollow."""
    rows = points(document["levels"])
    sheet.title(
        finding(document),
        "Dots: difficulty of each level in logits with its 95 % interval, adjusted for who got there "
        "(hollow: too few players). Band: what the other levels lead one to expect.",
    )
    axes = sheet.axes(0.055, 0.21, 0.925, 0.65)
    axes.grid(axis="y", color=sheet.look.grid)
    _draw_band(axes, sheet.look, rows)
    with collect_marks(axes) as marks:
        for point in rows:
            _draw_level(axes, marks, sheet.look, point)
    names_across(axes, names_of_levels(document["course"], [row["level"] for row in document["levels"]]))
    mark_legs_across(axes, sheet.look, document["course"])
    axes.set_ylabel("difficulty (logits; higher is harder)", color=sheet.look.ink)


def finding(document: SpikesDocument) -> str:
    """Return a title on what stands out."""
    rows = document["levels"]
    sure = [row for row in rows if row["evidence"] != "weak"]
    by_kind = {kind: [shorten(row["level"], 20) for row in sure if row["kind"] == kind] for kind in SHAPES}
    hints = [shorten(row["level"], 20) for row in rows if row["kind"] != "none" and row["evidence"] == "weak"]
    parts = []
    if by_kind["spike"]:
        parts.append(f"{listed(by_kind['spike'][:4])} {'are spikes' if len(by_kind['spike']) > 1 else 'is a spike'}")
    if by_kind["dip"]:
        parts.append(f"{listed(by_kind['dip'][:3])} {'are dips' if len(by_kind['dip']) > 1 else 'is a dip'}")
    if by_kind["step"]:
        parts.append(f"it stays harder from {listed(by_kind['step'][:3])} on")
    if hints:
        parts.append(f"{listed(hints[:3])} may stand out, or not")
    return "; ".join(parts) or "No level stands out beyond the course's own unevenness"


class Point(NamedTuple):
    """A level that has a difficulty, at its place in the course."""

    place: int
    row: SpikesRow
    difficulty: float
    se: float
    expected: float
    excess_se: float

    @property
    def ends(self) -> tuple[float, float]:
        """The ends of its 95 % interval."""
        return self.difficulty - Z95 * self.se, self.difficulty + Z95 * self.se


def points(rows: Sequence[SpikesRow]) -> list[Point]:
    """The levels that have a difficulty."""
    placed = []
    for place, row in enumerate(rows):
        figures = row["difficulty"], row["se"], row["expected"], row["excess_se"]
        known = [value for value in figures if value is not None]
        if len(known) == len(figures):
            placed.append(Point(place, row, *known))
    return placed


def draw_difficulties(axes: Axes, look: Palette, document: SpikesDocument) -> None:
    """Difficulties with their intervals, small, over the line of what the surroundings lead one to expect."""
    rows = points(document["levels"])
    axes.step([point.place for point in rows], [point.expected for point in rows], where="mid", color=look.faint, linewidth=1)
    with collect_marks(axes) as marks:
        for point in rows:
            _draw_point(marks, look, point, 1.3, (5, 8))
    axes.grid(axis="y", color=look.grid)


def unit_of(document: SpikesDocument) -> str:
    """Return the unit of difficulty; in a game with next to no failures, it is the time that clearing takes."""
    return "logits" if document["basis"] == "tries" else "log time"


def _draw_band(axes: Axes, look: Palette, rows: list[Point]) -> None:
    place = [point.place for point in rows]
    middle = np.array([point.expected for point in rows])
    spread = Z95 * np.sqrt(np.maximum(0.0, np.array([point.excess_se**2 - point.se**2 for point in rows])))
    axes.fill_between(place, middle - spread, middle + spread, color=look.pale, alpha=0.6, linewidth=0, step="mid")
    axes.step(place, middle, where="mid", color=look.water, linewidth=1.2)


def _draw_point(marks: MarkBatch, look: Palette, point: Point, width: float, sizes: tuple[int, int]) -> str:
    """A difficulty and its interval, in one of two sizes, the larger where it stands out; the colour."""
    shape, role = SHAPES.get(point.row["kind"], ("o", "ink"))
    colour = look.of(role)
    face = look.paper if point.row["evidence"] == "too_few" else colour
    marks.plot([point.place] * 2, point.ends, color=colour, linewidth=width)
    marks.plot(point.place, point.difficulty, shape, color=colour, markerfacecolor=face, markersize=sizes[shape != "o"])
    return colour


def _draw_level(axes: Axes, marks: MarkBatch, look: Palette, point: Point) -> None:
    n, row = point.place, point.row
    colour = _draw_point(marks, look, point, 1.4, (7, 11))
    if row["kind"] != "none":
        above = row["kind"] != "dip"
        edge = point.ends[above]
        axes.annotate(
            f"{shorten(row['level'], 20)}\n{row['kind']}, {row['evidence']}",
            (n, edge),
            (0, 5 if above else -5),
            textcoords="offset points",
            ha="center",
            va="bottom" if above else "top",
            fontsize=10,
            color=colour,
        )
