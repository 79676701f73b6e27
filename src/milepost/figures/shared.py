"""Parts that several figures share: a share over the course with its band, and names at the ends of lines."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from math import nan
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from milepost.figures.style import Palette, shorten
from milepost.measures.interface import LevelRow

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from milepost.reports.head_types import CourseHead, LegHead

_LONGEST = 26


class _Stretch(NamedTuple):
    """Levels from one place to another, and what is said of them."""

    first: int
    last: int
    text: str
    route: bool


def mark_legs_down(axes: Axes, look: Palette, course: CourseHead) -> None:
    """Mark the legs on an axes whose levels stand one below the other; nothing where the course is a line."""
    for stretch in _stretches(course):
        shade = look.grid if stretch.route else look.pale
        axes.axhspan(
            stretch.first - 0.48, stretch.last + 0.48, color=shade, alpha=0.45 if stretch.route else 0.3, zorder=0, linewidth=0
        )
        axes.text(
            0.995,
            stretch.first - 0.28 if not stretch.route else stretch.last + 0.3,
            stretch.text,
            transform=axes.get_yaxis_transform(),
            ha="right",
            va="center",
            fontsize=9,
            fontstyle="italic",
            color=look.ink,
        )


def mark_legs_across(axes: Axes, look: Palette, course: CourseHead) -> None:
    """Mark the legs on an axes whose levels stand side by side; nothing where the course is a line."""
    for stretch in _stretches(course):
        shade = look.grid if stretch.route else look.pale
        axes.axvspan(
            stretch.first - 0.48, stretch.last + 0.48, color=shade, alpha=0.45 if stretch.route else 0.25, zorder=0, linewidth=0
        )
        axes.text(
            stretch.first - 0.42,
            0.02 if stretch.route else 0.985,
            shorten(stretch.text, max(10, 9 * (stretch.last - stretch.first + 1))),
            transform=axes.get_xaxis_transform(),
            ha="left",
            va="bottom" if stretch.route else "top",
            fontsize=9,
            fontstyle="italic",
            color=look.ink,
        )


def names_of_levels(course: CourseHead, names: Sequence[str]) -> list[str]:
    """The names as an axis shows them: those off the way in brackets."""
    optional = {level for leg in course.get("legs", ()) for level in leg["optional"]}
    return [f"({name})" if name in optional else name for name in names]


def _stretches(course: CourseHead) -> Iterator[_Stretch]:
    """Yield the legs of several levels, and their routes."""
    place = {level: number for number, level in enumerate(course["levels"])}
    for leg in course.get("legs", ()):
        levels = [place[level] for level in leg["levels"]]
        if len(leg["levels"]) - len(leg["optional"]) > 1:
            yield _Stretch(levels[0], levels[-1], f"{shorten(leg['leg'], _LONGEST)}, {_order(leg)}", False)
        for route in dict.fromkeys(leg["routes"].values()):
            places = [place[level] for level, its_route in leg["routes"].items() if its_route == route]
            yield _Stretch(places[0], places[-1], f"→ {shorten(route, _LONGEST)}", True)


def _order(leg: LegHead) -> str:
    if leg["routes"]:
        return "one of its ways"
    on_the_way = len(leg["levels"]) - len(leg["optional"])
    return "in any order" if leg["needs"] == on_the_way else f"any {leg['needs']} of {on_the_way}"


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
    with collect_marks(axes) as marks:
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
def collect_marks(axes: Axes) -> Iterator[MarkBatch]:
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
