"""Rank correlation of two measured things, with an interval that knows that some pairs come from the same player."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.numerics.intervals import Z95, Interval

DRAWS, SEED = 1000, 1
_FEWEST = 3  # players of whom an interval is given


@dataclass(frozen=True)
class Pairs:
    """Pairs of two values; all columns of one length.

    Attributes:
        one, other: the values.
        owner: whose each pair is, as numbers from 0 up.
    """

    one: Floats
    other: Floats
    owner: Ints


def spearman(pairs: Pairs) -> float | None:
    """Spearman's rank correlation, ties at their middle rank; None where one of the two does not differ at all.

    Spearman, C. (1904), "The proof and measurement of association between two things".
    """
    return _Ranked.of(pairs).rho(np.ones(len(pairs.owner)))


def spearman_interval(pairs: Pairs) -> Interval:
    """Its 95 % interval: owners drawn with replacement, ``DRAWS`` times from ``SEED``; none for fewer than three owners.

    Efron, B. and Tibshirani, R. (1993), "An Introduction to the Bootstrap", percentile interval over clusters.
    """
    owners = int(pairs.owner.max(initial=-1)) + 1
    if owners < _FEWEST:
        return None, None
    ranked, rng = _Ranked.of(pairs), np.random.default_rng(SEED)
    drawn = [ranked.rho(np.bincount(rng.integers(0, owners, owners), minlength=owners)[pairs.owner]) for _ in range(DRAWS)]
    told = [rho for rho in drawn if rho is not None]
    if len(told) < DRAWS // 2:
        return None, None
    low, high = np.quantile(told, [0.025, 0.975])
    return float(low), float(high)


@dataclass(frozen=True)
class _Ranked:
    """Pairs by the places of their values among the distinct ones."""

    one: Ints
    other: Ints

    @classmethod
    def of(cls, pairs: Pairs) -> _Ranked:
        """Find the places."""
        return cls(np.unique(pairs.one, return_inverse=True)[1], np.unique(pairs.other, return_inverse=True)[1])

    def rho(self, weight: Floats | Ints) -> float | None:
        """The correlation, were each pair there so many times."""
        total = float(weight.sum())
        if total <= 0:
            return None
        a, b = (_middle_ranks(places, weight) for places in (self.one, self.other))
        a, b = a - (weight @ a) / total, b - (weight @ b) / total
        spread = float(np.sqrt((weight @ (a * a)) * (weight @ (b * b))))
        return float(np.clip((weight @ (a * b)) / spread, -1.0, 1.0)) if spread > 1e-9 * total else None


def _middle_ranks(places: Ints, weight: Floats | Ints) -> Floats:
    """The rank of each value, those that are equal in the middle of theirs."""
    counts = np.bincount(places, weights=weight)
    ranks: Floats = (np.cumsum(counts) - counts / 2)[places]
    return ranks


def standing(figures: list[tuple[float | None, float | None, float | None]], turned: bool) -> tuple[Floats, Floats]:
    """Return each level's place among all by rank, in standard deviations of ranks, with its standard error.

    The error is that of the ranks which the figure's interval reaches over. A figure whose error is not known gets the largest of
    the others'; one that is not known itself is never beyond chance.
    """
    value, low, high = (np.array([np.nan if one is None else one for one in column]) for column in zip(*figures, strict=True))
    ranks = np.array([np.sum(value < one) + (np.sum(value == one) + 1) / 2 for one in value])
    spread = float(np.std(ranks, ddof=1)) or 1.0
    reached = np.array([np.sum(value <= above) - np.sum(value < below) for below, above in zip(low, high, strict=True)])
    error = np.where(np.isnan(low), np.nan, np.maximum(reached, 1) / (2 * Z95 * spread))
    known = error[~np.isnan(error)]
    error = np.where(np.isnan(error), known.max() if len(known) else np.inf, error)
    place: Floats = (-1 if turned else 1) * (ranks - ranks.mean()) / spread
    return np.where(np.isnan(value), 0.0, place), np.where(np.isnan(value), np.inf, error)
