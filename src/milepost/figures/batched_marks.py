"""Dots, short lines and cells of a figure, drawn together where they look alike: one by one they would take most of its time."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from math import nan
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from matplotlib.axes import Axes

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
