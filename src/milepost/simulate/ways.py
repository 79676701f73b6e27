"""The way of each simulated player through a course: the order in a hub, the route at a fork, and what is off the way."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.course.course import Course, Level
from milepost.course.legs import Leg
from milepost.simulate.population import Population


def straight_ways(players: int, levels: int) -> Ints:
    """Return the ways of players through a line: a row a player, all levels in order."""
    return np.tile(np.arange(levels), (players, 1))


def drawn_ways(course: Course, skill: Floats, population: Population, rng: np.random.Generator) -> Ints:
    """Return ways drawn at random: a row a player, levels by their places in the course, filled up with -1.

    Args:
        course: with its legs.
        skill: per player, in logits.
        population: how many go for what is off the way, and how far skill decides.
        rng: where chance comes from.
    """
    ways = [list(_way(course, float(own), population, rng)) for own in skill]
    found = np.full((len(ways), max(map(len, ways), default=0)), -1, np.int64)
    for row, way in zip(found, ways, strict=True):
        row[: len(way)] = way
    return found


def _way(course: Course, skill: float, population: Population, rng: np.random.Generator) -> Iterator[int]:
    for leg in course.legs:
        aside = [place for place in leg.levels if course.levels[place].optional]
        share = _tilted(population.optional_share, population.optional_skill * skill)
        taken = [place for place in aside if rng.random() < share]
        own = _through(leg, course.levels, skill, population, rng)
        for place in taken:
            before = int(rng.integers(0, len(own) + 1)) if len(leg.required) > 1 else len(own)
            own = [*own[:before], place, *own[before:]]
        yield from own


def _through(leg: Leg, levels: Sequence[Level], skill: float, population: Population, rng: np.random.Generator) -> list[int]:
    """The levels of a leg that a player has to clear, in the order in which they are tried."""
    free = [place for place in leg.required if levels[place].route is None]
    routes = list(dict.fromkeys(route for place in leg.required if (route := levels[place].route) is not None))
    if not routes:
        order = rng.permutation(free).tolist() if len(free) > 1 else free
        return order[: leg.needs]
    first = _tilted(1 / len(routes), population.way_skill * skill)
    chosen = routes[0] if rng.random() < first else routes[int(rng.integers(1, len(routes)))] if len(routes) > 1 else routes[0]
    return [*free, *(place for place in leg.required if levels[place].route == chosen)]


def _tilted(share: float, logits: float) -> float:
    """A share whose odds are moved by some logits."""
    if not 0 < share < 1:
        return share
    return float(1 / (1 + (1 - share) / share * np.exp(-logits)))
