"""Sections as a figure: a level from left to right, width by median time, height by who gets there, and what fails in it."""

from __future__ import annotations

from itertools import groupby
from typing import TYPE_CHECKING, NamedTuple

from milepost.figures.style import Palette, Sheet, label_size, names_down, shorten
from milepost.wording import percent, plural, safe, seconds

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from milepost.measures.sections import SectionRow
    from milepost.reports.document_types import SectionsDocument


class _Box(NamedTuple):
    """A section's place from left to right, and its share of the level's tries when it begins."""

    row: SectionRow
    left: float
    width: float
    height: float


def draw_sections(sheet: Sheet, document: SectionsDocument) -> None:
    """Draw on an empty figure: one level large, or the whole course as strips."""
    sheet.title(
        finding(document),
        "Width: median seconds from mark to mark. Height: tries that get there. Red: tries that die or are reset in the section. "
        "Number: the share of tries in it that get through.",
    )
    levels = [list(rows) for _, rows in groupby(document["sections"], key=lambda row: row["level"])]
    if len(levels) == 1:
        _draw_level(sheet, levels[0])
    else:
        _draw_course(sheet, levels, document["min_players"])


def finding(document: SectionsDocument) -> str:
    """Return a title on the section that takes most failures."""
    rows = document["sections"]
    worst = max(rows, key=lambda row: row["failed"], default=None)
    if worst is None or not worst["failed"]:
        return "Nobody fails in a section"
    share = worst["failed"] / sum(row["failed"] for row in rows)
    where = f"{shorten(worst['level'], 24)}, {_span(worst)}"
    return f"{where}: {percent(share)} of all {plural(sum(row['failed'] for row in rows), 'failure')}"


def _span(row: SectionRow) -> str:
    """From which mark to which."""
    begin = "the start" if row["from"] is None else _mark(row["from"])
    end = "the clear" if row["to"] is None else _mark(row["to"])
    return f"from {begin} to {end}"


def _mark(value: str | float) -> str:
    return shorten(safe(value), 24) if isinstance(value, str) else percent(value)


def _boxes(rows: list[SectionRow]) -> list[_Box]:
    known = [row["seconds_p50"] for row in rows if row["seconds_p50"]]
    usual = sum(known) / len(known) if known else 1.0
    most = max(1, rows[0]["entered"], *(row["entered"] for row in rows))
    boxes, left = [], 0.0
    for row in rows:
        width = row["seconds_p50"] or usual
        boxes.append(_Box(row, left, width, row["entered"] / most))
        left += width
    return boxes


def _draw_level(sheet: Sheet, rows: list[SectionRow]) -> None:
    look, axes = sheet.look, sheet.axes(0.07, 0.2, 0.905, 0.66)
    boxes = _boxes(rows)
    for box in boxes:
        row = box.row
        after = box.height * (row["passed"] / row["entered"] if row["entered"] else 0.0)
        right = box.left + box.width
        axes.fill([box.left, right, right, box.left], [0, 0, after, box.height], color=look.pale, linewidth=0)
        axes.fill([box.left, right, right], [box.height, box.height, after], color=look.brick, linewidth=0, alpha=0.75)
        axes.plot([right, right], [0, 1.02], color=look.ink, linewidth=1)
        where = "cleared" if row["to"] is None else _mark(row["to"])
        axes.text(right, 1.04, where, ha="right", va="bottom", fontsize=11, color=look.ink)
        middle = box.left + box.width / 2
        lines = [
            f"{percent(row['pass_rate'])} get through",
            f"({percent(row['pass_rate_low']).removesuffix(' %')}–{percent(row['pass_rate_high'])})",
        ]
        lines += [f"{row['failed']} of {row['entered']} fail", f"{plural(row['stopped'], 'player')} stopped"]
        lines += [f"median {seconds(row['seconds_p50'])}"] if row["seconds_p50"] is not None else []
        for number, line in enumerate(lines):
            axes.text(middle, 0.36 - 0.055 * number, line, ha="center", fontsize=12 if not number else 10.5, color=look.ink)
    axes.set_xlim(0, max(box.left + box.width for box in boxes))
    axes.set_ylim(0, 1.12)
    axes.set_yticks([0, 0.5, 1], [percent(share) for share in (0, 0.5, 1)])
    axes.set_ylabel("share of tries that get there", color=look.ink)
    axes.set_xlabel("seconds, by the median of each section", color=look.ink)


def _draw_course(sheet: Sheet, levels: list[list[SectionRow]], least: int) -> None:
    look, axes = sheet.look, sheet.axes(0.16, 0.09, 0.8, 0.78)
    size = min(label_size(len(levels)), 9.5)
    strips = [_boxes(rows) for rows in levels]
    longest = max(boxes[-1].left + boxes[-1].width for boxes in strips)
    for down, boxes in enumerate(strips):
        for box in boxes:
            _draw_strip(axes, look, box, down, size if box.width > 0.045 * longest else 0.0, least)
    names_down(axes, [rows[0]["level"] for rows in levels])
    axes.set_xlim(0, 1.01 * longest)
    axes.set_xlabel("seconds, by the median of each section", color=look.ink)


def _draw_strip(axes: Axes, look: Palette, box: _Box, down: int, size: float, least: int) -> None:
    """A section in its level's strip; without a number where there is no room for it, and pale where few played it."""
    row = box.row
    failed = row["failed"] / row["entered"] if row["entered"] else 0.0
    height, few = 0.84 * box.height, row["players"] < least
    axes.barh(down, box.width, height, box.left, color=look.grid if few else look.pale, edgecolor=look.paper, linewidth=1)
    axes.barh(down, box.width * failed, height, box.left + box.width * (1 - failed), color=look.brick, linewidth=0, alpha=0.75)
    if size and row["pass_rate"] is not None:
        axes.text(box.left + 0.02 * box.width, down, percent(row["pass_rate"]), va="center", fontsize=size, color=look.ink)
