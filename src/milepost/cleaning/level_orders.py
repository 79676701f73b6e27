"""The order of levels that each session is replayed by: the course's, or that of the session's build where builds differ."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.cleaning.names import Stops
from milepost.course.course import Course
from milepost.course.legs import Leg, build_legs, last_leg


class LegColumns(NamedTuple):
    """Columns by order and leg.

    Attributes:
        first: the place of its first level.
        stop: the place after its last level.
        needs: how many levels have to be cleared; 0 where it has routes.
        passed_over: whether it has optional levels alone.
    """

    first: Ints
    stop: Ints
    needs: Ints
    passed_over: Bools


@dataclass(frozen=True, eq=False, repr=False)
class Orders:
    """Orders of levels.

    Attributes:
        rank: per order and stop, the stop's place in it; the number of its levels where it has none.
        count: per order, how many levels it has.
        of_session: per session, its order.
        legs: per order, its legs, whose levels are places in the course.
        route: per stop, the number of its route; -1 where it has none.
        optional: per stop, whether it is a level that nobody has to play.
        course_legs: the legs of the whole course, as the places of their levels.
    """

    rank: Ints
    count: Ints
    of_session: Ints
    legs: tuple[tuple[Leg, ...], ...] = field(repr=False)
    route: Ints = field(repr=False)
    optional: Bools = field(repr=False)
    course_legs: tuple[tuple[int, ...], ...] = field(repr=False)

    @classmethod
    def of(cls, course: Course | None, stops: Stops, builds: Sequence[str | None]) -> Orders:
        """Return the orders of a log's sessions.

        Args:
            course: the course, if one is given.
            stops: what the names stand for.
            builds: per session, its build.
        """
        n_stops = len(stops.names)
        whole = np.minimum(np.arange(n_stops), stops.n_levels)
        route, optional = _list_stop_routes(course, n_stops)
        if course is None or not course.differs_by_build:
            legs = course.legs if course is not None and len(course.levels) == stops.n_levels else _line(range(stops.n_levels))
            alike = np.zeros(len(builds), np.int64)
            return cls(whole[None], np.array([stops.n_levels]), alike, (legs,), route, optional, _levels_of(legs))
        place = {level.name: number for number, level in enumerate(course.levels)}
        codes: dict[str | None, int] = {}
        of_session = np.array([codes.setdefault(build, len(codes)) for build in builds], dtype=np.int64)
        rank, count = np.zeros((len(codes), n_stops), np.int64), np.zeros(len(codes), np.int64)
        all_legs = []
        for build, code in codes.items():
            levels = course.of_build(build).levels
            places = [place[level.name] for level in levels]
            rank[code] = count[code] = len(places)
            rank[code, places] = np.arange(len(places))
            all_legs.append(tuple(_place_in_course(leg, places) for leg in build_legs(levels, course.needs)))
        return cls(rank, count, of_session, tuple(all_legs), route, optional, _levels_of(course.legs))

    def level_at(self, order: Ints, place: Ints) -> Ints:
        """The levels at some places of orders; the place has to be one of the order's levels, if there is any stop at all."""
        if not self.rank.shape[1]:
            return np.full(len(place), -1)
        stops: Ints = self.stop_at[order, place]
        return stops

    @cached_property
    def is_line(self) -> bool:
        """Return whether every leg of every order has one level, and none is passed over."""
        return all(len(leg.levels) == 1 and not leg.passed_over for legs in self.legs for leg in legs)

    @cached_property
    def stop_at(self) -> Ints:
        """Per order and place, the stop there."""
        return np.argsort(self.rank, axis=1, kind="stable")

    @cached_property
    def leg(self) -> Ints:
        """Per order and stop, the number of its leg; the number of legs where it has none."""
        leg_of = np.empty_like(self.rank)
        for order, legs in enumerate(self.legs):
            leg_of[order] = len(legs)
            for number, leg in enumerate(legs):
                leg_of[order, list(leg.levels)] = number
        return leg_of

    @cached_property
    def by_leg(self) -> LegColumns:
        """What is known of each leg, order by order."""
        columns = np.zeros((4, len(self.legs), self.rank.shape[1]), np.int64)
        for order, legs in enumerate(self.legs):
            for number, leg in enumerate(legs):
                first, last = self.rank[order, leg.levels[0]], self.rank[order, leg.levels[-1]]
                columns[:, order, number] = (first, last + 1, leg.needs or 0, leg.passed_over)
        return LegColumns(columns[0], columns[1], columns[2], columns[3].astype(np.bool_))

    @cached_property
    def required(self) -> Bools:
        """Per order and stop, whether it counts for what its leg needs."""
        required = np.zeros(self.rank.shape, np.bool_)
        for order, legs in enumerate(self.legs):
            for leg in legs:
                required[order, list(leg.required)] = True
        return required

    @cached_property
    def last(self) -> Ints:
        """Per order, the number of its last leg that has a level on the way; -1 without one."""
        return np.array([last_leg(legs) for legs in self.legs], np.int64)

    @cached_property
    def next_leg(self) -> Ints:
        """Per order and leg, the furthest one that is next: up to and with the first that has a level on the way.

        The last row of each order is of who has not begun: what the first leg to play may be.
        """
        next_leg = np.zeros((len(self.legs), max(map(len, self.legs), default=0) + 1), np.int64)
        for order, legs in enumerate(self.legs):
            for number in range(-1, len(legs)):
                after = next((later for later in range(number + 1, len(legs)) if not legs[later].passed_over), len(legs) - 1)
                next_leg[order, number] = max(after, number + 1)
        return next_leg

    def done(self, order: int, cleared: Bools) -> Bools:
        """Return who has done each leg of an order.

        Args:
            order: the order.
            cleared: per stop, who has cleared it: stops down, players across.
        """
        done = np.zeros((len(self.legs[order]), cleared.shape[1]), np.bool_)
        for number, leg in enumerate(self.legs[order]):
            required = np.array(leg.required, np.int64)
            routes = self.route[required]
            if leg.needs is not None:
                done[number] = cleared[required].sum(axis=0) >= leg.needs
                continue
            of_none = cleared[required[routes < 0]].all(axis=0)
            for route in np.unique(routes[routes >= 0]):
                done[number] |= of_none & cleared[required[routes == route]].all(axis=0)
        return done


def _list_stop_routes(course: Course | None, n_stops: int) -> tuple[Ints, Bools]:
    """Per stop, its route and whether it is optional."""
    route, optional = np.full(n_stops, -1, np.int64), np.zeros(n_stops, np.bool_)
    codes: dict[str, int] = {}
    for place, level in enumerate(course.levels if course is not None else ()):
        if place < n_stops:
            optional[place] = level.optional
            if level.route is not None:
                route[place] = codes.setdefault(level.route, len(codes))
    return route, optional


def _levels_of(legs: Sequence[Leg]) -> tuple[tuple[int, ...], ...]:
    return tuple(leg.levels for leg in legs)


def _line(levels: Sequence[int]) -> tuple[Leg, ...]:
    """A leg for each level."""
    return tuple(Leg("", (level,), 1, (level,), False) for level in levels)


def _place_in_course(leg: Leg, course_places: Sequence[int]) -> Leg:
    """A leg of a build, with places in the course in place of those in the build's own order."""
    levels, required = (tuple(course_places[place] for place in places) for places in (leg.levels, leg.required))
    return Leg(leg.name, levels, leg.needs, required, leg.passed_over)
