"""Infers the order of the levels of a course that was not given."""

from __future__ import annotations

import numpy as np

from milepost.logs.interface import Ints
from milepost.naming import natural_key

MOST_LEVELS = 3000  # the method compares every pair


def infer_order(player: Ints, level: Ints, names: list[str]) -> list[int]:
    """The levels attempted, in the order in which players came to them first.

    Again and again the level is taken that has the fewest levels still to be placed which most players who attempted
    both attempted before it; ties by natural name order.

    Args:
        player: per attempt, in order of play, its player.
        level: per attempt, its level.
        names: the names that the levels' numbers stand for.
    """
    before, levels = _before(player, level)
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


def _before(player: Ints, level: Ints) -> tuple[Ints, Ints]:
    """How many players attempted level a before level b first, as a matrix [a, b], with the levels' numbers."""
    levels, index = np.unique(level, return_inverse=True)
    before = np.zeros((len(levels), len(levels)), np.int64)
    for own in _firsts(player, index):
        for place, earlier in enumerate(own[:-1]):
            before[earlier, own[place + 1 :]] += 1
    return before, levels


def _firsts(player: Ints, index: Ints) -> list[Ints]:
    """Per player, the levels in the order of the first attempts."""
    if not len(player):
        return []
    starts = np.flatnonzero(np.diff(player, prepend=-1))
    result = []
    for own in np.split(index, starts[1:]):
        _, first = np.unique(own, return_index=True)
        result.append(own[np.sort(first)])
    return result
