"""Infers the order of the levels of a course that was not given."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Ints
from milepost.level_names import natural_key
from milepost.numerics.whole_numbers import first_places, number_values

MOST_LEVELS = 3000  # the method compares every pair


@dataclass(frozen=True, eq=False, repr=False)
class Precedence:
    """How many players attempted which level before which.

    Attributes:
        levels: the levels attempted, rising.
        before: players who attempted level a before level b first, as a matrix [a, b].
    """

    levels: Ints
    before: Ints

    def __add__(self, other: Precedence) -> Precedence:
        """Add up the counts over the players of both."""
        levels = np.union1d(self.levels, other.levels)
        before = np.zeros((len(levels), len(levels)), np.int64)
        for part in (self, other):
            place = np.searchsorted(levels, part.levels)
            before[np.ix_(place, place)] += part.before
        return Precedence(levels, before)


def infer_order(seen: Precedence, names: list[str]) -> list[int]:
    """The levels attempted, in the order in which players came to them first.

    Again and again the level is taken that has the fewest levels still to be placed which most players who attempted
    both attempted before it; ties by natural name order.

    Args:
        seen: who attempted what first.
        names: the names that the levels' numbers stand for.
    """
    before, levels = seen.before, seen.levels
    majority = before > before.T
    ahead = majority.sum(axis=0)
    by_name = sorted(range(len(levels)), key=lambda index: natural_key(names[levels[index]]))
    left = list(by_name)
    order = []
    while left:
        best = min(left, key=lambda index: ahead[index])
        left.remove(best)
        ahead = ahead - majority[best]
        order.append(int(levels[best]))
    return order


def count_precedence(player: Ints, level: Ints) -> Precedence:
    """Return, for pairs of levels, how many players attempted one before the other.

    Args:
        player: per attempt, in order of play, its player.
        level: per attempt, its level.
    """
    levels = np.flatnonzero(np.bincount(level)) if len(level) else np.zeros(0, np.int64)
    index = np.searchsorted(levels, level)
    before = np.zeros((len(levels), len(levels)), np.int64)
    _, players = number_values(player)
    cell, first = first_places(players * max(1, len(levels)) + index)
    never = len(player)
    place = np.full((int(players.max(initial=-1)) + 1, len(levels)), never, np.int64)
    place.flat[cell] = first
    for column in range(len(levels)):
        tried = place[:, column] < never
        before[column] = ((place[tried] > place[tried, column, None]) & (place[tried] < never)).sum(axis=0)
    return Precedence(levels, before)
