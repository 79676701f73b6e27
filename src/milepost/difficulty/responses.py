"""The responses that difficulty is read from: settled tries with who left after them, and times where next to nobody fails."""

from __future__ import annotations

import numpy as np

from milepost.arrays import Bools
from milepost.measures.cells import first_clear, gather_cells
from milepost.measures.funnel_counts import stopped_at_open
from milepost.numerics.time_model import fit_times
from milepost.numerics.try_model import Fit
from milepost.numerics.try_sums import TriesOfItems
from milepost.numerics.value_counts import RowsOfPlayers
from milepost.numerics.whole_numbers import narrow, ordinals
from milepost.playback.play import Play, Summed
from milepost.vocabulary import CLEARED, END_QUIT, END_UNKNOWN, N_SETTLED


def gather_tries(play: Play) -> TriesOfItems:
    """The settled first-clear tries; subjects are players by their number, items levels of the course.

    Levels that there is no way to clear yet are left out: their failures say nothing of difficulty.
    """
    table = play.attempts
    judged = np.append(~play.gated.open_levels, np.zeros(len(play.stops) - play.n_levels, np.bool_))
    rows = np.flatnonzero(first_clear(play) & ~table.void & (table.outcome < N_SETTLED) & judged[table.level])
    player, level = table.player[rows], table.level[rows]
    unit = (table.player if play.units is None else play.units)[rows]
    number = ordinals(unit * max(1, play.n_levels) + level)  # of all, also where only some are asked for
    tries = TriesOfItems(player, level, number, table.ended(CLEARED)[rows], _mask_left_after(play)[rows])
    return tries.pick(~table.aside[rows]) if table.aside.any() else tries


class TriesOfPlayers(RowsOfPlayers):
    """The tries of players: columns of `TriesOfItems`."""

    @classmethod
    def of(cls, play: Play) -> TriesOfPlayers:
        """Return the tries of players of a play."""
        tries = gather_tries(play)
        return cls.gathered(*vars(tries).values())


def settled_tries(play: Summed) -> TriesOfItems:
    """The settled first-clear tries of a log, with players numbered from 0 in an order of their own."""
    return play.compute_once(_gather_in_own_order)


def _gather_in_own_order(play: Summed) -> TriesOfItems:
    player, *columns = play.sums(TriesOfPlayers).in_order()
    return TriesOfItems(narrow(player), *columns)


def _mask_left_after(play: Play) -> Bools:
    """Per attempt, whether it is the last that was settled of a player who then quit, or whose end is not known."""
    table, n_players = play.attempts, len(play.gated.players)
    settled = np.flatnonzero(~table.void & (table.outcome < N_SETTLED))
    last = np.full(n_players, -1)
    last[table.player[settled]] = settled  # in the order of play, so that the last one stays
    sequence = play.gated.sequence
    gave_up = np.zeros(n_players, np.bool_)
    gave_up[play.gated.player[sequence]] = play.end.of(sequence).by(END_QUIT, END_UNKNOWN)  # the last session's end stays
    gave_up &= ~stopped_at_open(play)
    left = np.zeros(len(table), np.bool_)
    left[last[(last >= 0) & gave_up]] = True
    return left


class TimesOfPlayers(RowsOfPlayers):
    """The time that each player took at each level, where it is known: level, seconds, and whether the level was cleared then."""

    @classmethod
    def of(cls, play: Play) -> TimesOfPlayers:
        """Return the times of players of a play."""
        cell = gather_cells(play)
        usable = ~cell.untimed & (cell.seconds > 0) & (cell.level < play.n_levels)
        return cls.gathered(cell.player[usable], cell.level[usable], cell.seconds[usable], cell.cleared[usable])

    def fit(self, n_levels: int) -> Fit | None:
        """Difficulties in log seconds; None where no time is known."""
        if not len(self.columns[0]):
            return None
        player, level, seconds, cleared = self.in_order()
        return fit_times(player, level.astype(np.int64), np.log(seconds), cleared, n_levels)
