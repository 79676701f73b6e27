"""Numbers of attempts: which try of its player at its level each is, and whether a clear came before it."""

from __future__ import annotations

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.numerics.whole_numbers import ordinals, stable_order


def numbered_tries(player: Ints, level: Ints, cleared: Bools, void: Bools) -> tuple[Ints, Bools]:
    """The number of each attempt among the player's at its level, and whether a clear came before it.

    Args:
        player, level: of each attempt, in the order of play.
        cleared: which of them cleared.
        void: which of them have no number, and are none for those after them; a void clear is a clear all the same.
    """
    cell = player * (int(level.max(initial=0)) + 1) + level
    order = stable_order(cell)
    place = ordinals(cell, order)
    first = np.arange(len(order)) - (place[order] - 1)  # of the same player and level
    number, rerun = np.empty(len(order), np.int64), np.empty(len(order), np.bool_)
    rerun[order] = _before(cleared[order], first) > 0
    number[order] = np.where(void[order], 0, _before(~void[order], first) + 1)
    return number, rerun


def _before(marked: Bools, first: Ints) -> Ints:
    """How many rows are marked from each row's first one up to, but without, the row itself."""
    count: Ints = np.cumsum(marked) - marked
    return count - count[first]
