"""Tries by layout."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.measures.cells import first_tries
from milepost.numerics.value_counts import Counted
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, N_SETTLED


@dataclass(frozen=True)
class LayoutCounts:
    """Settled first-clear tries at levels of the course, of which the layout is known.

    Attributes:
        tries: by level, layout and whether it cleared.
        players: by level and layout: players with such a try.
    """

    tries: Counted
    players: Counted

    @classmethod
    def of(cls, play: Play) -> LayoutCounts:
        """Return the layout counts of a play."""
        table, layout = play.attempts, play.around.layout
        rows = np.flatnonzero(first_tries(play) & (table.outcome < N_SETTLED) & (layout >= 0) & (table.level < play.n_levels))
        level, own = table.level[rows], layout[rows]
        return cls(Counted.of(level, own, table.outcome[rows] == CLEARED), Counted.subjects(table.player[rows], level, own))

    @classmethod
    def merged(cls, parts: list[LayoutCounts]) -> LayoutCounts:
        """Return the layout counts of a log, added up from parts that share no player."""
        return cls(Counted.merged(part.tries for part in parts), Counted.merged(part.players for part in parts))
