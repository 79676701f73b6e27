"""The order of levels that each session is replayed by: the course's, or that of the session's build where builds differ."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from milepost.arrays import Ints
from milepost.cleaning.names import Stops
from milepost.course.course import Course


@dataclass(frozen=True)
class Orders:
    """Orders of levels.

    Attributes:
        rank: per order and stop, the stop's place in it; the number of its levels where it has none.
        count: per order, how many levels it has.
        of_session: per session, its order.
    """

    rank: Ints
    count: Ints
    of_session: Ints

    @classmethod
    def of(cls, course: Course | None, stops: Stops, builds: Sequence[str | None]) -> Orders:
        """Return the orders of a log's sessions.

        Args:
            course: the course, if one is given.
            stops: what the names stand for.
            builds: per session, its build.
        """
        whole = np.minimum(np.arange(len(stops.names)), stops.n_levels)
        if course is None or not course.differs_by_build:
            return cls(whole[None], np.array([stops.n_levels]), np.zeros(len(builds), np.int64))
        place = {level.name: number for number, level in enumerate(course.levels)}
        codes: dict[str | None, int] = {}
        of_session = np.array([codes.setdefault(build, len(codes)) for build in builds], dtype=np.int64)
        rank, count = np.zeros((len(codes), len(stops.names)), np.int64), np.zeros(len(codes), np.int64)
        for build, code in codes.items():
            own = [place[level.name] for level in course.of_build(build).levels]
            rank[code] = count[code] = len(own)
            rank[code, own] = np.arange(len(own))
        return cls(rank, count, of_session)

    def level_at(self, order: Ints, place: Ints) -> Ints:
        """The levels at some places of orders; the place has to be one of the order's levels, if there is any stop at all."""
        if not self.rank.shape[1]:
            return np.full(len(place), -1)
        levels = np.argsort(self.rank, axis=1, kind="stable")
        found: Ints = levels[order, place]
        return found
