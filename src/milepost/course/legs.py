"""Legs of a course: stretches of levels that are played in any order, by routes, or with levels off the way."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from milepost.errors import CourseError

_NEEDS = "needs"


class LevelOfLeg(Protocol):
    """A level, as far as legs are concerned."""

    @property
    def name(self) -> str:
        """Its name."""

    @property
    def leg(self) -> str | None:
        """The leg that it names."""

    @property
    def route(self) -> str | None:
        """The route of that leg that it stands on."""

    @property
    def optional(self) -> bool:
        """Whether it is off the way."""

    @property
    def open(self) -> bool:
        """Whether there is no way to clear it yet."""


@dataclass(frozen=True)
class Leg:
    """A stretch of the course.

    Attributes:
        name: its name; that of its level that is not optional, where it has none of its own.
        levels: its levels, by their places in the course.
        needs: how many of its levels that are not optional have to be cleared to go on; None where it has routes.
        required: the levels that count for that.
        passed_over: whether it has optional levels alone.
    """

    name: str
    levels: tuple[int, ...]
    needs: int | None
    required: tuple[int, ...]
    passed_over: bool


def build_legs(levels: Sequence[LevelOfLeg], needs: Mapping[str, int]) -> tuple[Leg, ...]:
    """Return the legs of a course.

    Args:
        levels: its levels, in order.
        needs: how many levels of a leg have to be cleared, for legs of which that is said.
    """
    groups: list[tuple[str | None, list[int]]] = []
    for place, level in enumerate(levels):
        off_the_way = level.optional and level.leg is None
        if groups and (off_the_way or (level.leg is not None and level.leg == groups[-1][0])):
            groups[-1][1].append(place)
        elif groups and all(levels[level].optional and levels[level].leg is None for level in groups[-1][1]):
            groups[-1] = (level.leg, [*groups[-1][1], place])  # what is optional at the beginning belongs to what comes after
        else:
            groups.append((level.leg, [place]))
    return tuple(_leg(name, places, levels, needs) for name, places in groups)


def _leg(name: str | None, places: list[int], levels: Sequence[LevelOfLeg], needs: Mapping[str, int]) -> Leg:
    on_the_way = [place for place in places if not levels[place].optional]
    required = [place for place in on_the_way if not levels[place].open] or on_the_way
    called = name if name is not None else levels[(on_the_way or places)[0]].name
    routes = any(levels[place].route is not None for place in places)
    count = None if routes else min(needs.get(called, len(required)), len(required))
    return Leg(called, tuple(places), count, tuple(required), not on_the_way)


def last_leg(legs: Sequence[Leg]) -> int:
    """Return the number of the last leg that has a level that is not optional; -1 without one."""
    return max((number for number, leg in enumerate(legs) if not leg.passed_over), default=-1)


def read_needs(table: object, levels: Sequence[LevelOfLeg], path: object) -> dict[str, int]:
    """Return how many levels each leg needs, as the table [legs] says; and hold the legs against each other.

    Raises:
        CourseError: the legs make no sense.
    """
    if not isinstance(table, dict):
        raise CourseError(f'{path}: legs is a table of legs, such as [legs."The docks"] with needs = 1.')
    _require_sound(levels, path)
    named = {level.leg for level in levels if level.leg is not None}
    needs = {}
    for name, settings in table.items():
        where = f"{path}: legs.{name}"
        if name not in named:
            raise CourseError(f"{where}: no level has this leg. Give a level leg = {name!r}, or take the table out.")
        if not isinstance(settings, dict) or settings.keys() - {_NEEDS}:
            raise CourseError(f"{where}: has one key, needs: how many of its levels have to be cleared to go on.")
        if _NEEDS in settings:
            needs[name] = _needed(settings[_NEEDS], [level for level in levels if level.leg == name], where)
    return needs


def _needed(value: object, levels: list[LevelOfLeg], where: str) -> int:
    if any(level.route is not None for level in levels):
        raise CourseError(f"{where}: needs does not go with routes: a leg with routes is done by one of them.")
    most = sum(not level.optional for level in levels)
    if isinstance(value, bool) or not isinstance(value, int) or not 1 <= value <= most:
        raise CourseError(
            f"{where}: needs must be a whole number from 1 to {most}, its levels that are not optional; not {value!r}."
        )
    return value


def _require_sound(levels: Sequence[LevelOfLeg], path: object) -> None:
    """Refuse legs and routes that stand in two places, and names that mean two things."""
    if all(level.optional for level in levels):
        raise CourseError(f"{path}: every level is optional. A course needs one that is on the way.")
    route_of: dict[str, str] = {}
    for level in levels:
        where = f"{path}: level {level.name!r}"
        if level.route is not None and level.leg is None:
            raise CourseError(f"{where}: has a route and no leg. Give it the leg that the route is a way of.")
        if level.route is not None and route_of.setdefault(level.route, str(level.leg)) != level.leg:
            raise CourseError(
                f"{where}: the route {level.route!r} is in the leg {route_of[level.route]!r} already. Call it otherwise."
            )
        _require_names_apart(level, levels, where)
    for route in route_of:
        if all(level.optional for level in levels if level.route == route):
            first = next(level for level in levels if level.route == route)
            raise CourseError(f"{path}: level {first.name!r}: the route {route!r} has optional levels alone, so it is no way.")
    require_together(levels, str(path))


def _require_names_apart(level: LevelOfLeg, levels: Sequence[LevelOfLeg], where: str) -> None:
    """Refuse a leg that is called like a level."""
    called = next((other for other in levels if level.leg is None and other.leg == level.name), None)
    if called is not None:
        raise CourseError(f"{where}: the leg of {called.name!r} has the name of this level. Call the leg otherwise.")
    if level.leg is not None and any(other.name == level.leg and other.leg != level.leg for other in levels):
        raise CourseError(f"{where}: its leg has the name of a level outside it. Call the leg otherwise.")


def require_together(levels: Sequence[LevelOfLeg], where: str) -> None:
    """Refuse an order of levels that parts a leg.

    Raises:
        CourseError: it does.
    """
    groups: list[str | None] = []
    for level in levels:
        off_the_way = level.optional and level.leg is None
        if level.leg is not None and level.leg in groups and groups[-1] != level.leg:
            raise CourseError(
                f"{where}: level {level.name!r}: its leg {level.leg!r} stands in two places. Put its levels together."
            )
        if not (off_the_way and groups) and (not groups or groups[-1] != level.leg or level.leg is None):
            groups.append(level.leg)
