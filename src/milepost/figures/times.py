"""Time in level as a figure: when players cleared, and when those who did not had stopped."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.figures.shared import Cell, MarkBatch, collect_marks, draw_cells
from milepost.figures.style import Palette, Sheet, names_down, shorten
from milepost.measures.times import TimesRow
from milepost.reports.document_types import TimesDocument
from milepost.wording import plural, seconds

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_TICKS = (1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 1800, 3600, 7200, 21600, 86400)
_NO_LABELS = 40  # levels from which the medians are not written
_LINE = 0.27  # how far below its level's middle the line of quantiles lies


def draw_times(sheet: Sheet, document: TimesDocument) -> None:
    """Draw on an empty figure: a row a level, time on a logarithmic scale."""
    rows = document["levels"]
    sheet.title(
        finding(document),
        "Shape: players by active time to clear. Below it from 25 to 75 % (thick) and 10 to 90 % (thin), dot: half have cleared "
        "(hollow: few players). Red circles: not cleared when they stopped.",
    )
    axes = sheet.axes(0.17, 0.06, 0.69, 0.82)
    low = _draw_scale(axes, sheet.look, rows)
    names_down(axes, [row["level"] for row in rows])
    draw_cells(axes, [cell for place, row in enumerate(rows) for cell in _shape(place, row)], sheet.look.pale)
    with collect_marks(axes) as marks:
        for place, row in enumerate(rows):
            _draw_quantiles(marks, sheet.look, place, row, document["min_players"])
            _draw_stopped(marks, sheet.look, place, row, low)
    for place, row in enumerate(rows):
        if len(rows) < _NO_LABELS:
            axes.annotate(
                _word_clears(row),
                (1.0, place),
                (8, 0),
                xycoords=axes.get_yaxis_transform(),
                textcoords="offset points",
                va="center",
                fontsize=8.5,
                color=sheet.look.ink,
            )


def finding(document: TimesDocument) -> str:
    """Return a title on the level that takes longest."""
    least = document["min_players"]
    judged = [row for row in document["levels"] if row["timed"] >= max(1, least)]
    if not judged:
        return "Too few players were timed in a level to say how long it takes"
    worst = max(judged, key=lambda row: (row["p50"] is None, row["p50"] or row["p25"] or 0.0))
    until = f"half have cleared after {seconds(worst['p50'])}" if worst["p50"] else "fewer than half ever cleared it"
    open_ended = f", {worst['censored']} of {worst['timed']} had not when they stopped" if worst["censored"] else ""
    return f"{shorten(worst['level'], 26)} takes longest: {until}{open_ended or ' (' + plural(worst['timed'], 'player') + ')'}"


def _shape(place: int, row: TimesRow) -> list[Cell]:
    """The cells of a level's distribution: the more players cleared in a part, the higher."""
    most = max([part["cleared"] for part in row["distribution"]] + [1])
    foot = place + 0.1
    parts = [part for part in row["distribution"] if part["cleared"]]
    return [(part["from"], part["to"], foot, foot - 0.52 * part["cleared"] / most) for part in parts]


def _draw_quantiles(marks: MarkBatch, look: Palette, place: int, row: TimesRow, least: int) -> None:
    if not row["timed"]:
        return
    last = max([part["to"] for part in row["distribution"]] + [1.0])
    p10, p25, p75, p90 = (last if quantile is None else quantile for quantile in (row["p10"], row["p25"], row["p75"], row["p90"]))
    marks.plot([p10, p90], [place + _LINE] * 2, color=look.water, linewidth=0.8)
    marks.plot([p25, p75], [place + _LINE] * 2, color=look.water, linewidth=3, solid_capstyle="butt")
    if row["p50"] is not None:
        few = row["timed"] < least
        marks.plot(
            row["p50"],
            place + _LINE,
            "o",
            markersize=5,
            markeredgecolor=look.ink,
            markerfacecolor=look.paper if few else look.ink,
        )


def _draw_stopped(marks: MarkBatch, look: Palette, place: int, row: TimesRow, low: float) -> None:
    """Players who had not cleared, by the time they had spent; those left of the scale stand at its edge."""
    for part in row["distribution"]:
        if part["censored"]:
            middle = max(low * 1.03, (part["from"] * part["to"]) ** 0.5)
            marks.plot(
                middle,
                place + _LINE,
                "o",
                markersize=3 + min(5.0, 0.7 * part["censored"]),
                markerfacecolor=look.paper,
                markeredgecolor=look.brick,
                markeredgewidth=1.2,
                clip_on=False,
            )


def _word_clears(row: TimesRow) -> str:
    if not row["timed"]:
        return "nobody was timed"
    half = seconds(row["p50"]) if row["p50"] is not None else "not half"
    return half + (f"; {row['censored']} of {row['timed']} not" if row["censored"] else f"; {plural(row['timed'], 'player')}")


def _draw_scale(axes: Axes, look: Palette, rows: list[TimesRow]) -> float:
    """The time axis, over all times at which somebody cleared; its beginning."""
    parts = [part for row in rows for part in row["distribution"]]
    cleared = [part for part in parts if part["cleared"]] or parts
    low: float = min([part["from"] for part in cleared] + [1.0] * (not parts))
    high = max([part["to"] for part in parts] + [60.0] * (not parts))
    axes.set_xscale("log")
    axes.set_xlim(low * 0.95, high * 1.05)
    shown = [tick for tick in _TICKS if low <= tick <= high]
    axes.set_xticks(shown, [seconds(float(tick)) for tick in shown], fontsize=9)
    axes.set_xticks([], minor=True)
    axes.grid(axis="x", color=look.grid, linewidth=0.8)
    return low
