"""Times with an effect of subject and item, some of them cut off: the alternative where tries have no failures.

log(time) = item + subject + noise, with subject ~ Normal(0, a²) and noise ~ Normal(0, e²); a time that was cut off is longer than
seen, and stands for its expectation given that (the EM algorithm, with the subjects' effects integrated out).

Source: M. A. Tanner and W. H. Wong, "The calculation of posterior distributions by data augmentation", JASA 82 (1987), for the
imputation; C. R. Henderson, "Best linear unbiased estimation and prediction", Biometrics 31 (1975), for the effects.
"""

from __future__ import annotations

from typing import Any, Final

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.numerics.try_model import Fit

_ROUNDS: Final = 40
_NEAR: Final = 0.01  # log seconds; a last round that moves an item by more has not arrived
_PRIOR_SD: Final = 4.0  # of an item, around their mean


def fit_times(subject: Ints, item: Ints, log_time: Floats, happened: Bools, n_items: int) -> Fit:
    """Item effects in log seconds less their mean, with their covariance; `ability` holds minus the subjects' effects.

    Args:
        subject: per pair, its subject, from 0.
        item: per pair, its item, from 0.
        log_time: the logarithm of its time.
        happened: whether it ended then; else it was cut off.
        n_items: the number of items.
    """
    from scipy.sparse import csr_matrix

    n_subjects = int(subject.max(initial=-1)) + 1
    pairs: object = csr_matrix((np.ones(len(item)), (item, subject)), shape=(n_items, n_subjects))
    centre = float(log_time.mean())
    seen = log_time - centre
    y, noise, spread, items = seen, 0.5, 0.5, np.zeros(n_items)
    for _ in range(_ROUNDS):
        normal, before = _Normal(pairs, noise, spread), items
        items, people = normal.effects(item, subject, y)
        fitted = items[item] + people[subject]
        y = np.where(happened, seen, fitted + noise * _beyond((seen - fitted) / noise))
        noise = float(np.sqrt(np.mean((y - fitted) ** 2 + normal.variances(item, subject)))) + 1e-3
        spread = float(np.sqrt(np.mean(people**2 + normal.own))) + 1e-3
    near = bool(np.abs(items - before).max(initial=0.0) < _NEAR)
    return Fit(items, normal.covariance, 0.0, 0.0, spread, 0.0, -people, arrived=near)


class _Normal:
    """The normal equations of items and subjects, with the subjects' block, which is diagonal, eliminated.

    ``covariance`` is that of the items, ``own`` the variance of each subject.
    """

    def __init__(self, pairs: Any, noise: float, spread: float) -> None:
        self.noise = noise
        self.between = pairs / noise**2
        count = np.asarray(pairs.sum(axis=0)).ravel()
        self.less: Floats = 1 / (count / noise**2 + spread**-2)  # of each subject
        alone = np.asarray(pairs.sum(axis=1)).ravel() / noise**2 + _PRIOR_SD**-2
        through = (self.between.multiply(self.less[None, :]) @ self.between.T).toarray()
        self.covariance: Floats = np.linalg.inv(np.diag(alone) - through).astype(np.float64)
        self.shared: Floats = (self.covariance @ self.between) * self.less  # minus the covariance of item and subject
        self.own: Floats = self.less + np.asarray(self.between.multiply(self.shared).sum(axis=0)).ravel() * self.less

    def effects(self, item: Ints, subject: Ints, y: Floats) -> tuple[Floats, Floats]:
        """Return the effects of items and of subjects."""
        of_items = np.bincount(item, y, len(self.covariance)) / self.noise**2
        of_subjects = np.bincount(subject, y, len(self.less)) / self.noise**2
        items: Floats = self.covariance @ (of_items - self.between @ (of_subjects * self.less))
        people: Floats = (of_subjects - self.between.T @ items) * self.less
        return items, people

    def variances(self, item: Ints, subject: Ints) -> Floats:
        """Return the variances of the sum of both effects, pair by pair."""
        result: Floats = np.diag(self.covariance)[item] + self.own[subject] - 2 * self.shared[item, subject]
        return result


def _beyond(value: Floats) -> Floats:
    """The mean of a standard normal above a value."""
    from scipy.special import log_ndtr

    mean: Floats = np.exp(-0.5 * value**2 - 0.5 * np.log(2 * np.pi) - log_ndtr(-value))
    return np.maximum(mean, value)
