"""Attempts to clear as a figure: who has not cleared after so many tries, over the course and level by level."""

from __future__ import annotations

from itertools import zip_longest
from typing import TYPE_CHECKING

import numpy as np

from milepost.arrays import Floats
from milepost.figures.shared import MarkBatch, collect_marks, draw_cells, mark_legs_down
from milepost.figures.style import Palette, Sheet, heading, names_down, shorten
from milepost.measures.attempts import AttemptsRow
from milepost.reports.document_types import AttemptsDocument
from milepost.wording import percent, plural

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_MOST_TRIES = 12  # columns of the strip; the last stands for all beyond
_MOST_SMALL = 30  # levels that get a curve of their own


def draw_attempts(sheet: Sheet, document: AttemptsDocument) -> None:
    """Draw on an empty figure: a strip of the whole course, and survival steps of each level where there is room."""
    rows = document["levels"]
    small = 0 < len(rows) <= _MOST_SMALL
    beside = (
        ". Right: the same as a curve for each level; open circles are players who had not cleared when they stopped"
        if small
        else ""
    )
    sheet.title(
        finding(document),
        f"Strip: share of players who have not cleared yet after 1, 2, 3 … tries, the stronger the more{beside}.",
    )
    strip = sheet.axes(0.17, 0.06, 0.27 if small else 0.75, 0.79)
    _draw_strip(strip, sheet.look, rows)
    mark_legs_down(strip, sheet.look, document["course"])
    if small:
        _draw_curves(sheet.axes(0.49, 0.03, 0.5, 0.83), sheet.look, rows, document["min_players"])


def finding(document: AttemptsDocument) -> str:
    """Return a title on the level with the most tries."""
    least = document["min_players"]
    judged = [row for row in document["levels"] if row["players"] >= max(1, least)]
    if not judged:
        return "Too few players tried a level to say how many tries it takes"
    worst = min(judged, key=lambda row: (row["try_clear"], -row["players"]))
    half = (
        f"half of the players need {plural(worst['p50'], 'try', 'tries')} or fewer"
        if worst["p50"]
        else "half of the players never cleared it"
    )
    return (
        f"{shorten(worst['level'], 26)} takes the most tries: a try clears {percent(worst['try_clear'])} of the time, "
        f"{half} ({plural(worst['players'], 'player')})"
    )


def shares_unsolved(row: AttemptsRow, tries: int) -> Floats:
    """Shares that have not cleared after 1, 2, … tries, as far as players went; the rest is NaN."""
    shares = np.full(tries, np.nan)
    for step in row["distribution"][:tries]:
        shares[step["k"] - 1] = step["survival"]
    return shares


def _draw_strip(axes: Axes, look: Palette, rows: list[AttemptsRow]) -> None:
    columns = min(_MOST_TRIES, max([len(row["distribution"]) for row in rows] + [1]))
    shares = np.array([shares_unsolved(row, columns) for row in rows]).reshape(-1, columns)
    shown = np.argwhere(~np.isnan(shares)).tolist()
    cells = [(k + 0.53, k + 1.47, place - 0.42, place + 0.42) for place, k in shown]
    draw_cells(axes, cells, look.water, [0.04 + 0.96 * float(shares[place, k]) for place, k in shown])
    with collect_marks(axes) as marks:
        for place, row in enumerate(rows):
            half = row["p50"]
            if half and half <= columns:
                marks.plot([half - 0.47, half + 0.47], [place + 0.42] * 2, color=look.lantern, linewidth=2.2)
    names_down(axes, [row["level"] for row in rows])
    axes.set_xlim(0.4, columns + 0.6)
    axes.set_xticks(range(1, columns + 1))
    heading(axes, "not cleared after so many tries; orange: half have", look)


def _draw_curves(axes: Axes, look: Palette, rows: list[AttemptsRow], least: int) -> None:
    """Small multiples on one pair of axes: a cell is 1 wide and 1 high."""
    across = max(1, int(np.ceil(np.sqrt(len(rows) * 0.9))))
    down = -(-len(rows) // across)
    most = max([len(row["distribution"]) for row in rows] + [2])
    marks = MarkBatch()
    for number, row in enumerate(rows):
        left, top = number % across, number // across
        few = row["players"] < least
        _draw_curve(marks, look, row, (left, top + 0.93, 0.86 / most, 0.58), few)
        size = min(9.0, 45 / across)
        axes.text(left, top + 0.1, shorten(row["level"], max(9, 84 // across)), fontsize=size, color=look.ink, va="center")
        axes.text(left, top + 0.23, _counts(row), fontsize=size * 0.88, color=look.faint, va="center")
    marks.draw_on(axes)
    axes.set_xlim(-0.02, across)
    axes.set_ylim(down, 0)
    axes.set_xticks([])
    axes.set_yticks([])


def _counts(row: AttemptsRow) -> str:
    return f"{row['players']}, {row['censored']} not cleared" if row["censored"] else f"{row['players']} players"


def _draw_curve(marks: MarkBatch, look: Palette, row: AttemptsRow, place: tuple[float, float, float, float], few: bool) -> None:
    """A survival curve from (0, 1) on, drawn at a place: left, floor, width of a try, height."""
    left, floor, width, height = place
    steps = row["distribution"]
    x = [0.0, *(float(step["k"]) for step in steps)]
    y = [1.0, *(step["survival"] for step in steps)]
    across = [left + width * value for value in x]
    up = [floor - height * value for value in y]
    marks.plot([left, left + 0.86], [floor, floor], color=look.grid, linewidth=1)
    width_of_line, dashes = (1.2, ":") if few else (1.8, "-")
    marks.plot(across, up, drawstyle="steps-post", color=look.water, linewidth=width_of_line, linestyle=dashes)
    for step, following in zip_longest(steps, steps[1:]):
        cut = step["at_risk"] - step["cleared"] - (following["at_risk"] if following else 0)
        if cut:
            marks.plot(
                left + width * step["k"],
                floor - height * step["survival"],
                "o",
                markersize=3 + min(4.0, 0.5 * cut),
                markerfacecolor=look.paper,
                markeredgecolor=look.brick,
                markeredgewidth=1.2,
            )
