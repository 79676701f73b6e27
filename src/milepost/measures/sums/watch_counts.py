"""Per level, the sessions that show it best."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np

from milepost.measures.cells import first_tries
from milepost.measures.sessions_to_watch import Candidate, Watched, best_of, to_watch
from milepost.numerics.whole_numbers import stable_order
from milepost.playback.play import Play
from milepost.vocabulary import N_SETTLED

_MOST: Final = 3  # of a level


@dataclass(frozen=True)
class WatchOfLevels:
    """The sessions that show settled first-clear attempts best, per level of the course."""

    candidates: list[list[Candidate]]

    @classmethod
    def of(cls, play: Play) -> WatchOfLevels:
        """Return the sessions to watch of a play."""
        table = play.attempts
        rows = np.flatnonzero(first_tries(play) & (table.outcome < N_SETTLED) & (table.level < play.n_levels))
        rows = rows[stable_order(table.level[rows])]
        bounds = np.searchsorted(table.level[rows], np.arange(play.n_levels + 1))
        return cls([to_watch(play, rows[start:end], _MOST) for start, end in pairwise(bounds.tolist())])

    @classmethod
    def merged(cls, parts: list[WatchOfLevels]) -> WatchOfLevels:
        """Return the sessions to watch of a log, added up from its parts."""
        levels = zip(*(part.candidates for part in parts), strict=True)
        return cls([best_of([one for own in level for one in own], _MOST) for level in levels])

    def of_level(self, level: int) -> list[Watched]:
        """The sessions that show a level, the best first."""
        return [one.watched for one in self.candidates[level]]
