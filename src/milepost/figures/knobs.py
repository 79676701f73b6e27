"""The knobs of a course as a figure: a strip for each, level by level, above the difficulty; what a unit does at the right."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from milepost.figures.style import Palette, Sheet, heading, names_across, shorten
from milepost.planning.knob_effects import number_or_none
from milepost.wording import listed, logits, number, plural, safe

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from milepost.planning.knob_effects import KnobEffect
    from milepost.planning.knob_table import KnobsRow
    from milepost.reports.document_types import KnobsDocument

_MOST_STRIPS: Final = 6
_LEFT, _WIDTH, _TOP, _BOTTOM = 0.055, 0.7, 0.87, 0.21


def draw_knobs(sheet: Sheet, document: KnobsDocument) -> None:
    """Draw on an empty figure."""
    sheet.title(
        finding(document),
        "Steps: a knob's value, level by level, its change marked where it is the only one. Below: difficulty in logits. At the "
        "right: what a unit does, with 95 %.",
    )
    rows, names = document["levels"], shown_knobs(document)
    height = (_TOP - _BOTTOM) / (len(names) + 2)
    below = sheet.axes(_LEFT, _BOTTOM, _WIDTH, 1.7 * height)
    _draw_difficulty(below, sheet.look, rows)
    for place, name in enumerate(names):
        axes = sheet.axes(_LEFT, _TOP - (place + 0.8) * height, _WIDTH, 0.62 * height, sharex=below)
        _draw_strip(axes, sheet.look, name, rows)
        _write_effects(sheet, name, document["effects"], _TOP - (place + 0.3) * height)
    names_across(below, [row["level"] for row in rows])


def shown_knobs(document: KnobsDocument) -> list[str]:
    """The knobs that are drawn: those that are numbers, the ones that change most often first."""
    names = dict.fromkeys(
        name for row in document["levels"] for name, value in row["knobs"].items() if number_or_none(value) is not None
    )
    moves = {name: sum(step["knob"] == name for row in document["levels"] for step in row["changed"]) for name in names}
    return sorted(names, key=lambda name: -moves[name])[:_MOST_STRIPS]


def finding(document: KnobsDocument) -> str:
    """Return a title on which knobs are told to matter."""
    knobs = list(dict.fromkeys(safe(effect["knob"]) for effect in document["effects"] if is_told(effect)))
    if knobs:
        return f"{listed(knobs[:3])} {'are' if len(knobs) > 1 else 'is'} told to change how hard levels are"
    names = shown_knobs(document)
    return f"Of {plural(len(names), 'knob')} none is told to change how hard levels are" if names else "No level has knobs"


def is_told(effect: KnobEffect) -> bool:
    """Return whether the interval of an effect leaves out nothing."""
    return effect["low"] is not None and effect["high"] is not None and (effect["low"] > 0 or effect["high"] < 0)


def _draw_strip(axes: Axes, look: Palette, name: str, rows: list[KnobsRow]) -> None:
    heading(axes, shorten(name, 30), look)
    values = [number_or_none(row["knobs"].get(name)) for row in rows]
    edges, heights = range(len(rows)), [float("nan") if value is None else value for value in values]
    axes.step(edges, heights, where="mid", color=look.water, linewidth=1.8)
    for place, row in enumerate(rows):
        if values[place] is not None and [step["knob"] for step in row["changed"]] == [name]:
            axes.plot(place, heights[place], "o", color=look.lantern, markersize=6)
    known = [value for value in values if value is not None]
    low, high = min(known, default=0.0), max(known, default=1.0)
    room = 0.15 * (high - low) or 1.0
    axes.set_ylim(low - room, high + room)
    axes.set_yticks(sorted({low, high}), [number(value) for value in sorted({low, high})], fontsize=9)
    axes.tick_params(labelbottom=False)
    axes.grid(axis="y", color=look.grid)


def _write_effects(sheet: Sheet, name: str, effects: list[KnobEffect], height: float) -> None:
    """What a unit of a knob does, beside its strip."""
    of_knob = sorted((effect for effect in effects if effect["knob"] == name), key=lambda effect: effect["by"] != "builds")
    lines = [_effect(effect) for effect in of_knob if effect["levels"]]
    for line, (text, is_claimed) in enumerate(lines[:2]):
        colour = sheet.look.ink if is_claimed else sheet.look.faint
        sheet.figure.text(_LEFT + _WIDTH + 0.02, height - 0.028 * line, text, fontsize=10, color=colour, va="center")


def _effect(effect: KnobEffect) -> tuple[str, bool]:
    if effect["per_unit"] is None or effect["low"] is None or effect["high"] is None:
        tied = f"not told from {listed([safe(knob) for knob in effect['together'][:2]])}" if effect["together"] else "not told"
        return f"by {effect['by']}: {tied}", False
    span = f"{logits(effect['low'], True)} to {logits(effect['high'], True)}"
    return f"by {effect['by']}: {logits(effect['per_unit'], True)} ({span})", is_told(effect)


def _draw_difficulty(axes: Axes, look: Palette, rows: list[KnobsRow]) -> None:
    heading(axes, "difficulty, in logits", look)
    known = [(place, row["difficulty"]) for place, row in enumerate(rows) if row["difficulty"] is not None]
    axes.plot([place for place, _ in known], [value for _, value in known], "o-", color=look.brick, linewidth=1.2, markersize=6)
    axes.axhline(0, color=look.grid, linewidth=1)
    axes.grid(axis="y", color=look.grid)
