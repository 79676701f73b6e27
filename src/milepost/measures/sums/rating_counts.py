"""First clears by what was picked up."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.measures.cells import first_tries
from milepost.numerics.value_counts import Counted
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED


@dataclass(frozen=True)
class RatingCounts:
    """First clears.

    Attributes:
        clears: by level.
        rated: by level, what was collected, what there was, and the rating that was logged, -1 for none; clears of which the
            share of pick-ups is known.
    """

    clears: Counted
    rated: Counted

    @classmethod
    def of(cls, play: Play) -> RatingCounts:
        """Return the rating counts of a play."""
        table, around = play.attempts, play.around
        rows = np.flatnonzero(first_tries(play) & table.ended(CLEARED))
        known = rows[~np.isnan(around.collected[rows]) & (around.available[rows] > 0)]
        columns = (column[known] for column in (table.level, around.collected, around.available, around.rating))
        return cls(Counted.of(table.level[rows]), Counted.of(*columns))

    @classmethod
    def merged(cls, parts: list[RatingCounts]) -> RatingCounts:
        """Return the rating counts of a log, added up from its parts."""
        return cls(Counted.merged(part.clears for part in parts), Counted.merged(part.rated for part in parts))
