"""The times in which players clear levels, from which difficulty is read where next to nobody fails."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Column
from milepost.measures.cells import cells
from milepost.numerics.time_model import fit_times
from milepost.numerics.try_model import Fit
from milepost.numerics.value_counts import apart, in_own_order
from milepost.numerics.whole_numbers import numbered, slimmest
from milepost.playback.play import Play


@dataclass(frozen=True, eq=False, repr=False)
class TimesOfPlayers:
    """Players with the time that each took at each level of the course, in as few bytes as hold them.

    Attributes:
        columns: player, from 0, level, seconds, and whether the level was cleared then; players whose time there is known and
            more than none.
    """

    columns: tuple[Column, ...]

    @classmethod
    def of(cls, play: Play) -> TimesOfPlayers:
        """Return the times of players of a play."""
        cell = cells(play)
        usable = ~cell.untimed & (cell.seconds > 0) & (cell.level < play.n_levels)
        player = slimmest(numbered(cell.player[usable])[1])
        return cls((player, slimmest(cell.level[usable]), cell.seconds[usable], cell.cleared[usable]))

    @classmethod
    def merged(cls, parts: list[TimesOfPlayers]) -> TimesOfPlayers:
        """Return the times of players of a log, added up from parts that share no player."""
        player = slimmest(apart([part.columns[0] for part in parts]))
        others = zip(*(part.columns[1:] for part in parts), strict=True)
        return cls((player, *(np.concatenate(own) for own in others)))

    def fit(self, n_levels: int) -> Fit | None:
        """Difficulties in log seconds; None where no time is known."""
        if not len(self.columns[0]):
            return None
        order, player = in_own_order(*self.columns)
        level, seconds, cleared = (column[order] for column in self.columns[1:])
        return fit_times(player, level.astype(np.int64), np.log(seconds), cleared, n_levels)
