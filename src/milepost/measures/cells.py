"""One row for each player and level: what the first-clear attempts of that player there come to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.numerics.whole_numbers import numbered
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, N_SETTLED


@dataclass(frozen=True)
class Cells:
    """Player-level pairs, by level and then player; all columns of one length.

    ``settled`` counts settled first-clear attempts, the clear included; ``cleared`` says that one of them cleared. ``seconds`` is
    the active time of all first-clear attempts of known duration; ``untimed`` says that some duration is not known. Attempts that
    are void or not asked for are in none of these; ``done`` says that the player has cleared the level, by whatever attempt;
    ``tried`` says that some attempt of the player there is neither void nor aside. Counted per run, each run of a player has a
    row.
    """

    level: Ints
    player: Ints
    settled: Ints
    cleared: Bools
    seconds: Floats
    untimed: Bools
    done: Bools
    tried: Bools

    def of(self, level: int) -> Cells:
        """The rows of one level."""
        rows = slice(*np.searchsorted(self.level, [level, level + 1]))
        return Cells(*(column[rows] for column in vars(self).values()))


def first_clear(play: Play) -> Bools:
    """Return a mask of the first-clear attempts of counted players."""
    return play.once(_first_clear)


def _first_clear(play: Play) -> Bools:
    return ~play.attempts.rerun & play.counts[play.attempts.player]


def first_tries(play: Play) -> Bools:
    """Return a mask of the attempts that are evidence on tries."""
    return play.once(_first_tries)


def _first_tries(play: Play) -> Bools:
    return first_clear(play) & play.attempts.taken


def cells(play: Play) -> Cells:
    """The first-clear attempts of counted players, gathered by player and level."""
    return play.once(_gathered)


def _gathered(play: Play) -> Cells:
    table = play.attempts
    rows = first_clear(play)
    unit = (table.player if play.units is None else play.units)[rows]
    n_units = int(unit.max(initial=0)) + 1
    keys, cell = numbered(table.level[rows] * n_units + unit)
    player = np.zeros(n_units, np.int64)
    player[unit] = table.player[rows]
    whole = play.around.whole[rows]
    outcome, active = table.outcome[rows], np.where(whole, (table.closed - table.opened)[rows], table.active[rows])
    taken, unknown = table.taken[rows], np.isnan(active)

    def total(values: Floats | Bools) -> Floats:
        return np.bincount(cell, weights=values, minlength=len(keys)).astype(np.float64)

    return Cells(
        keys // n_units,
        player[keys % n_units],
        total(taken & (outcome < N_SETTLED)).astype(np.int64),
        total(taken & (outcome == CLEARED)) > 0,
        total(np.where(unknown | ~taken, 0.0, active)),
        total(taken & unknown) > 0,
        total(outcome == CLEARED) > 0,
        total(taken) > 0,
    )
