"""The course in a small picture, for the first screen of a report: who is still there, and what stands out."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

from milepost.figures.overview import finding as finding_of_course
from milepost.figures.shared import Retained, draw_retention, mark_legs_across, names_of_levels, share_axis
from milepost.figures.spikes import SHAPES, draw_difficulties, points, unit_of
from milepost.figures.style import Palette, Sheet, heading, names_across, shorten
from milepost.reports.document_types import ReportDocument

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def draw_thumbnail(sheet: Sheet, document: ReportDocument) -> None:
    """Draw on an empty figure, without a title: the page says what it shows."""
    upper = sheet.axes(0.085, 0.66, 0.9, 0.28)
    lower = sheet.axes(0.085, 0.245, 0.9, 0.335, sharex=upper)
    rows = document["funnel"]["levels"]
    share_axis(upper, sheet.look)
    if rows and rows[0]["retention"] is not None:
        draw_retention(upper, sheet.look, cast("list[Retained]", rows), document["min_players"])
        planned = document["planned_retention"]
        upper.plot(range(len(planned)), planned, color=sheet.look.lantern, linewidth=1.6)
    heading(upper, "still playing after a level" + ("; orange: as planned" if document["planned_retention"] else ""), sheet.look)
    upper.tick_params(labelbottom=False)
    _draw_difficulty(lower, sheet.look, document)
    names_across(lower, names_of_levels(document["course"], document["course"]["levels"]))
    for axes in (upper, lower):
        mark_legs_across(axes, sheet.look, document["course"])


def finding(document: ReportDocument) -> str:
    """Return a title on who got through, and what stands out."""
    return finding_of_course(document)


def _draw_difficulty(axes: Axes, look: Palette, document: ReportDocument) -> None:
    draw_difficulties(axes, look, document["spikes"])
    for point in points(document["spikes"]["levels"]):
        if point.row["kind"] == "none":
            continue
        up = point.row["kind"] != "dip"
        axes.annotate(
            shorten(point.row["level"], 16),
            (point.place, point.ends[up]),
            (0, 5 if up else -5),
            textcoords="offset points",
            va="bottom" if up else "top",
            ha="center",
            fontsize=9,
            fontweight="bold",
            color=look.of(SHAPES[point.row["kind"]][1]),
        )
    axes.margins(y=0.22)
    heading(axes, f"difficulty in {unit_of(document['spikes'])}; line: as its surroundings lead one to expect", look)
