"""The times in which players clear levels, from which difficulty is read where next to nobody fails."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Column
from milepost.measures.cells import cells
from milepost.numerics.narrow import slimmest
from milepost.numerics.own_order import apart, in_own_order
from milepost.numerics.time_model import fit_times
from milepost.numerics.try_model import Fit
from milepost.playback.play import Play


@dataclass(frozen=True)
class TimesOfPlayers:
    """Players with the time that each took at each level of the course, in an order of their own.

    Attributes:
        columns: player, from 0, level, seconds, and whether the level was cleared then; players whose time there is known and
            more than none.
    """

    columns: tuple[Column, ...]

    @classmethod
    def of(cls, play: Play) -> TimesOfPlayers:
        """Those of a play."""
        cell = cells(play)
        usable = ~cell.untimed & (cell.seconds > 0) & (cell.level < play.n_levels)
        return cls._of(*(column[usable] for column in (cell.player, cell.level, cell.seconds, cell.cleared)))

    @classmethod
    def merged(cls, parts: list[TimesOfPlayers]) -> TimesOfPlayers:
        """Those of a log from those of parts that share no player."""
        player = apart([part.columns[0] for part in parts])
        others = zip(*(part.columns[1:] for part in parts), strict=True)
        return cls._of(player, *(np.concatenate(own) for own in others))

    @classmethod
    def _of(cls, player: Column, *others: Column) -> TimesOfPlayers:
        order, subject = in_own_order(player, *others)
        return cls((slimmest(subject), *(slimmest(column[order]) for column in others)))

    def fit(self, n_levels: int) -> Fit | None:
        """Difficulties in log seconds; None where no time is known."""
        subject, level, seconds, cleared = self.columns
        if not len(subject):
            return None
        return fit_times(subject.astype(np.int64), level.astype(np.int64), np.log(seconds), cleared, n_levels)
