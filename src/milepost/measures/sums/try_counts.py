"""How many tries players had at each level, and what came of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.measures.cells import Cells, cells, first_tries
from milepost.numerics.value_counts import AddedUp, Counted
from milepost.numerics.whole_numbers import numbered
from milepost.playback.play import Play
from milepost.vocabulary import N_SETTLED


@dataclass(frozen=True)
class TryCounts(AddedUp):
    """Tries up to the first clear.

    Attributes:
        tries: by level, settled tries, and whether one cleared: players, or runs where it is counted per run.
        clears: by level, clears and settled tries: players. Of a play counted per run, a player may have several clears.
        firsts: by level, runs that cleared at once and runs that had a try: players, where it is counted per run.
        hits: by level, outcome and hits: settled tries.
        ends: by level and outcome: all attempts up to the first clear.
    """

    tries: Counted
    clears: Counted
    firsts: Counted | None
    hits: Counted
    ends: Counted

    @classmethod
    def of(cls, play: Play) -> TryCounts:
        """Return the try counts of a play."""
        cell, table = cells(play), play.attempts
        first = first_tries(play)
        settled = np.flatnonzero(first & (table.outcome < N_SETTLED))
        ends = Counted.of(table.level[first], table.outcome[first].astype(np.int64))
        hits = Counted.of(table.level[settled], table.outcome[settled], table.hits[settled])
        tries = Counted.of(cell.level, cell.settled, cell.cleared)
        if play.units is None:
            return cls(tries, Counted.of(cell.level, cell.cleared.astype(np.int64), cell.settled), None, hits, ends)
        at_once, tried = cell.cleared & (cell.settled == 1), cell.settled > 0
        return cls(tries, _by_player(cell, cell.cleared, cell.settled), _by_player(cell, at_once, tried), hits, ends)


def _by_player(cell: Cells, hits: Bools, of: Ints | Bools) -> Counted:
    """Return sums over the runs of each player, by level."""
    width = int(cell.player.max(initial=0)) + 1
    keys, pair = numbered(cell.level * width + cell.player)
    sums = (np.bincount(pair, weights=column, minlength=len(keys)).astype(np.int64) for column in (hits, of))
    return Counted.of(keys // width, *sums)
