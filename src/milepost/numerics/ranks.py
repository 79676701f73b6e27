"""Rank correlation of two measured things, with an interval that knows that some pairs come from the same player."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.numerics.intervals import Z95, Interval

DRAWS, SEED = 1000, 1
_FEWEST = 3  # players of whom an interval is given
_AT_ONCE = 1 << 20  # pairs of as many draws as are looked at together


@dataclass(frozen=True, eq=False, repr=False)
class Pairs:
    """Pairs of two values; all columns of one length.

    Attributes:
        first, other: the values.
        owner: whose each pair is, as numbers from 0 up.
    """

    first: Floats
    other: Floats
    owner: Ints


def spearman(pairs: Pairs) -> float | None:
    """Spearman's rank correlation, ties at their middle rank; None where one of the two does not differ at all.

    Spearman, C. (1904), "The proof and measurement of association between two things".
    """
    rho = float(_Ranked.of(pairs).rho(np.ones((1, len(pairs.owner))))[0])
    return None if np.isnan(rho) else rho


def spearman_interval(pairs: Pairs) -> Interval:
    """Its 95 % interval: owners drawn with replacement, ``DRAWS`` times from ``SEED``; none for fewer than three owners.

    Efron, B. and Tibshirani, R. (1993), "An Introduction to the Bootstrap", percentile interval over clusters.
    """
    owners = int(pairs.owner.max(initial=-1)) + 1
    if owners < _FEWEST:
        return None, None
    ranked, drawn = _Ranked.of(pairs), np.random.default_rng(SEED).integers(0, owners, (DRAWS, owners))
    at_once = max(1, _AT_ONCE // len(pairs.owner))
    rhos = [ranked.rho(_count_draws(draws, owners)[:, pairs.owner]) for draws in np.split(drawn, range(at_once, DRAWS, at_once))]
    known_rhos = np.concatenate(rhos)
    known_rhos = known_rhos[~np.isnan(known_rhos)]
    if len(known_rhos) < DRAWS // 2:
        return None, None
    low, high = np.quantile(known_rhos, [0.025, 0.975])
    return float(low), float(high)


@dataclass(frozen=True, eq=False, repr=False)
class _Ranked:
    """Pairs by the places of their values among the distinct ones."""

    first: Ints
    other: Ints

    @classmethod
    def of(cls, pairs: Pairs) -> _Ranked:
        """Find the places."""
        return cls(np.unique(pairs.first, return_inverse=True)[1], np.unique(pairs.other, return_inverse=True)[1])

    def rho(self, weight: Floats | Ints) -> Floats:
        """Per row of weights, the correlation, were each pair there so many times; NaN where one of the two does not differ."""
        total = weight.sum(axis=1)
        a, b = (_middle_ranks(places, weight) for places in (self.first, self.other))
        with np.errstate(divide="ignore", invalid="ignore"):
            a, b = (ranks - ((weight * ranks).sum(axis=1) / total)[:, None] for ranks in (a, b))
            spread = np.sqrt((weight * a * a).sum(axis=1) * (weight * b * b).sum(axis=1))
            rho: Floats = np.clip((weight * a * b).sum(axis=1) / spread, -1.0, 1.0)
        return np.where(spread > 1e-9 * total, rho, np.nan)


def _count_draws(drawn: Ints, owners: int) -> Ints:
    """Per row of owners drawn, how often each of them was."""
    rows = len(drawn)
    return np.bincount((drawn + owners * np.arange(rows)[:, None]).ravel(), minlength=rows * owners).reshape(rows, owners)


def _middle_ranks(places: Ints, weight: Floats | Ints) -> Floats:
    """Per row of weights, the rank of each value, those that are equal in the middle of theirs."""
    order = np.argsort(places, kind="stable")
    starts = np.flatnonzero(np.diff(places[order], prepend=-1))
    counts = np.add.reduceat(weight[:, order].astype(np.float64), starts, axis=1)
    ranks: Floats = (np.cumsum(counts, axis=1) - counts / 2)[:, places]
    return ranks


def rank_standings(figures: list[tuple[float | None, float | None, float | None]], turned: bool) -> tuple[Floats, Floats]:
    """Return each level's place among all by rank, in standard deviations of ranks, with its standard error.

    The error is that of the ranks which the figure's interval reaches over. A figure whose error is not known gets the largest of
    the others'; one that is not known itself is never beyond chance.
    """
    value, low, high = (np.array([np.nan if cell is None else cell for cell in column]) for column in zip(*figures, strict=True))
    ranks = np.array([np.sum(value < item) + (np.sum(value == item) + 1) / 2 for item in value])
    spread = float(np.std(ranks, ddof=1)) or 1.0
    reached = np.array([np.sum(value <= above) - np.sum(value < below) for below, above in zip(low, high, strict=True)])
    error = np.where(np.isnan(low), np.nan, np.maximum(reached, 1) / (2 * Z95 * spread))
    known = error[~np.isnan(error)]
    error = np.where(np.isnan(error), known.max() if len(known) else np.inf, error)
    place: Floats = (-1 if turned else 1) * (ranks - ranks.mean()) / spread
    return np.where(np.isnan(value), 0.0, place), np.where(np.isnan(value), np.inf, error)
