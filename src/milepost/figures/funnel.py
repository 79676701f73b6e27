"""The funnel as a figure: who reached and cleared each level, and why players stopped there."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from milepost.figures.shared import draw_cells, mark_legs_down, names_of_levels
from milepost.figures.style import Palette, Sheet, heading, label_size, names_down, shorten
from milepost.measures.funnel import count_stopped_by
from milepost.reports.document_types import FunnelDocument, FunnelOrRawRow
from milepost.vocabulary import END_CAUSES
from milepost.wording import percent, plural, words

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_LOST = {"quit", "unknown"}


def draw_funnel(sheet: Sheet, document: FunnelDocument) -> None:
    """Draw on an empty figure.

    Args:
        sheet: where to draw.
        document: the funnel's document.
    """
    rows = document["levels"]
    causes = [cause for cause in END_CAUSES if any(count_stopped_by(row, cause) for row in rows)]
    sheet.title(
        finding(document),
        "Bars: players who reached (pale) and cleared (strong) a level. Right: players who "
        "stopped there, by how their last session ended; red counts as lost.",
    )
    left, right, top, bottom = 0.17, 0.975, 0.828, 0.03
    lanes = max(1, len(causes))
    split = right - 0.075 * lanes
    bars = sheet.axes(left, bottom, split - left - 0.02, top - bottom)
    stops = sheet.axes(split, bottom, right - split, top - bottom, sharey=bars)
    _draw_bars(bars, sheet.look, rows, names_of_levels(document["course"], [row["level"] for row in rows]))
    mark_legs_down(bars, sheet.look, document["course"])
    _draw_stops(stops, sheet.look, rows, causes)


def finding(document: FunnelDocument) -> str:
    """Return a title on the funnel."""
    rows, players = document["levels"], document["players"]
    if not rows or not players:
        return "Nobody played a level of the course"
    if "ended_here" in rows[0]:
        middle = shorten(rows[_halfway(rows)]["level"], 30)
        return f"Half of {plural(players, 'player')} got to {middle} or beyond; there is no last level"
    worst = max(rows, key=lambda row: (row["lost"] or 0, -row["reached"]))
    end = f"{rows[-1]['cleared']} of {plural(players, 'player')} cleared the last level"
    if "legs" in document:
        end = f"{document['legs'][-1]['done']} of {plural(players, 'player')} got through the last leg"
    if not worst["lost"]:
        return f"{end}; nobody was lost on the way"
    low, high = percent(worst["drop_off_low"]).removesuffix(" %"), percent(worst["drop_off_high"])
    return f"{end}; most were lost at {shorten(worst['level'], 30)}: {worst['lost']} of {worst['reached']} ({low}–{high})"


def _halfway(rows: Sequence[FunnelOrRawRow]) -> int:
    """The furthest level that half of the players reached."""
    most = rows[0]["reached"]
    return max(place for place, row in enumerate(rows) if 2 * row["reached"] >= most)


def _draw_bars(axes: Axes, look: Palette, rows: Sequence[FunnelOrRawRow], names: Sequence[str]) -> None:
    places = range(len(rows))
    most = max([row["reached"] for row in rows] + [1])
    axes.barh(places, [row["reached"] for row in rows], color=look.pale, height=0.74)
    axes.barh(places, [row["cleared"] for row in rows], color=look.water, height=0.74)
    size = label_size(len(rows))
    for place in names_down(axes, names):
        row = rows[place]
        axes.text(
            row["reached"] + most * 0.008,
            place,
            f"{row['cleared']} of {row['reached']}",
            va="center",
            fontsize=size * 0.9,
            color=look.ink,
        )
    axes.set_xlim(0, most * 1.12)
    axes.set_xticks([])
    heading(axes, "cleared of reached", look)


def _draw_stops(axes: Axes, look: Palette, rows: Sequence[FunnelOrRawRow], causes: list[str]) -> None:
    axes.tick_params(labelleft=False)
    most = max([count_stopped_by(row, cause) for row in rows for cause in causes] + [1])
    for lane, cause in enumerate(causes):
        colour = look.brick if cause in _LOST else look.faint
        axes.axvline(lane, color=look.grid, linewidth=1)
        counts = [count_stopped_by(row, cause) for row in rows]
        ends = [(lane, lane + 0.5 * count / most, n - 0.37, n + 0.37) for n, count in enumerate(counts) if count]
        draw_cells(axes, ends, colour)
        for place, count in enumerate(counts):
            if count:
                axes.text(
                    lane + 0.5 * count / most + 0.05, place, str(count), va="center", fontsize=label_size(len(rows)), color=colour
                )
        axes.text(lane, -0.9, f"{words(cause)}\n{sum(counts)}", fontsize=10.5, color=colour, va="bottom")
    axes.set_xlim(-0.05, max(1, len(causes)))
    axes.set_xticks([])
