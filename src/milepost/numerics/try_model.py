"""A logistic model of tries with a normal ability of each subject integrated out, fitted by marginal likelihood.

For try n of subject p at item l: logit P(success) = ability(p) - difficulty(l) + learning * log(n), ability ~ Normal(0, sd²).
Since abilities are integrated out, and dropping out may depend on all that happened so far, late items that only able
subjects reach are not flattered. Weak priors keep items with all or no successes, and a sample of two, finite and wide.

Source: R. D. Bock and M. Aitkin, "Marginal maximum likelihood estimation of item parameters", Psychometrika 46 (1981);
the information by T. A. Louis, "Finding the observed information matrix when using the EM algorithm", JRSS B 44 (1982).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from milepost.logs.interface import Bools, Floats, Ints

_REACH: Final = 5.0  # abilities are integrated over this many standard deviations to each side
_ITERATIONS: Final = 60
_WIDE: Final = 1.5  # logits; a spread of abilities up to which the points of integration are dense enough
_SAMPLE: Final = 500  # subjects
_HALVINGS: Final = 12  # of a step that leads down
_SLACK: Final = 1e-9  # of the log posterior, for rounding
_STEP: Final = 1.5  # the longest Newton step of a parameter
_PRIOR_SD: Final = 2.5  # of a difficulty, in logits
_PRIOR_LEARNING: Final = (0.3, 0.5)  # mean and standard deviation
_PRIOR_LOG_SD: Final = (-0.2, 0.6)  # of the logarithm of the abilities' standard deviation


@dataclass(frozen=True)
class Fit:
    """What was estimated: difficulties with their covariance, the learning slope, and the spread of abilities."""

    difficulty: Floats
    covariance: Floats
    learning: float
    learning_se: float
    ability_sd: float
    log_sd_se: float
    ability: Floats  # per subject, the posterior mean


def fit_tries(subject: Ints, item: Ints, number: Ints, success: Bools, n_items: int) -> Fit:
    """Fit the model.

    Args:
        subject: per try, its subject, from 0.
        item: per try, its item, from 0.
        number: per try, its number among the subject's at the item, from 1.
        success: per try, whether it succeeded.
        n_items: the number of items; those without tries get the prior.
    """
    data = _Data(subject, item, number, success, n_items)
    values = data.start()
    if data.n_subjects > 2 * _SAMPLE:  # most of the way on a sample, the rest on all
        few = subject < _SAMPLE
        sample = fit_tries(subject[few], item[few], number[few], success[few], n_items)
        values = np.concatenate((sample.difficulty, [sample.learning, np.log(sample.ability_sd)]))
    values = _uphill(data, values)
    information = data.slopes(values)[1]
    covariance: Floats = np.linalg.inv(_definite(information)).astype(np.float64)
    return Fit(
        values[:n_items], covariance[:n_items, :n_items], float(values[-2]), float(np.sqrt(covariance[-2, -2])),
        float(np.exp(values[-1])), float(np.sqrt(covariance[-1, -1])), data.abilities(values),
    )  # fmt: skip


def _uphill(data: _Data, values: Floats) -> Floats:
    """Newton's steps to the top of the posterior, turned round where it bends the wrong way, halved where they lead down."""
    height = data.height(values)
    for _ in range(_ITERATIONS):
        gradient, information = data.slopes(values)
        bends_right = float(np.linalg.eigvalsh(information).min()) > 0
        step = np.clip(np.linalg.solve(information if bends_right else _definite(information), gradient), -_STEP, _STEP)
        for _ in range(_HALVINGS):
            reached = data.height(values + step)
            if reached >= height - _SLACK:
                break
            step = step / 2
        values, height = values + step, reached
        if bends_right and np.abs(step).max() < 2e-3:  # Newton's error is the square of that
            break
    return values


def fit_around(
    fit: Fit, difficulty: Floats, subject: Ints, item: Ints, number: Ints, success: Bools
) -> tuple[Floats, Floats]:
    """Difficulties with their covariance as the likelihood's slope and curvature at other difficulties would have them."""
    data = _Data(subject, item, number, success, len(difficulty))
    values = np.concatenate((difficulty, [fit.learning, np.log(fit.ability_sd)]))
    gradient, information = data.slopes(values)
    covariance: Floats = np.linalg.inv(_definite(information)).astype(np.float64)
    n = len(difficulty)
    return difficulty + (covariance @ gradient)[:n], covariance[:n, :n]


def _definite(matrix: Floats) -> Floats:
    """The matrix with its eigenvalues' sizes, none smaller than a little, so that a step goes uphill."""
    values, vectors = np.linalg.eigh((matrix + matrix.T) / 2)
    floor = max(1e-3, 1e-6 * float(np.abs(values).max()))
    definite: Floats = (vectors * np.maximum(np.abs(values), floor)) @ vectors.T
    return definite


