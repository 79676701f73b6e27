"""The course at a glance: who is still there, where and why players stop, tries, time and difficulty, one above the other."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

import numpy as np

from milepost.difficulty.row_types import SpikesRow
from milepost.difficulty.spike_sentences import costliest_first
from milepost.figures.shared import MarkBatch, Retained, collect_marks, draw_retention, names_at_ends, share_axis
from milepost.figures.spikes import SHAPES, draw_difficulties, unit_of
from milepost.figures.style import Palette, Sheet, names_across, shorten
from milepost.measures.funnel import count_stopped_by
from milepost.reports.document_types import ReportDocument
from milepost.vocabulary import END_CAUSES
from milepost.wording import listed, percent, plural, seconds

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_LOST = ("quit", "unknown")
_OTHER = tuple(cause for cause in END_CAUSES if cause not in _LOST)
_LEFT, _WIDTH = 0.075, 0.765
_LINES, _LETTER = 3, 0.0078  # lines of names above, and a letter's width as a share of the axes
_TICKS = (1, 2, 5, 10, 20, 60, 120, 300, 600, 1800, 3600, 14400)


def draw_overview(sheet: Sheet, document: ReportDocument) -> None:
    """Draw on an empty figure.

    Args:
        sheet: where to draw.
        document: the report's document, with the documents of the funnel, attempts, times and spikes in it.
    """
    names = document["course"]["levels"]
    sheet.title(
        finding(document),
        "Levels from left to right. Orange: the plan. Hollow: few players. Bars and bands: 95 % intervals; for time, "
        "25 to 75 % of players.",
    )
    parts = [(_draw_stay, 0.155), (_draw_stops, 0.09), (_draw_tries, 0.115), (_draw_time, 0.095), (_draw_difficulty, 0.115)]
    top, first = 0.83, None
    for draw, height in parts:
        axes = sheet.axes(_LEFT, top - height, _WIDTH, height, sharex=first)
        first = first or axes
        draw(axes, sheet.look, document)
        _mark(axes, sheet.look, document["spikes"]["levels"])
        axes.tick_params(labelbottom=False)
        top -= height + 0.016
    names_across(axes, names)
    axes.tick_params(labelbottom=True)
    _name_marks(first or axes, sheet.look, document["spikes"]["levels"])


def finding(document: ReportDocument) -> str:
    """Return a title on who got through, and what stands out."""
    rows, players = document["funnel"]["levels"], document["players"]
    if not rows or not players:
        return "Nobody played a level of the course"
    judged = [row for row in costliest_first(document["spikes"]["levels"]) if row["evidence"] != "weak"]
    spikes = [shorten(row["level"], 20) for row in judged if row["kind"] != "dip"]
    end = f"{rows[-1]['cleared']} of {plural(players, 'player')} cleared the last level"
    return (
        f"{end}; {listed(spikes[:3])} stand{'s' if len(spikes) == 1 else ''} out as too hard"
        if spikes
        else f"{end}; no level stands out as too hard"
    )


def _name(axes: Axes, look: Palette, text: str) -> None:
    """Draw the name of a part, to its right."""
    axes.text(1.012, 0.96, text, transform=axes.transAxes, fontsize=9.5, color=look.ink, va="top", linespacing=1.35)


def _mark(axes: Axes, look: Palette, rows: list[SpikesRow]) -> None:
    """Lines through the levels that stand out."""
    for n, row in enumerate(rows):
        if row["kind"] != "none":
            axes.axvline(n, color=look.of(SHAPES[row["kind"]][1]), linewidth=0.9, linestyle=":", zorder=0)


def _name_marks(axes: Axes, look: Palette, rows: list[SpikesRow]) -> None:
    """The names of the levels that stand out, above; each in the lowest line where it touches no other."""
    ends = [-1.0] * _LINES
    for n, row in enumerate(rows):
        if row["kind"] == "none":
            continue
        text = f"{shorten(row['level'], 16)}: {row['kind']}"
        middle, half = (n + 0.7) / (len(rows) + 0.4), _LETTER * len(text) / 2
        line = next((line for line, end in enumerate(ends) if end < middle - half), None)
        if line is None:
            continue  # it has its line through the course, and its name below
        ends[line] = middle + half
        axes.annotate(
            text,
            (n, 1.0),
            (0, 4 + 12 * line),
            xycoords=("data", "axes fraction"),
            textcoords="offset points",
            va="bottom",
            ha="center",
            fontsize=9,
            color=look.of(SHAPES[row["kind"]][1]),
            fontweight="bold",
        )


def _draw_stay(axes: Axes, look: Palette, document: ReportDocument) -> None:
    rows, planned = document["funnel"]["levels"], document["planned_retention"]
    share_axis(axes, look)
    if not rows:
        return
    if rows[0]["retention"] is None:  # a course without an end
        return
    draw_retention(axes, look, cast("list[Retained]", rows), document["min_players"])
    ends = [(rows[-1]["retention"] or 0.0, f"still there: {percent(rows[-1]['retention'])}", look.water)]
    if planned:
        axes.plot(range(len(planned)), planned, color=look.lantern, linewidth=1.6)
        ends.append((planned[-1], f"as planned: {percent(planned[-1])}", look.lantern))
    names_at_ends(axes, len(rows) - 1, ends, 0.13)


def _draw_stops(axes: Axes, look: Palette, document: ReportDocument) -> None:
    rows = document["funnel"]["levels"]
    base = np.zeros(len(rows))
    for causes, fill, edge in ((_LOST, look.brick, look.brick), (_OTHER, "none", look.faint)):
        counts = np.array([sum(count_stopped_by(row, cause) for cause in causes) for row in rows], dtype=np.float64)
        axes.bar(np.flatnonzero(counts), counts[counts > 0], bottom=base[counts > 0], facecolor=fill, edgecolor=edge, width=0.7)
        base += counts
    _whole_ticks(axes, base.max(initial=1))
    _name(axes, look, "stopped here\nfilled: quit, unknown\nhollow: time up, crash,\nfinished, skipped")


def _whole_ticks(axes: Axes, most: float) -> None:
    top = max(1, int(most))
    axes.set_ylim(0, top * 1.08)
    axes.set_yticks([0, top], ["0", str(top)], fontsize=9)


def _draw_tries(axes: Axes, look: Palette, document: ReportDocument) -> None:
    share_axis(axes, look)
    targets = [level["target_clear"] for level in document["plan"]]
    with collect_marks(axes) as marks:
        for n, row in enumerate(document["attempts"]["levels"][: len(document["course"]["levels"])]):
            if row["try_clear"] is None or row["try_clear_low"] is None or row["try_clear_high"] is None:
                continue
            marks.plot([n, n], [row["try_clear_low"], row["try_clear_high"]], color=look.water, linewidth=1.3)
            _dot(marks, look, n, row["try_clear"], row["players"] < document["min_players"])
        for n, target in enumerate(targets):
            if target is not None:
                marks.plot([n - 0.36, n + 0.36], [target, target], color=look.lantern, linewidth=1.8)
    _name(axes, look, "a try clears" + ("\norange: its target" if any(targets) else ""))


def _dot(marks: MarkBatch, look: Palette, place: int, value: float, few: bool) -> None:
    marks.plot(place, value, "o", markersize=5, color=look.water, markerfacecolor=look.paper if few else look.water)


def _draw_time(axes: Axes, look: Palette, document: ReportDocument) -> None:
    values: list[float] = []
    axes.set_yscale("log")
    pars = [level["par_seconds"] for level in document["plan"]]
    with collect_marks(axes) as marks:
        for n, row in enumerate(document["times"]["levels"][: len(document["course"]["levels"])]):
            values += [value for value in (row["p25"], row["p50"], row["p75"]) if value]
            if row["p25"] and row["p75"]:
                marks.plot([n, n], [row["p25"], row["p75"]], color=look.water, linewidth=1.3)
            if row["p50"]:
                _dot(marks, look, n, row["p50"], row["timed"] < document["min_players"])
        for n, par in enumerate(pars):
            if par:
                values.append(par)
                marks.plot([n - 0.36, n + 0.36], [par, par], color=look.lantern, linewidth=1.8)
    low, high = min(values, default=1.0) * 0.8, max(values, default=60.0) * 1.25
    axes.set_ylim(low, high)
    shown = [tick for tick in _TICKS if low <= tick <= high]
    axes.set_yticks(shown, [seconds(float(tick)) for tick in shown], fontsize=8.5)
    axes.set_yticks([], minor=True)
    axes.grid(axis="y", color=look.grid)
    _name(axes, look, "time to clear\ndot: half of players" + ("\norange: par" if any(pars) else ""))


def _draw_difficulty(axes: Axes, look: Palette, document: ReportDocument) -> None:
    draw_difficulties(axes, look, document["spikes"])
    axes.tick_params(axis="y", labelsize=9)
    _name(axes, look, f"difficulty, {unit_of(document['spikes'])}\nline: as its\nsurroundings lead\none to expect")
