"""Difficulty over the course: measured with its interval, what the surroundings lead one to expect, and what stands out."""

from __future__ import annotations

from typing import Any

import numpy as np

from milepost.figures.style import Palette, Sheet, names_across, shortened
from milepost.measures.interface import Row
from milepost.numerics.intervals import Z95
from milepost.wording import listed

SHAPES = {"spike": ("^", "brick"), "dip": ("v", "water"), "step": (">", "lantern")}


def draw_spikes(sheet: Sheet, document: dict[str, Any]) -> None:
    """Draw on an empty figure; levels with few players are hollow."""
    rows = [(n, row) for n, row in enumerate(document["levels"]) if row["difficulty"] is not None]
    sheet.title(finding(document), "Dots: difficulty of each level in logits with its 95 % interval, adjusted for who got there "
          "(hollow: too few players). Band: what the other levels lead one to expect.")  # fmt: skip
    axes = sheet.axes(0.055, 0.21, 0.925, 0.65)
    axes.grid(axis="y", color=sheet.look.grid)
    _draw_band(axes, sheet.look, rows)
    for n, row in rows:
        _draw_level(axes, sheet.look, n, row)
    names = [row["level"] for row in document["levels"]]
    names_across(axes, names)
    axes.set_ylabel("difficulty (logits; higher is harder)", color=sheet.look.ink)


def finding(document: dict[str, Any]) -> str:
    """What stands out, in a sentence."""
    rows = document["levels"]
    by_kind = {kind: [shortened(row["level"], 20) for row in rows if row["kind"] == kind] for kind in SHAPES}
    parts = []
    if by_kind["spike"]:
        parts.append(f"{listed(by_kind['spike'][:4])} {'are spikes' if len(by_kind['spike']) > 1 else 'is a spike'}")
    if by_kind["dip"]:
        parts.append(f"{listed(by_kind['dip'][:3])} {'are dips' if len(by_kind['dip']) > 1 else 'is a dip'}")
    if by_kind["step"]:
        parts.append(f"it stays harder from {listed(by_kind['step'][:3])} on")
    return "; ".join(parts) or "No level stands out beyond the course's own unevenness"


def _draw_band(axes: Any, look: Palette, rows: list[tuple[int, Row]]) -> None:
    place = [n for n, _ in rows]
    middle = np.array([row["expected"] for _, row in rows])
    spread = Z95 * np.sqrt(np.maximum(0.0, np.array([row["excess_se"] ** 2 - row["se"] ** 2 for _, row in rows])))
    axes.fill_between(place, middle - spread, middle + spread, color=look.pale, alpha=0.6, linewidth=0, step="mid")
    axes.step(place, middle, where="mid", color=look.water, linewidth=1.2)


def _draw_level(axes: Any, look: Palette, n: int, row: Row) -> None:
    shape, role = SHAPES.get(row["kind"], ("o", "ink"))
    colour = look.of(role)
    few = row["evidence"] == "too_few"
    axes.plot([n, n], [row["difficulty"] - Z95 * row["se"], row["difficulty"] + Z95 * row["se"]], color=colour, linewidth=1.4)
    axes.plot(n, row["difficulty"], shape, color=colour, markerfacecolor=look.paper if few else colour, markersize=7 if shape == "o" else 11)  # noqa: E501
    if row["kind"] != "none":
        above = row["kind"] != "dip"
        edge = row["difficulty"] + (1 if above else -1) * Z95 * row["se"]
        axes.annotate(f"{shortened(row['level'], 20)}\n{row['kind']}, {row['evidence']}", (n, edge), (0, 5 if above else -5),
                      textcoords="offset points", ha="center", va="bottom" if above else "top", fontsize=10, color=colour)  # fmt: skip  # noqa: E501
