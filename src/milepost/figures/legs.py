"""Legs of a course on an axis of levels: those of a leg stand under one heading; routes and levels off the way are marked."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from milepost.figures.style import Palette, shortened

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
            shortened(stretch.text, max(10, 9 * (stretch.last - stretch.first + 1))),
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
            yield _Stretch(levels[0], levels[-1], f"{shortened(leg['leg'], _LONGEST)}, {_order(leg)}", False)
        for route in dict.fromkeys(leg["routes"].values()):
            own = [place[level] for level, of in leg["routes"].items() if of == route]
            yield _Stretch(own[0], own[-1], f"→ {shortened(route, _LONGEST)}", True)


def _order(leg: LegHead) -> str:
    if leg["routes"]:
        return "one of its ways"
    on_the_way = len(leg["levels"]) - len(leg["optional"])
    return "in any order" if leg["needs"] == on_the_way else f"any {leg['needs']} of {on_the_way}"
