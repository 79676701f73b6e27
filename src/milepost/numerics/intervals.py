"""Confidence intervals for shares and ratios, and for a survival curve; 95 % throughout."""

from __future__ import annotations

from math import erfc, exp, inf, lgamma, log, pi, sqrt
from typing import Final

import numpy as np

from milepost.arrays import Floats, Ints

Z95 = 1.959963984540054  # the standard normal's 97.5 % quantile
_ALPHA = 0.05

Interval = tuple[float | None, float | None]
NO_INTERVAL: Interval = (None, None)


def wilson_interval(hits: int, total: int) -> Interval:
    """Wilson's score interval for a share; nothing without observations.

    Source: E. B. Wilson, "Probable inference, the law of succession, and statistical inference", JASA 22 (1927).
    """
    if total == 0:
        return NO_INTERVAL
    share, z2 = hits / total, Z95 * Z95
    middle = (share + z2 / (2 * total)) / (1 + z2 / total)
    half = Z95 / (1 + z2 / total) * sqrt(share * (1 - share) / total + z2 / (4 * total * total))
    low = 0.0 if hits == 0 else max(0.0, middle - half)
    return low, 1.0 if hits == total else min(1.0, middle + half)


def exact_interval(hits: int, total: int) -> Interval:
    """The exact interval for a share, from quantiles of the beta distribution.

    Source: C. J. Clopper and E. S. Pearson, "The use of confidence or fiducial limits", Biometrika 26 (1934).
    """
    if total == 0:
        return NO_INTERVAL
    if hits == 0 or hits == total:  # closed forms, which spare an import
        edge = (_ALPHA / 2) ** (1 / total)
        return (0.0, 1 - edge) if hits == 0 else (edge, 1.0)
    from scipy.special import betaincinv

    low = betaincinv(hits, total - hits + 1, _ALPHA / 2)
    return float(low), float(betaincinv(hits + 1, total - hits, 1 - _ALPHA / 2))


def clustered_share(hits: Ints, totals: Ints, count: Ints | None = None) -> Interval:
    """An interval for sum(hits)/sum(of) that is robust to tries clustering in players.

    Linearised ratio variance times n/(n - 1), on the logit scale; with one player, or where that variance is 0 between
    0 and 1, the exact interval over tries; at 0 or 1 with more players, the exact one over players.

    Args:
        hits: per player, the tries that cleared.
        totals: per player, the tries; players without any have no say.
        count: how many such players there are; one each where it is not given.

    Source: W. G. Cochran, Sampling Techniques, 3rd ed. (1977), chapter 6.
    """
    count = np.ones(len(totals), np.int64) if count is None else count
    hits, totals, count = hits[totals > 0], totals[totals > 0], count[totals > 0]
    players, cleared, tries = int(count.sum()), int(hits @ count), int(totals @ count)
    if players <= 1:
        return exact_interval(cleared, tries)
    if cleared in (0, tries):
        return exact_interval(players if cleared else 0, players)
    ratio = cleared / tries
    residuals = hits - ratio * totals
    variance = players / (players - 1) * float((residuals * residuals) @ count) / tries**2
    if variance < 1e-24:
        return exact_interval(cleared, tries)
    middle, half = log(ratio / (1 - ratio)), Z95 * sqrt(variance) / (ratio * (1 - ratio))
    return _expit(middle - half), _expit(middle + half)


def _expit(value: float) -> float:
    if value < 0:
        power = exp(max(value, -700.0))
        return power / (1 + power)
    return 1 / (1 + exp(-min(value, 700.0)))


def mean_interval(values: Floats) -> Interval:
    """The 95 % interval of a mean by Student's t; none for fewer than two values, or where all are equal.

    Student (1908), "The probable error of a mean".
    """
    if len(values) < 2 or np.ptp(values) == 0:
        return None, None
    middle, spread = float(values.mean()), float(values.std(ddof=1)) / len(values) ** 0.5
    reach = t_quantile(len(values) - 1) * spread
    return middle - reach, middle + reach


def median_interval(values: Floats) -> Interval:
    """The interval of a median between two of the values in order, at least 95 % whatever they are like; none for fewer than six.

    Source: W. J. Conover, Practical Nonparametric Statistics, 3rd ed. (1999), 3.2.
    """
    heads = np.arange(len(values) + 1)  # of as many coins
    chance = np.exp(_log_factorials(heads[-1:]) - _log_factorials(heads) - _log_factorials(heads[::-1]) - len(values) * log(2))
    below = int(np.argmax(np.cumsum(chance) >= _ALPHA / 2))
    if below < 1:
        return NO_INTERVAL
    ordered = np.sort(values)
    return float(ordered[below - 1]), float(ordered[len(values) - below])


def log_log(survival: float, greenwood: float) -> Interval:
    """An interval for a survival share on the log(-log) scale; nothing at exactly 0 or 1.

    Args:
        survival: the share.
        greenwood: the sum of events / (at risk * (at risk - events)) so far.

    Source: J. D. Kalbfleisch and R. L. Prentice, The Statistical Analysis of Failure Time Data, 2nd ed. (2002), 1.4.
    """
    if survival <= 0 or survival >= 1:
        return NO_INTERVAL
    low, high = log_log_ends(np.array([survival]), np.array([greenwood]))
    return float(low[0]), float(high[0])


def log_log_ends(survival: Floats, greenwood: Floats) -> tuple[Floats, Floats]:
    """Both ends of such an interval for many shares; at exactly 0 or 1 the share itself."""
    low, high = survival.copy(), survival.copy()
    between = (survival > 0) & (survival < 1)
    shares = survival[between]
    half = Z95 * np.sqrt(greenwood[between]) / np.abs(np.log(shares))
    low[between], high[between] = shares ** np.exp(np.minimum(half, 700.0)), shares ** np.exp(-half)
    return low, high


