"""Differences of estimates that may all have moved together: what the shift is, and what each did beyond it.

difference = shift + delta + error, error ~ Normal(0, V). The shift is free. Most deltas are next to nothing: those of the
anchors, the differences near the middle, are Normal(0, tau^2), with tau averaged over a grid under a half-normal prior; the
others are free. Each delta is told against the shift of the others alone, by generalised least squares.

Source: A. C. Aitken, "On least squares and linear combinations of observations", Proceedings of the Royal Society of
Edinburgh 55 (1936); Y. Benjamini and Y. Hochberg, "Controlling the false discovery rate", JRSS B 57 (1995).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.numerics.intervals import two_sided

_SMALL: Final = 0.1  # the half-normal's scale
_TAUS: Final = np.arange(0.0, 0.41, 0.05)
_NEAR: Final = 2.5  # standard deviations from the shift up to which a difference is an anchor
_ROUNDS: Final = 12
FEWEST: Final = 3  # anchors


@dataclass(frozen=True, eq=False, repr=False)
class Shifted:
    """Estimates of the shift and of the deltas.

    Attributes:
        shift, shift_se: the shift and its standard error.
        delta, delta_se: per difference, what it did beyond the shift of the others, and its standard error.
        p: per difference, how often one that did nothing but what the anchors do would be as large.
        spread: tau, on average.
        anchors: which differences the shift rests on.
    """

    shift: float
    shift_se: float
    delta: Floats
    delta_se: Floats
    p: Floats
    spread: float
    anchors: Bools


def estimate_shift(difference: Floats, covariance: Floats, untouched: Bools | None = None) -> Shifted:
    """Tell the shift from the deltas.

    Args:
        difference: the differences; at least one.
        covariance: of their errors.
        untouched: which of them are known to have done nothing of their own, where that is known: the shift rests on these.
    """
    if untouched is not None:
        return _average_over_tau(difference, covariance, untouched)
    spread = np.sqrt(np.maximum(0.0, _centred(covariance)) + _SMALL**2)
    anchors = _near(np.abs(difference - np.median(difference)) / spread)
    seen = {anchors.tobytes()}
    for _ in range(_ROUNDS):
        result = _average_over_tau(difference, covariance, anchors)
        away = np.abs(result.delta) / np.sqrt(result.delta_se**2 + result.spread**2)
        anchors = _near(away)
        if anchors.tobytes() in seen:
            break
        seen.add(anchors.tobytes())
    return _average_over_tau(difference, covariance, anchors)


def _near(away: Floats) -> Bools:
    """Return a mask of the values that are near enough; if these are too few, of some more."""
    near = away <= _NEAR
    near[np.argsort(away, kind="stable")[:FEWEST]] = True
    return near


def _centred(covariance: Floats) -> Floats:
    """The variance of each difference less the mean of all."""
    mean = covariance.mean(axis=0)
    variance: Floats = np.diag(covariance) - 2 * mean + mean.mean()
    return variance


def _average_over_tau(difference: Floats, covariance: Floats, anchors: Bools) -> Shifted:
    """With these anchors, averaged over the grid of tau."""
    each = [_evaluate_at(float(tau), difference, covariance, anchors) for tau in _TAUS]
    logs = np.array([fit.log_weight for fit in each])
    weight = np.exp(logs - logs.max())
    weight /= weight.sum()
    shifts, deltas = np.array([fit.shift for fit in each]), np.array([fit.delta for fit in each])
    shift, delta = float(weight @ shifts), weight @ deltas
    variances = np.array([fit.delta_variance for fit in each]) + (deltas - delta) ** 2
    p = np.array([two_sided(fit.delta / np.sqrt(fit.delta_variance + tau**2)) for fit, tau in zip(each, _TAUS, strict=True)])
    shift_variance = weight @ (np.array([fit.shift_variance for fit in each]) + (shifts - shift) ** 2)
    return Shifted(
        shift, float(np.sqrt(shift_variance)), delta, np.sqrt(weight @ variances), weight @ p, float(weight @ _TAUS), anchors
    )


@dataclass(frozen=True, eq=False, repr=False)
class _At:
    """Estimates at one tau, and the logarithm of its likelihood."""

    log_weight: float
    shift: float
    shift_variance: float
    delta: Floats
    delta_variance: Floats


def _evaluate_at(tau: float, difference: Floats, covariance: Floats, anchors: Bools) -> _At:
    inside = np.flatnonzero(anchors)
    marginal = covariance[np.ix_(inside, inside)] + tau**2 * np.eye(len(inside))
    inverse = np.linalg.inv(marginal)
    row, total = inverse.sum(axis=1), float(inverse.sum())
    x = difference[inside]
    shift = float(row @ x) / total
    rest = x - shift
    log_likelihood = -0.5 * (float(np.linalg.slogdet(marginal)[1]) + np.log(total) + float(rest @ inverse @ rest))
    weights = np.broadcast_to(row / total, (len(difference), len(inside))).copy()
    if len(inside) > 1:  # an anchor is told against the others; one row and column less of a matrix is known from its inverse
        diagonal = np.diag(inverse)
        weights[inside] = (row - inverse * (row / diagonal)[:, None]) / (total - row**2 / diagonal)[:, None]
    delta = difference - weights @ x
    across = covariance[:, inside]
    variance = np.diag(covariance) - 2 * (weights * across).sum(axis=1) + np.einsum("ij,jk,ik->i", weights, marginal, weights)
    return _At(log_likelihood - 0.5 * (tau / _SMALL) ** 2, shift, 1 / total, delta, np.maximum(variance, 1e-12))


def false_discovery_rate(p: Floats) -> Floats:
    """Per test, the least rate of false discoveries at which it is one (Benjamini and Hochberg)."""
    n = len(p)
    order = np.argsort(p, kind="stable")[::-1]
    q = np.empty(n)
    q[order] = np.minimum.accumulate(np.minimum(1.0, p[order] * n / np.arange(n, 0, -1)))
    return q