class _Data:
    """The tries, gathered by subject and by kind of try (item and number), with the points of integration."""

    def __init__(self, subject: Ints, item: Ints, number: Ints, success: Bools, n_items: int) -> None:
        from scipy.sparse import csr_matrix

        self.n_items = n_items
        most = int(number.max(initial=1)) + 1
        kinds, kind = np.unique(item * most + number, return_inverse=True)
        self.kind_item, self.kind_log = kinds // most, np.log(kinds % most)
        self.n_subjects = int(subject.max(initial=-1)) + 1
        shape = (self.n_subjects, len(kinds))
        ones = np.ones(len(subject))
        self.tries: Any = csr_matrix((ones, (subject, kind)), shape=shape)
        self.wins: Any = csr_matrix((success.astype(np.float64), (subject, kind)), shape=shape)
        heaviest = float(np.bincount(subject, minlength=1).max(initial=0))
        narrowest = 1.0 / np.sqrt(1.0 + 0.2 * _WIDE**2 * heaviest)  # what a subject's tries leave of a standard normal
        count = int(np.clip(np.ceil(2 * _REACH / (1.5 * narrowest)), 21, 121))
        self.points = np.linspace(-_REACH, _REACH, count)
        log_weight = -0.5 * self.points**2
        self.log_weight = log_weight - np.log(np.exp(log_weight).sum())
        # Kind by parameter: which difficulty it has, with which sign, and its log number.
        self.design = np.zeros((len(kinds), n_items + 1))
        self.design[np.arange(len(kinds)), self.kind_item] = -1.0
        self.design[:, n_items] = self.kind_log
        self.won = self.wins @ self.design
        self.won_total = np.asarray(self.wins.sum(axis=1)).ravel()

    def start(self) -> Floats:
        """Where to begin: smoothed rates, and the priors."""
        wins = np.bincount(self.kind_item, weights=np.asarray(self.wins.sum(axis=0)).ravel(), minlength=self.n_items)
        tries = np.bincount(self.kind_item, weights=np.asarray(self.tries.sum(axis=0)).ravel(), minlength=self.n_items)
        rate = (wins + 0.5) / (tries + 1.0)
        return np.concatenate((-np.log(rate / (1 - rate)), [_PRIOR_LEARNING[0], _PRIOR_LOG_SD[0]]))

    def _chances(self, values: Floats) -> Floats:
        """Per kind and point, the chance of success."""
        linear = self.design @ values[:-1]
        chance: Floats = 1.0 / (1.0 + np.exp(-np.clip(linear[:, None] + np.exp(values[-1]) * self.points, -35, 35)))
        return chance

    def _weights(self, chance: Floats) -> Floats:
        """Per subject and point, the posterior weight."""
        fail = np.log1p(-chance)
        log_likelihood = self.wins @ (np.log(chance) - fail) + self.tries @ fail + self.log_weight
        log_likelihood -= log_likelihood.max(axis=1, keepdims=True)
        weight: Floats = np.exp(log_likelihood)
        weight /= weight.sum(axis=1, keepdims=True)
        return weight

    def abilities(self, values: Floats) -> Floats:
        """Per subject, the posterior mean of the ability."""
        means: Floats = self._weights(self._chances(values)) @ self.points * np.exp(values[-1])
        return means

    def height(self, values: Floats) -> float:
        """The log posterior, but for a constant."""
        chance = self._chances(values)
        fail = np.log1p(-chance)
        log_likelihood = self.wins @ (np.log(chance) - fail) + self.tries @ fail + self.log_weight
        most = log_likelihood.max(axis=1, keepdims=True)
        likelihood = float((np.log(np.exp(log_likelihood - most).sum(axis=1)) + most[:, 0]).sum())
        mean, precision = self._prior()
        return likelihood - 0.5 * float(precision @ (values - mean) ** 2)

    def slopes(self, values: Floats) -> tuple[Floats, Floats]:
        """The gradient of the log posterior and its observed information, by Louis' identity."""
        chance = self._chances(values)
        weight = self._weights(chance)
        size = self.n_items + 2
        sd = float(np.exp(values[-1]))
        mean = np.zeros((self.n_subjects, size))
        outer, complete = np.zeros((size, size)), np.zeros((size, size))
        for place, point in enumerate(self.points):
            own = weight[:, place]
            score = self._scores(chance[:, place], sd * point)
            mean += own[:, None] * score
            outer += score.T @ (own[:, None] * score)
            complete += self._complete(chance[:, place], own, sd * point, float(own @ score[:, -1]))
        prior_mean, precision = self._prior()
        gradient = mean.sum(axis=0) - precision * (values - prior_mean)
        missing = outer - mean.T @ mean
        return gradient, complete - missing + np.diag(precision)

    def _scores(self, chance: Floats, ability: float) -> Floats:
        """Per subject, the score of all parameters if the ability were this."""
        expected = self.tries @ (chance[:, None] * self.design)
        score = np.empty((self.n_subjects, self.n_items + 2))
        score[:, :-1] = self.won - expected
        score[:, -1] = ability * (self.won_total - self.tries @ chance)
        return score

    def _complete(self, chance: Floats, weight: Floats, ability: float, log_sd_score: float) -> Floats:
        """The information if the ability were this, weighted."""
        mass = (self.tries.T @ weight) * chance * (1 - chance)
        full = np.column_stack((self.design, np.full(len(chance), ability)))
        information: Floats = full.T @ (mass[:, None] * full)
        information[-1, -1] -= log_sd_score  # the logarithm of the spread enters through its exponential
        return information

    def _prior(self) -> tuple[Floats, Floats]:
        """Per parameter, the mean and the precision of its normal prior."""
        mean = np.concatenate((np.zeros(self.n_items), [_PRIOR_LEARNING[0], _PRIOR_LOG_SD[0]]))
        precision = np.concatenate((np.full(self.n_items, _PRIOR_SD**-2), [_PRIOR_LEARNING[1] ** -2, _PRIOR_LOG_SD[1] ** -2]))
        return mean, precision