def median(values: Floats) -> float | None:
    """The plain median, halfway between the middle two; None without values."""
    return float(np.median(values)) if len(values) else None


_FAR: Final = -25.0  # from where on down the series is as good as a float
_TERMS: Final = (1.0, -1.0, 3.0, -15.0, 105.0, -945.0)


def t_quantile(freedom: float) -> float:
    """The 97.5 % quantile of Student's t with so many degrees of freedom."""
    from scipy.special import stdtrit  # and not scipy.stats, which takes as long to load as a small log to measure

    return float(stdtrit(freedom, 1 - _ALPHA / 2))


def two_sided(z: Floats) -> Floats:
    """How often a standard normal is as far from 0 as each value, on either side; of the shape of ``z``."""
    far = np.abs(np.ravel(z)) / sqrt(2)
    p: Floats = np.fromiter(map(erfc, far.tolist()), np.float64, len(far))
    return p.reshape(np.shape(z))


def normal_quantile(share: float) -> float:
    """The value below which a standard normal lies with this probability, from 0 to 1."""
    from statistics import NormalDist

    if share in (0.0, 1.0):
        return inf if share else -inf
    return NormalDist().inv_cdf(share)


def log_normal(value: Floats) -> Floats:
    """The logarithm of the distribution function, to some units in the last place; of the shape of ``value``.

    Far down, by its asymptotic series.

    Source: M. Abramowitz and I. A. Stegun, Handbook of Mathematical Functions (1964), 26.2.12.
    """
    flat = np.ravel(value)
    half: Floats = 0.5 * np.fromiter(map(erfc, np.abs(flat / np.sqrt(2)).tolist()), np.float64, len(flat))
    logs: Floats = np.log1p(-half)
    far = flat <= _FAR
    below = (flat < 0) & ~far
    logs[below] = np.log(half[below])
    if far.any():
        square = flat[far] ** -2
        series = np.polynomial.polynomial.polyval(square, _TERMS)
        logs[far] = -0.5 * flat[far] ** 2 - np.log(-flat[far]) - 0.5 * np.log(2 * pi) + np.log(series)
    return logs.reshape(np.shape(value))


_MOST_SPREAD, _HALVINGS = 4.0, 60  # of shares in groups, as a variance: beyond all that shares can have


def spread_interval(groups: list[tuple[Floats, Floats]]) -> Interval:
    """The interval of a standard deviation of figures within groups, beyond what their own errors explain.

    Its ends are where the weighted sum of squares is as large, or as small, as chance makes it in one of forty.

    Args:
        groups: of each group, the figures and the variances of their errors, all above 0.

    Source: W. Viechtbauer, "Confidence intervals for the amount of heterogeneity in meta-analysis", Stat. Med. 26 (2007).
    """
    from scipy.special import chdtri

    freedom = sum(len(values) - 1 for values, _ in groups)
    if freedom < 1:
        return NO_INTERVAL
    low, high = (_spread_with(groups, float(chdtri(freedom, tail))) for tail in (_ALPHA / 2, 1 - _ALPHA / 2))
    return low, high


def _spread_with(groups: list[tuple[Floats, Floats]], wanted: float) -> float:
    """Return the spread beside which the weighted sum of squares is what is wanted; 0 where it is less without any."""
    low, high = 0.0, _MOST_SPREAD
    if _squares(groups, 0.0) <= wanted:
        return 0.0
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if _squares(groups, middle) > wanted else (low, middle)
    return sqrt(high)


def _squares(groups: list[tuple[Floats, Floats]], variance: float) -> float:
    total = 0.0
    for values, errors in groups:
        weights = 1 / (errors + variance)
        total += float((weights * (values - np.average(values, weights=weights)) ** 2).sum())
    return total


_AS_LIKELY = 1e-7  # relative; for rounding


def exact_p(hits: tuple[int, int], totals: tuple[int, int]) -> float:
    """How often chance alone would part two samples as far, or further: the two-sided exact test.

    SciPy has it too, in a package that takes a second to load.

    Args:
        hits: in each sample, how many have it.
        totals: how many each sample has.

    Source: R. A. Fisher, "The logic of inductive inference", JRSS 98 (1935).
    """
    first, weight = _list_two_by_two(hits, totals)
    observed = weight[np.searchsorted(first, hits[0])]
    return float(min(1.0, weight[weight <= observed * (1 + _AS_LIKELY)].sum()))


def as_few_p(hits: tuple[int, int], totals: tuple[int, int]) -> float:
    """How often chance alone would leave the first of two samples with as few hits, or fewer: the one-sided exact test.

    Source: R. A. Fisher, "The logic of inductive inference", JRSS 98 (1935).
    """
    first, weight = _list_two_by_two(hits, totals)
    return float(min(1.0, weight[first <= hits[0]].sum()))


def _list_two_by_two(hits: tuple[int, int], totals: tuple[int, int]) -> tuple[Ints, Floats]:
    """Return the hits that the first of two samples may have, given those of both, and how likely each number is."""
    total, first = sum(hits), np.arange(max(0, sum(hits) - totals[1]), min(sum(hits), totals[0]) + 1)
    second = total - first
    parted = (first, totals[0] - first, second, totals[1] - second)
    logs = -np.sum([_log_factorials(counts) for counts in parted], axis=0)
    weight = np.exp(logs - logs.max())
    return first, weight / weight.sum()


def _log_factorials(counts: Ints) -> Floats:
    return np.fromiter(map(lgamma, (counts + 1.0).tolist()), np.float64, len(counts))
