"""Times with an effect of subject and item, some of them cut off: the alternative where tries have no failures.

log(time) = item + subject + noise, with subject ~ Normal(0, a²) and noise ~ Normal(0, e²); a time that was cut off is longer than
seen, and stands for its expectation given that (the EM algorithm, with the subjects' effects integrated out).

Source: M. A. Tanner and W. H. Wong, "The calculation of posterior distributions by data augmentation", JASA 82 (1987), for the
imputation; C. R. Henderson, "Best linear unbiased estimation and prediction", Biometrics 31 (1975), for the effects.
"""

from __future__ import annotations

from typing import Final

import numpy as np

from milepost.logs.interface import Bools, Floats, Ints
from milepost.numerics.try_model import Fit

_ROUNDS: Final = 40
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
    n_subjects = int(subject.max(initial=-1)) + 1
    design = np.zeros((len(item), n_items + n_subjects))
    design[np.arange(len(item)), item] = 1.0
    design[np.arange(len(item)), n_items + subject] = 1.0
    centre = float(log_time.mean())
    y, noise, spread = log_time - centre, 0.5, 0.5
    inverse: Floats = np.eye(design.shape[1])
    effects: Floats = np.zeros(design.shape[1])
    for _ in range(_ROUNDS):
        penalty = np.concatenate((np.full(n_items, _PRIOR_SD**-2), np.full(n_subjects, spread**-2)))
        inverse = np.linalg.inv(design.T @ design / noise**2 + np.diag(penalty)).astype(np.float64)
        effects = inverse @ (design.T @ y) / noise**2
        fitted = design @ effects
        seen = log_time - centre
        y = np.where(happened, seen, fitted + noise * _beyond((seen - fitted) / noise))
        own = np.einsum("ij,jk,ik->i", design, inverse, design, optimize=True)
        noise = float(np.sqrt(np.mean((y - fitted) ** 2 + own))) + 1e-3
        people = effects[n_items:]
        spread = float(np.sqrt(np.mean(people**2 + np.diag(inverse)[n_items:]))) + 1e-3
    covariance: Floats = inverse[:n_items, :n_items].astype(np.float64)
    return Fit(effects[:n_items], covariance, 0.0, 0.0, spread, 0.0, -effects[n_items:])


def _beyond(value: Floats) -> Floats:
    """The mean of a standard normal above a value."""
    from scipy.special import log_ndtr

    mean: Floats = np.exp(-0.5 * value**2 - 0.5 * np.log(2 * np.pi) - log_ndtr(-value))
    return np.maximum(mean, value)
