"""Parts that several figures share: a share over the course with its band, and names at the ends of lines."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from math import nan
from typing import TYPE_CHECKING

import numpy as np

from milepost.figures.style import Palette
from milepost.measures.interface import LevelRow

if TYPE_CHECKING:
    from matplotlib.axes import Axes

GAP = 0.055  # of an axis' height, between the names at the ends of two lines


class Retained(LevelRow):
    """A level with who is still there after it."""

    reached: int
    retention: float
    retention_low: float | None
    retention_high: float | None


def draw_retention(axes: Axes, look: Palette, rows: Sequence[Retained], least: int) -> None:
    """Retention as steps with its band, over the levels; hollow marks where few players are behind it."""
    place = range(len(rows))
    # At exactly 0 or 1 there is no interval to draw.
    low = [row["retention_low"] if row["retention_low"] is not None else row["retention"] for row in rows]
    high = [row["retention_high"] if row["retention_high"] is not None else row["retention"] for row in rows]
    axes.fill_between(place, low, high, step="mid", color=look.pale, alpha=0.55, linewidth=0)
    axes.plot(place, [row["retention"] for row in rows], color=look.water, linewidth=1.6, drawstyle="steps-mid")
    with gathered(axes) as marks:
        for n, row in enumerate(rows):
            face = look.paper if row["reached"] < least else look.water
            marks.plot(n, row["retention"], "o", markersize=4.5, color=look.water, markerfacecolor=face)


def share_axis(axes: Axes, look: Palette) -> None:
    """An axis from nobody to everybody."""
    axes.set_ylim(0, 1.03)
    axes.set_yticks([0, 0.5, 1], ["0", "50 %", "100 %"], fontsize=9)
    axes.grid(axis="y", color=look.grid)


def names_at_ends(axes: Axes, last: int, ends: Sequence[tuple[float, str, str]], gap: float = GAP) -> None:
    """Names beside the ends of lines, kept apart.

    Args:
        axes: an axis from 0 to about 1.
        last: where the lines end.
        ends: each line's last value, name and colour.
        gap: how far apart the names are to be.
    """
    ordered = sorted(ends)
    heights = np.array([value for value, _, _ in ordered])
    for n in range(1, len(heights)):
        heights[n] = max(heights[n], heights[n - 1] + gap)
    heights -= max(0.0, heights[-1] - 1.0) if len(heights) else 0.0
    for height, (_, name, colour) in zip(heights, ordered, strict=True):
        axes.annotate(
            name,
            (last, height),
            (10, 0),
            textcoords="offset points",
            va="center",
            fontsize=9.5,
            color=colour,
            annotation_clip=False,
        )


Cell = tuple[float, float, float, float]  # its left and right end, its lower and upper end
Places = float | Sequence[float]
Look = tuple[str, tuple[tuple[str, object], ...]]  # a shape, and the rest by name
_LINE = "-"


class MarkBatch:
    """Dots and lines, gathered by how they look."""

    def __init__(self) -> None:
        self._alike: dict[Look, tuple[list[float], list[float]]] = {}

    def plot(self, x: Places, y: Places, shape: str = _LINE, **look: object) -> None:
        """Note a dot, or a line through places, as `Axes.plot` takes them."""
        across, up = self._alike.setdefault((shape, tuple(look.items())), ([], []))
        for noted, places in ((across, x), (up, y)):
            noted.extend(places if isinstance(places, Sequence) else [places])
            if shape == _LINE:
                noted.append(nan)  # where one line ends and another begins

    def draw_on(self, axes: Axes) -> None:
        """Draw what was noted, looks in the order in which they were first met."""
        for (shape, look), (across, up) in self._alike.items():
            axes.plot(across, up, *(() if shape == _LINE else (shape,)), **dict(look))  # type: ignore[arg-type]


@contextmanager
def gathered(axes: Axes) -> Iterator[MarkBatch]:
    """Marks that are drawn at the end."""
    marks = MarkBatch()
    yield marks
    marks.draw_on(axes)


def draw_cells(axes: Axes, cells: Iterable[Cell], colour: str, depths: Sequence[float] = (1.0,)) -> None:
    """Fill rectangles without an edge; the axes keep their limits.

    Args:
        axes: where.
        cells: the rectangles.
        colour: of all.
        depths: how strong it is in each, up to 1; of all the same where there is one.
    """
    from matplotlib.collections import PolyCollection
    from matplotlib.colors import to_rgba

    corners = [((left, low), (right, low), (right, high), (left, high)) for left, right, low, high in cells]
    faces = [to_rgba(colour, depth) for depth in depths]
    axes.add_collection(PolyCollection(corners, facecolors=faces, linewidths=0), autolim=False)
