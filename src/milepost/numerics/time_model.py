"""Times with an effect of subject and item, some of them cut off: the alternative where tries have no failures.

log(time) = item + subject + noise, with subject ~ Normal(0, a²) and noise ~ Normal(0, e²); a time that was cut off is longer than
seen, and stands for its expectation given that (the EM algorithm, with the subjects' effects integrated out).

Source: M. A. Tanner and W. H. Wong, "The calculation of posterior distributions by data augmentation", JASA 82 (1987), for the
imputation; C. R. Henderson, "Best linear unbiased estimation and prediction", Biometrics 31 (1975), for the effects.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.numerics.try_model import Fit
from milepost.numerics.whole_numbers import number_values

_ROUNDS: Final = 40
_NEAR: Final = 0.01  # log seconds; a last round that moves an item by more has not arrived
_STILL: Final = 1e-10  # log seconds; a round that moves nothing by more is the last
_PRIOR_SD: Final = 4.0  # of an item, around their mean
_KEPT: Final = 1 << 24  # numbers, up to which the products of each kind of subject are kept from round to round
_BLOCK: Final = 1 << 20  # cells of subject and item that are multiplied at once


def fit_times(subject: Ints, item: Ints, log_time: Floats, happened: Bools, n_items: int) -> Fit:
    """Item effects in log seconds less their mean, with their covariance; `ability` holds minus the subjects' effects.

    Args:
        subject: per pair, its subject, from 0.
        item: per pair, its item, from 0.
        log_time: the logarithm of its time.
        happened: whether it ended then; else it was cut off.
        n_items: the number of items.
    """
    pairs = _Pairs(subject, item, n_items)
    seen = log_time - float(log_time.mean())
    y, noise, spread, items = seen, 0.5, 0.5, np.zeros(n_items)
    for _ in range(_ROUNDS):
        normal, before = _Normal(pairs, noise, spread), (items, noise, spread)
        items, people = normal.effects(y)
        fitted = items[item] + people[subject]
        if not happened.all():
            y = np.where(happened, seen, fitted + noise * _beyond((seen - fitted) / noise))
        noise = float(np.sqrt(np.mean((y - fitted) ** 2) + normal.variance_of_pairs)) + 1e-3
        spread = float(np.sqrt(np.mean(people**2) + normal.variance_of_subjects)) + 1e-3
        moved = float(np.abs(items - before[0]).max(initial=0.0))
        if max(moved, abs(noise - before[1]), abs(spread - before[2])) < _STILL:
            break
    return Fit(items, normal.covariance, 0.0, 0.0, spread, 0.0, -people, arrived=moved < _NEAR)


class _Pairs:
    """Which subject has a time at which item; subjects with equally many times are of one kind.

    ``alone`` counts the times of each item; ``count`` those of a subject of each kind, ``subjects`` the subjects of it.
    """

    def __init__(self, subject: Ints, item: Ints, n_items: int) -> None:
        self.subject, self.item = subject, item
        self.alone = np.bincount(item, minlength=n_items)
        self.count, self.kind = number_values(np.bincount(subject))
        self.subjects = np.bincount(self.kind, minlength=len(self.count))

    def weighted(self, weight: Floats) -> Floats:
        """Return the products of all subjects, items by items, weighted by their kind."""
        total = np.zeros((len(self.alone), len(self.alone)))
        for kind, products in self._products():
            total += weight[kind] * products
        return total

    def spread_over(self, covariance: Floats) -> Floats:
        """Return the variance of the sum of a subject's items, added up over the subjects of each kind."""
        result = np.zeros(len(self.count))
        for kind, products in self._products():
            result[kind] += np.vdot(covariance, products)
        return result

    def _products(self) -> Iterable[tuple[int, Floats]]:
        return self._kept if len(self.count) * len(self.alone) ** 2 <= _KEPT else self._sum_products()

    @cached_property
    def _kept(self) -> list[tuple[int, Floats]]:
        total = np.zeros((len(self.count), len(self.alone), len(self.alone)))
        for kind, products in self._sum_products():
            total[kind] += products
        return list(enumerate(total))

    def _sum_products(self) -> Iterator[tuple[int, Floats]]:
        """The kind of some subjects, and the sum of their products: how often two items are one subject's."""
        n_items, order = len(self.alone), np.lexsort((self.subject, self.kind[self.subject]))
        at_once = max(1, _BLOCK // max(1, n_items))
        by_kind = np.split(order, np.cumsum(self.count * self.subjects)[:-1])
        for kind, rows in enumerate(by_kind):
            count = max(1, int(self.count[kind]))
            for part in np.split(rows, range(at_once * count, len(rows), at_once * count)):
                cells = np.arange(len(part)) // count * n_items + self.item[part]
                times = np.bincount(cells, minlength=len(part) // count * n_items).reshape(-1, n_items).astype(np.float64)
                yield kind, times.T @ times


@dataclass
class _Normal:
    """The normal equations of items and subjects, with the subjects' block, which is diagonal, eliminated."""

    pairs: _Pairs
    noise: float
    spread: float

    @cached_property
    def less(self) -> Floats:
        """Per kind of subject, the variance of one if the items were known."""
        less: Floats = 1 / (self.pairs.count / self.noise**2 + self.spread**-2)
        return less

    @cached_property
    def covariance(self) -> Floats:
        """The covariance of the items."""
        information = np.diag(self.pairs.alone / self.noise**2 + _PRIOR_SD**-2)
        return np.linalg.inv(information - self.pairs.weighted(self.less / self.noise**4)).astype(np.float64)

    def effects(self, y: Floats) -> tuple[Floats, Floats]:
        """Return the effects of items and of subjects."""
        pairs, precision = self.pairs, self.noise**-2
        less = self.less[pairs.kind]
        of_items = np.bincount(pairs.item, y, len(pairs.alone)) * precision
        of_subjects = np.bincount(pairs.subject, y, len(less)) * precision
        through = np.bincount(pairs.item, (of_subjects * less)[pairs.subject], len(pairs.alone)) * precision
        items: Floats = self.covariance @ (of_items - through)
        people: Floats = (of_subjects - np.bincount(pairs.subject, items[pairs.item], len(less)) * precision) * less
        return items, people

    @cached_property
    def _shared(self) -> Floats:
        """Minus the covariance of a subject with the sum of its items, added up over the subjects of each kind."""
        return self.less / self.noise**2 * self.pairs.spread_over(self.covariance)

    @cached_property
    def _of_subjects(self) -> Floats:
        """The variances of the subjects of each kind, added up."""
        return self.less * (self.pairs.subjects + self._shared / self.noise**2)

    @property
    def variance_of_subjects(self) -> float:
        """The mean variance of a subject."""
        return float(self._of_subjects.sum() / self.pairs.subjects.sum())

    @property
    def variance_of_pairs(self) -> float:
        """The mean variance of the sum of both effects of a pair."""
        items = np.diag(self.covariance) @ self.pairs.alone
        return float((items + self.pairs.count @ self._of_subjects - 2 * self._shared.sum()) / len(self.pairs.item))


def _beyond(value: Floats) -> Floats:
    """The mean of a standard normal above a value."""
    from scipy.special import log_ndtr

    mean: Floats = np.exp(-0.5 * value**2 - 0.5 * np.log(2 * np.pi) - log_ndtr(-value))
    return np.maximum(mean, value)
