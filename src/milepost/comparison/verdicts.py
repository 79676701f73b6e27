"""From a difference with its error to a verdict: more, less, the same, or undecided; and how many players would tell."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, inf
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.numerics.intervals import Z95
from milepost.numerics.shifts import Shifted, false_discovery_rate, shifted

CLAIMED: Final = 0.15  # rate of false claims
SAME: Final = 0.5  # logits, or logarithms: less is nothing to a player
_MOST_PLAYERS: Final = 1_000_000


@dataclass(frozen=True)
class JudgedDifferences:
    """Verdicts on the differences of some levels.

    Attributes:
        shifted: the shift, and what each level did beyond it.
        q: per level, the false discovery rate at which something is claimed; NaN where nothing may be.
        way: per level, 1 where it is more than it was, -1 where it is less, 0 where it is neither or cannot be told.
        same: per level, whether it is the same for all that matters.
        bound: the p value up to which a level is told.
    """

    shifted: Shifted
    q: Floats
    way: Floats
    same: Bools
    bound: float


@dataclass(frozen=True)
class Bar:
    """The evidence that a claim takes.

    Attributes:
        same: up to where a difference is the same for all that matters.
        rate: of false claims among those made.
    """

    same: float = SAME
    rate: float = CLAIMED


def told(
    difference: Floats, covariance: Floats, enough: Bools, bar: Bar = Bar(), untouched: Bools | None = None
) -> JudgedDifferences:
    """Judge differences that may all have moved together.

    Args:
        difference: per level.
        covariance: of their errors.
        enough: per level, whether there are players enough to claim something.
        bar: what it takes to claim something.
        untouched: levels known to have done nothing of their own.
    """
    found, same, rate = shifted(difference, covariance, untouched), bar.same, bar.rate
    q, n = np.full(len(difference), np.nan), int(enough.sum())
    q[enough] = false_discovery_rate(found.p[enough])
    half = Z95 * found.delta_se
    alike = enough & (np.abs(found.delta) + half <= same)
    claimed = enough & ~alike & (np.nan_to_num(q, nan=1.0) <= rate)
    claims = int((np.nan_to_num(q, nan=1.0) <= rate).sum())
    return JudgedDifferences(found, q, np.where(claimed, np.sign(found.delta), 0.0), alike, rate * min(n, claims + 1) / max(1, n))


def players_needed(delta: float, variance: float, spread: float, players: int, bound: float, same: float = SAME) -> int | None:
    """Players in each build for a telling of what is seen: that it differs, or that it is the same.

    Args:
        delta: the difference seen.
        variance: of its error, with the players there are.
        spread: of what levels do that nobody changed.
        players: how many there are in the smaller build.
        bound: the p value up to which a level is told.
        same: up to where a difference is the same for all that matters.
    """
    from scipy.special import ndtri

    room = (abs(delta) / float(-ndtri(bound / 2))) ** 2 - spread**2
    differs = variance / room if room > 0 else inf
    alike = variance * (Z95 / (same - abs(delta))) ** 2 if abs(delta) < same else inf
    times = min(differs, alike)
    needed = ceil(players * times) if times < inf else inf
    return max(players + 1, int(needed)) if needed <= _MOST_PLAYERS else None
