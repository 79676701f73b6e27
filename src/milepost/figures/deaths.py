"""Deaths as a figure: where in each level, and what of."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from milepost.figures.shared import draw_cells
from milepost.figures.style import Palette, Sheet, heading, label_size, names_down, shorten
from milepost.measures.deaths import BINS, DeathsRow
from milepost.reports.document_types import DeathsDocument
from milepost.wording import plural

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_MOST_LABELS = 60
_CAUSES = 4


def draw_deaths(sheet: Sheet, document: DeathsDocument) -> None:
    """Draw on an empty figure: a row a level, shades for tenths of the level, causes beside it."""
    rows = document["levels"]
    sheet.title(
        finding(document),
        "Left: deaths by tenths of the level, the stronger the more; the number is all deaths there, "
        "of which some may have no place logged. Right: deaths by cause.",
    )
    bottom, top = 0.06, 0.85
    places = sheet.axes(0.17, bottom, 0.42, top - bottom)
    causes = sheet.axes(0.66, bottom, 0.32, top - bottom, sharey=places)
    _draw_places(places, sheet.look, rows)
    _draw_causes(causes, sheet.look, rows)


def finding(document: DeathsDocument) -> str:
    """Return a title on the main cause of death."""
    deadly = [row for row in document["levels"] if row["deaths"]]
    if not deadly:
        return "Nobody died in a level of the course"
    worst = max(deadly, key=lambda row: (row["per_player_reached"] or 0, row["deaths"]))
    cause = next(iter(worst["causes"]), None)
    cause_text = f", most of {shorten(cause, 20)} ({worst['causes'][cause]['deaths']})" if cause is not None else ""
    deaths, players = plural(worst["deaths"], "death"), plural(worst["reached"], "player")
    return f"{shorten(worst['level'], 26)} kills most: {deaths} of {players}{cause_text}"


def _draw_places(axes: Axes, look: Palette, rows: list[DeathsRow]) -> None:
    grid = np.array([row["progress"] for row in rows], dtype=float).reshape(len(rows), BINS)
    most = max(1.0, grid.max(initial=0.0))
    filled = np.argwhere(grid > 0).tolist()
    cells = [(place + 0.04, place + 0.96, level - 0.4, level + 0.4) for level, place in filled]
    draw_cells(axes, cells, look.brick, [0.15 + 0.85 * float(grid[level, place]) / most for level, place in filled])
    for n in names_down(axes, [row["level"] for row in rows]):
        axes.text(BINS + 0.2, n, str(rows[n]["deaths"]), va="center", fontsize=label_size(len(rows)), color=look.ink)
    axes.set_xlim(0, BINS + 1.2)
    axes.set_xticks([0, BINS / 2, BINS], ["start", "half way", "end"])
    heading(axes, "where in the level", look)


def _draw_causes(axes: Axes, look: Palette, rows: list[DeathsRow]) -> None:
    axes.tick_params(labelleft=False)
    most = max([row["deaths"] for row in rows] + [1])
    size = label_size(len(rows)) * 0.9
    draw_cells(axes, [(0, row["deaths"], n - 0.37, n + 0.37) for n, row in enumerate(rows)], look.pale)
    for level, row in enumerate(rows):
        named = [f"{shorten(cause, 12)} {figures['deaths']}" for cause, figures in list(row["causes"].items())[:_CAUSES]]
        if len(rows) <= _MOST_LABELS and named:
            axes.text(most * 0.01, level, ", ".join(named), va="center", fontsize=size, color=look.ink)
    axes.set_xlim(0, most * 1.05)
    heading(axes, "deaths by cause", look)
