"""A trend as a figure: levels by steps, difficulty as shade and number, what changed, and who was still there at the end."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from milepost.figures.style import Palette, Sheet, heading, label_size, names_down, shorten
from milepost.wording import logits, percent, plural, safe

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from milepost.comparison.row_types import TrendRow, TrendStep, TrendWhole
    from milepost.reports.document_types import TrendDocument

_MOST_NUMBERS: Final = 14  # steps, beyond which a number does not fit its field
_MOST_STEPS: Final = 24  # names of steps along the bottom
_TOLD: Final = ("harder", "easier")


def draw_trend(sheet: Sheet, document: TrendDocument) -> None:
    """Draw on an empty figure."""
    sheet.title(
        finding(document),
        "Number and shade: difficulty in logits, fitted on each step alone; low fields: few players. "
        "Triangle: harder (up) or easier (down) than the step before, beyond all levels together.",
    )
    levels, steps = document["levels"], document["steps"]
    fields = sheet.axes(0.16, 0.3, 0.56, 0.54)
    wholes = sheet.axes(0.76, 0.3, 0.22, 0.54, sharey=fields)
    kept = sheet.axes(0.16, 0.1, 0.56, 0.13, sharex=fields)
    _draw_fields(fields, sheet.look, levels, [step["step"] for step in steps], document["min_players"])
    _draw_wholes(wholes, sheet.look, levels)
    _draw_kept(kept, sheet.look, steps, document["min_players"])


def finding(document: TrendDocument) -> str:
    """Return a title on what changed, and where."""
    changed = [row["level"] for row in document["levels"] if any(change["verdict"] in _TOLD for change in row["changes"])]
    drifts = [row["level"] for row in document["levels"] if row["level"] not in changed and _is_told(row["whole"])]
    if not changed and not drifts:
        return f"Over {plural(len(document['steps']), 'step')} no level is told to have changed"
    parts = [f"{_list_names(changed)} changed from one step to the next"] if changed else []
    parts += [f"{_list_names(drifts)} changed from first to last"] if drifts else []
    return "; ".join(parts)


def _is_told(whole: TrendWhole | None) -> bool:
    return whole is not None and whole["verdict"] in _TOLD


def _list_names(levels: list[str]) -> str:
    return " and ".join(shorten(level, 30) for level in levels) if len(levels) < 3 else plural(len(levels), "level")


def _draw_fields(axes: Axes, look: Palette, rows: list[TrendRow], steps: list[str], least: int) -> None:
    """A field for each level and step, empty where no difficulty is told."""
    from matplotlib.colors import LinearSegmentedColormap, Normalize

    heading(axes, "difficulty, step by step", look)
    difficulties = [point["difficulty"] for row in rows for point in row["points"] if point["difficulty"] is not None]
    spread = Normalize(min(difficulties, default=-1.0), max(difficulties, default=1.0))
    shade = LinearSegmentedColormap.from_list("water", [look.grid, look.pale, look.water])
    places = {step: place for place, step in enumerate(steps)}
    size = min(label_size(len(rows)), 10.0)
    for down, row in enumerate(rows):
        for point in row["points"]:
            value, across = point["difficulty"], places[point["step"]]
            if value is None:
                continue
            axes.barh(
                down, 0.9, 0.56 if point["players"] < least else 0.88, across - 0.45, color=shade(spread(value)), linewidth=0
            )
            if len(steps) <= _MOST_NUMBERS:
                ink = look.paper if spread(value) > 0.75 else look.ink
                axes.text(across, down, logits(value), ha="center", va="center", fontsize=size, color=ink)
        _mark_changes(axes, look, row, down, places)
    names_down(axes, [row["level"] for row in rows])
    axes.set_xlim(-0.55, max(1, len(steps)) - 0.45)
    axes.tick_params(labelbottom=False)


def _mark_changes(axes: Axes, look: Palette, row: TrendRow, down: int, places: dict[str, int]) -> None:
    for change in row["changes"]:
        if change["verdict"] in _TOLD:
            edge = places[change["to"]] - 0.5
            marker = "^" if change["verdict"] == "harder" else "v"
            face = look.paper if change["one_step"] else look.brick
            axes.plot(edge, down, marker, color=look.brick, markerfacecolor=face, markersize=9, zorder=4)


def _draw_wholes(axes: Axes, look: Palette, rows: list[TrendRow]) -> None:
    heading(axes, "first step to last, in logits (filled: told)", look)
    axes.axvline(0, color=look.faint, linewidth=1)
    for down, row in enumerate(rows):
        whole = row["whole"]
        if whole is None or whole["delta"] is None:
            continue
        colour = look.brick if _is_told(whole) else look.faint
        if whole["delta_low"] is not None and whole["delta_high"] is not None:
            axes.plot([whole["delta_low"], whole["delta_high"]], [down, down], color=colour, linewidth=1.6)
        axes.plot(
            whole["delta"], down, "o", color=colour, markersize=6, markerfacecolor=colour if _is_told(whole) else look.paper
        )
    axes.tick_params(labelleft=False)
    axes.grid(axis="x", color=look.grid)
    axes.set_xlabel("easier  ←     →  harder", color=look.ink)


def _draw_kept(axes: Axes, look: Palette, steps: list[TrendStep], least: int) -> None:
    heading(axes, "kept at the end, with 95 % intervals", look)
    for place, step in enumerate(steps):
        value, low, high = step["kept_at_end"], step["kept_at_end_low"], step["kept_at_end_high"]
        if value is None:
            continue
        if low is not None and high is not None:
            axes.plot([place, place], [low, high], color=look.water, linewidth=1.4)
        face = look.paper if step["players"] < least else look.water
        axes.plot(place, value, "o", color=look.water, markerfacecolor=face, markersize=6)
    axes.set_ylim(-0.05, 1.05)
    axes.set_yticks([0, 0.5, 1], [percent(share) for share in (0, 0.5, 1)], fontsize=9)
    axes.grid(axis="y", color=look.grid)
    every = max(1, -(-len(steps) // _MOST_STEPS))
    shown = range(0, len(steps), every)
    names = [f"{shorten(safe(steps[place]['step']), 10)}\n{plural(steps[place]['players'], 'player')}" for place in shown]
    crowded = len(shown) > 7
    axes.set_xticks(list(shown), names, fontsize=8 if crowded else 10, rotation=90 if crowded else 0)
    axes.tick_params(labelbottom=True)
