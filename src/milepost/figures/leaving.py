"""Leaving as a figure: the chance to leave after the first, second, … failure, and by minutes, with intervals and counts."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, cast

from milepost.figures.style import Palette, Sheet, heading
from milepost.measures.leaving import FEW_LEAVINGS, LeavingFigures, MinutesRow, StreakRow, makes_a_curve
from milepost.reports.document_types import LeavingDocument
from milepost.wording import percent, plural

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def draw_leaving(sheet: Sheet, document: LeavingDocument) -> None:
    """Draw on an empty figure."""
    sheet.title(
        finding(document),
        "Dots: share of tries after which, or during which, a player left for good, with 95 % intervals; below: how many, of how "
        "many tries.",
    )
    left = sheet.axes(0.07, 0.16, 0.42, 0.66)
    right = sheet.axes(0.56, 0.16, 0.42, 0.66, sharey=left)
    names = ["a clear", *(str(n) for n in range(1, 5)), "5 or more"]
    _draw(left, sheet.look, document["streaks"], names, "after so many failures at the level")
    spans = [f"{row['from']}–{row['to']}" if row["to"] is not None else f"{row['from']} on" for row in document["minutes"]]
    _draw(right, sheet.look, document["minutes"], spans, "after so many active minutes of the session")
    left.set_ylabel("chance to leave", color=sheet.look.ink)
    left.set_ylim(0, min(1.0, 1.15 * max(_highest(document["streaks"]), _highest(document["minutes"]), 0.05)))


def finding(document: LeavingDocument) -> str:
    """Return a title on when players leave."""
    rows = document["streaks"]
    if not makes_a_curve(rows):
        return f"{plural(document['leavings'], 'player')} left for good: fewer than {FEW_LEAVINGS} make no curve"
    judged = [row for row in rows if row["streak"] and row["left_share"] is not None and row["tries"] >= FEW_LEAVINGS]
    first = next((row for row in rows if row["streak"] == 1), None)
    worst = max(judged, key=lambda row: row["left_share"] or 0.0, default=None)
    if worst is None or first is None or first["left_share"] is None:
        return f"{plural(document['leavings'], 'player')} left for good"
    more = f"{worst['streak']} or more failures" if worst["streak"] == 5 else plural(worst["streak"], "failure")
    return f"After a first failure {percent(first['left_share'])} leave for good; after {more}, {percent(worst['left_share'])}"


def _highest(rows: Sequence[LeavingFigures]) -> float:
    return max((row["left_share_high"] or 0.0 for row in rows if row["tries"] >= FEW_LEAVINGS), default=0.0)


def _draw(axes: Axes, look: Palette, rows: Sequence[StreakRow] | Sequence[MinutesRow], names: Sequence[str], title: str) -> None:
    for place, row in enumerate(cast("Sequence[LeavingFigures]", rows)):
        value, low, high = row["left_share"], row["left_share_low"], row["left_share_high"]
        if value is not None and low is not None and high is not None:
            few = row["tries"] < FEW_LEAVINGS
            axes.plot([place, place], [low, high], color=look.faint if few else look.brick, linewidth=1.4)
            axes.plot(place, value, "o", color=look.brick, markerfacecolor=look.paper if few else look.brick, markersize=8)
    labels = [
        f"{name}\n{row['left'] + row['left_mid']} of {row['tries'] - row['cut_off'] + row['left_mid']}"
        for name, row in zip(names, cast("Sequence[LeavingFigures]", rows), strict=True)
    ]
    axes.set_xticks(range(len(labels)), labels, fontsize=10)
    axes.set_xlim(-0.6, len(labels) - 0.4)
    axes.yaxis.set_major_formatter(lambda value, _: percent(value))
    axes.grid(axis="y", color=look.grid)
    heading(axes, title, look)
