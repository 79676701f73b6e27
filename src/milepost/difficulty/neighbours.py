"""A first reading of spikes: each level's try-clear rate against what its neighbours lead one to expect.

It compares plain rates of whoever got there, so late levels look easier than they are, and it knows nothing of
several neighbours being hard together. It points at levels to look at; it is no verdict.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import sqrt

from milepost.logs.interface import Floats, Ints
from milepost.measures.cells import cells
from milepost.measures.interface import Row, Table, with_interval
from milepost.numerics.intervals import NO_INTERVAL, Z95
from milepost.playback.play import Play

SIDE = 2  # neighbours on each side


@dataclass(frozen=True)
class NeighbourSpikes:
    """Try-clear rates beside the mean of up to two neighbours on each side.

    Attributes:
        min_players: fewer players than this, here or in all neighbours together, and no comparison is made.
    """

    min_players: int = 5

    def __call__(self, play: Play) -> Table:
        """One row a level: `try_clear`, `expected`, `difference` with its interval, and the counts behind them."""
        cell = cells(play)
        rates = []
        for level in range(play.n_levels):
            own = cell.of(level)
            rates.append(_rate(own.cleared.astype("int64"), own.settled))
        return Table([
            {"level": play.stops[level], **self._compared(rates, level)} for level in range(play.n_levels)
        ])  # fmt: skip

    def _compared(self, rates: list[_Rate], level: int) -> Row:
        own = rates[level]
        around = [rates[i] for i in range(level - SIDE, level + SIDE + 1) if i != level and 0 <= i < len(rates)]
        around = [rate for rate in around if rate.value is not None]
        row: Row = {"players": own.players, "tries": own.tries, "neighbours": len(around), "try_clear": own.value}
        enough = own.players >= self.min_players and sum(rate.players for rate in around) >= self.min_players
        if not (enough and around and own.value is not None):
            return row | {"expected": None, **with_interval("difference", None, NO_INTERVAL)}
        expected = sum(rate.value or 0.0 for rate in around) / len(around)
        variance = own.variance + sum(rate.variance for rate in around) / len(around) ** 2
        difference, half = own.value - expected, Z95 * sqrt(variance)
        low, high = max(-1.0, difference - half), min(1.0, difference + half)
        return row | {"expected": expected, **with_interval("difference", difference, (low, high))}


@dataclass(frozen=True)
class _Rate:
    """A level's try-clear rate, with the variance that lets tries cluster in players."""

    value: float | None
    variance: float
    players: int
    tries: int


def _rate(clears: Ints, settled: Ints) -> _Rate:
    clears, settled = clears[settled > 0], settled[settled > 0]
    players, tries = len(settled), int(settled.sum())
    if not tries:
        return _Rate(None, 0.0, players, tries)
    value = float(clears.sum()) / tries
    residuals: Floats = clears - value * settled
    spread = players / (players - 1) * float(residuals @ residuals) / tries**2 if players > 1 else 0.0
    # A rate of 0 or 1 has no spread of its own: one success and one failure more per player count keep it honest.
    smooth = (float(clears.sum()) + 1) / (tries + 2)
    return _Rate(value, max(spread, smooth * (1 - smooth) / (tries + 3)), players, tries)
