"""A logistic model of tries with a normal ability of each subject integrated out, fitted by marginal likelihood.

For try n of subject p at item l: logit P(success) = ability(p) - difficulty(l) + learning * log(n), ability ~ Normal(0, sd²).
Since abilities are integrated out, and dropping out may depend on all that happened so far, late items that only able
subjects reach are not flattered. Where dropping out may also depend on ability itself, beyond what the tries show, it is
modelled beside them, with the same ability: after the n-th failure at an item,

logit P(goes on) = patience + wear * min(n - 1, 5) + hold * ability(p).

Weak priors keep items with all or no successes, and a sample of two, finite and wide.

Source: R. D. Bock and M. Aitkin, "Marginal maximum likelihood estimation of item parameters", Psychometrika 46 (1981);
the information by T. A. Louis, "Finding the observed information matrix when using the EM algorithm", JRSS B 44 (1982);
dropping out with a shared effect by M. C. Wu and R. J. Carroll, "Estimation and comparison of changes in the presence of
informative right censoring by modeling the censoring process", Biometrics 44 (1988).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Final

import numpy as np

from milepost.logs.interface import Bools, Floats, Ints

_REACH: Final = 5.0  # abilities are integrated over this many standard deviations to each side
_ITERATIONS: Final = 60
_WIDE: Final = 1.5  # logits; a spread of abilities up to which the points of integration are dense enough
_SAMPLE: Final = 500  # subjects
_AT_ONCE: Final = 1000  # subjects
_HALVINGS: Final = 12  # of a step that leads down
_SLACK: Final = 1e-9  # of the log posterior, for rounding
_CLOSE: Final = 5e-3  # the step after which no other is worth it; Newton's error is about its square
_STEP: Final = 1.5  # the longest Newton step of a parameter
_PRIOR_SD: Final = 2.5  # of a difficulty, in logits
_WORN: Final = 6  # failures at an item after which a further one wears no more
# The parameters after the difficulties, with the mean and standard deviation of their priors.
LEARNING, PATIENCE, WEAR, HOLD, LOG_SD = range(5)
_PRIORS: Final = ((0.3, 0.5), (3.0, 2.0), (-0.2, 0.4), (0.3, 0.4), (-0.2, 0.6))


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
    others: Floats = field(default_factory=lambda: np.array([mean for mean, _ in _PRIORS]))  # LEARNING to LOG_SD


@dataclass(frozen=True)
class TriesOfItems:
    """Tries of subjects at items; all columns of one length.

    Attributes:
        subject: per try, its subject, from 0.
        item: per try, its item, from 0.
        number: per try, its number among the subject's at the item, from 1.
        success: per try, whether it succeeded.
        left: per try, whether the subject dropped out after it; None where dropping out is not modelled.
    """

    subject: Ints
    item: Ints
    number: Ints
    success: Bools
    left: Bools | None = None

    def of_the_first(self, subjects: int) -> TriesOfItems:
        """Those of so many subjects."""
        few = self.subject < subjects
        left = None if self.left is None else self.left[few]
        return TriesOfItems(self.subject[few], self.item[few], self.number[few], self.success[few], left)


def fit_tries(tries: TriesOfItems, n_items: int) -> Fit:
    """Fit the model; items without tries get the prior."""
    data = _Data(tries, n_items)
    values = data.start()
    if data.n_subjects > 2 * _SAMPLE:  # most of the way on a sample, the rest on all
        sample = fit_tries(tries.of_the_first(_SAMPLE), n_items)
        values = np.concatenate((sample.difficulty, sample.others))
    values, information = _uphill(data, values)
    covariance: Floats = np.linalg.inv(_definite(information)).astype(np.float64)
    se = np.sqrt(np.diag(covariance))[n_items:]
    others = values[n_items:]
    return Fit(
        values[:n_items], covariance[:n_items, :n_items], float(others[LEARNING]), float(se[LEARNING]),
        float(np.exp(others[LOG_SD])), float(se[LOG_SD]), data.abilities(values), others,
    )  # fmt: skip


def _uphill(data: _Data, values: Floats) -> tuple[Floats, Floats]:
    """Newton's steps to the top of the posterior, turned round where it bends the wrong way, halved where they lead down.

    Gives the top and the information beside it.
    """
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
        if bends_right and np.abs(step).max() < _CLOSE:
            break
    return values, information


def fit_around(fit: Fit, difficulty: Floats, tries: TriesOfItems) -> tuple[Floats, Floats]:
    """Difficulties with their covariance as the likelihood's slope and curvature at other difficulties would have them."""
    n = len(difficulty)
    gradient, information = _Data(tries, n).slopes(np.concatenate((difficulty, fit.others)))
    covariance: Floats = np.linalg.inv(_definite(information)).astype(np.float64)
    return difficulty + (covariance @ gradient)[:n], covariance[:n, :n]


def _definite(matrix: Floats) -> Floats:
    """The matrix with its eigenvalues' sizes, none smaller than a little, so that a step goes uphill."""
    values, vectors = np.linalg.eigh((matrix + matrix.T) / 2)
    floor = max(1e-3, 1e-6 * float(np.abs(values).max()))
    definite: Floats = (vectors * np.maximum(np.abs(values), floor)) @ vectors.T
    return definite


class _Data:
    """What was tried, gathered by subject and by kind, with the points of integration; sums over blocks of subjects merge.

    A kind is an item with a try's number, or, of going on after a failure, that number alone.
    """

    def __init__(self, tries: TriesOfItems, n_items: int) -> None:
        self.n_items = n_items
        self.n_subjects = int(tries.subject.max(initial=-1)) + 1
        most = int(tries.number.max(initial=1)) + 1
        kinds, kind = np.unique(tries.item * most + tries.number, return_inverse=True)
        subject, won = tries.subject, tries.success
        if tries.left is not None:
            failed = ~tries.success
            subject = np.concatenate((subject, subject[failed]))
            kind = np.concatenate((kind, len(kinds) + np.minimum(tries.number[failed], _WORN) - 1))
            won = np.concatenate((won, ~tries.left[failed]))
        self.item = kinds // most  # of the kinds that are tries; the others are of going on
        n_kinds = len(kinds) + (_WORN if tries.left is not None else 0)
        self.goes_on = np.arange(n_kinds) >= len(kinds)
        self.design = np.zeros((n_kinds, n_items + HOLD))  # kind by parameter that enters linearly
        self.design[np.arange(len(kinds)), self.item] = -1.0
        self.design[: len(kinds), n_items + LEARNING] = np.log(kinds % most)
        self.design[len(kinds) :, n_items + PATIENCE] = 1.0
        self.design[len(kinds) :, n_items + WEAR] = np.arange(n_kinds - len(kinds))
        self.points, self.log_weight = _points(float(np.bincount(tries.subject, minlength=1).max(initial=0)))
        self.blocks = _blocks(subject, kind, won, (self.n_subjects, n_kinds), self.design)

    def start(self) -> Floats:
        """Where to begin: smoothed rates, and the priors."""
        own = self.design[:, : self.n_items] != 0
        wins, tries = (sum(np.asarray(of.sum(axis=0)).ravel() for of in each) @ own
                       for each in zip(*((block.wins, block.tries) for block in self.blocks), strict=True))  # fmt: skip
        rate = (wins + 0.5) / (tries + 1.0)
        return np.concatenate((-np.log(rate / (1 - rate)), [mean for mean, _ in _PRIORS]))

    def _slope(self, values: Floats) -> Floats:
        """Per kind, how much of an ability counts."""
        slope: Floats = np.where(self.goes_on, values[self.n_items + HOLD], 1.0)
        return slope

    def _chances(self, values: Floats) -> Floats:
        """Per kind and point, the chance of success."""
        linear = self.design @ values[: self.n_items + HOLD]
        ability = np.exp(values[-1]) * self.points
        chance: Floats = 1.0 / (1.0 + np.exp(-np.clip(linear[:, None] + np.outer(self._slope(values), ability), -35, 35)))
        return chance

    def abilities(self, values: Floats) -> Floats:
        """Per subject, the posterior mean of the ability."""
        chance = self._chances(values)
        weights = [block.weights(chance, self.log_weight)[0] for block in self.blocks]
        means: Floats = np.concatenate([weight @ self.points for weight in weights]) * np.exp(values[-1])
        return means

    def height(self, values: Floats) -> float:
        """The log posterior, but for a constant."""
        chance = self._chances(values)
        likelihood = sum(float(block.weights(chance, self.log_weight)[1].sum()) for block in self.blocks)
        mean, precision = self._prior()
        return likelihood - 0.5 * float(precision @ (values - mean) ** 2)

    def slopes(self, values: Floats) -> tuple[Floats, Floats]:
        """The gradient of the log posterior and its observed information, by Louis' identity."""
        chance, ability = self._chances(values), np.exp(values[-1]) * self.points
        prior_mean, precision = self._prior()
        gradient, information = -precision * (values - prior_mean), np.diag(precision)
        mass = np.zeros(chance.shape)
        for block in self.blocks:
            weight = block.weights(chance, self.log_weight)[0]
            score = self._scores(block, chance, ability, values[self.n_items + HOLD])
            weighed = score * weight
            mean = weighed.sum(axis=2)
            gradient = gradient + mean.sum(axis=1)
            flat = (len(values), -1)
            information = information - weighed.reshape(flat) @ score.reshape(flat).T + mean @ mean.T
            mass += block.subjects @ weight
            information[-2:, -1] -= weighed[-2:].sum(axis=(1, 2))  # the logarithm of the spread enters through its exponential,
            information[-1, -2] = information[-2, -1]  # and is multiplied by what holds the able
        return gradient, information + self._complete(mass * chance * (1 - chance), ability, self._slope(values))

    def _scores(self, block: _Block, chance: Floats, ability: Floats, hold: float) -> Floats:
        """Parameter by subject by point, the score if the ability were this."""
        n = self.n_items
        score = np.zeros((n + len(_PRIORS), block.tries.shape[0], len(ability)))
        for linear, (tries, won) in block.by_parameter.items():
            score[linear] = won[:, None] - tries @ chance
        score[n + HOLD] = score[n + PATIENCE] * ability
        score[n + LOG_SD] = (hold * score[n + PATIENCE] - score[:n].sum(axis=0)) * ability
        return score

    def _complete(self, mass: Floats, ability: Floats, slope: Floats) -> Floats:
        """The information if the abilities were known: kinds weighted by point."""
        size = self.n_items + len(_PRIORS)
        information = np.zeros((size, size))
        for place, own in enumerate(ability):
            known = np.column_stack((self.design, own * self.goes_on, own * slope))
            information += known.T @ (mass[:, place, None] * known)
        return information

    def _prior(self) -> tuple[Floats, Floats]:
        """Per parameter, the mean and the precision of its normal prior."""
        mean = np.concatenate((np.zeros(self.n_items), [mean for mean, _ in _PRIORS]))
        precision = np.concatenate((np.full(self.n_items, _PRIOR_SD**-2), [sd**-2 for _, sd in _PRIORS]))
        return mean, precision


@dataclass(frozen=True)
class _Block:
    """Some subjects: how often each tried and won, by kind, as sparse matrices.

    ``by_parameter`` has, for each parameter that enters linearly, the tries times what it counts for, and the wins' sum.
    """

    tries: Any
    wins: Any
    subjects: Any  # the tries, turned: kinds down
    by_parameter: dict[int, tuple[Any, Floats]]

    def weights(self, chance: Floats, log_weight: Floats) -> tuple[Floats, Floats]:
        """Per subject and point, the posterior weight; per subject, the log likelihood."""
        fail = np.log1p(-chance)
        logs = self.wins @ (np.log(chance) - fail) + self.tries @ fail + log_weight
        most = logs.max(axis=1, keepdims=True)
        weight: Floats = np.exp(logs - most)
        total = weight.sum(axis=1, keepdims=True)
        return weight / total, (np.log(total) + most)[:, 0]


def _blocks(subject: Ints, kind: Ints, won: Bools, shape: tuple[int, int], design: Floats) -> list[_Block]:
    from scipy.sparse import csr_matrix

    tries: Any = csr_matrix((np.ones(len(subject)), (subject, kind)), shape=shape)
    wins: Any = csr_matrix((won.astype(np.float64), (subject, kind)), shape=shape)
    blocks = []
    for first in range(0, max(1, shape[0]), _AT_ONCE):
        own_tries, own_wins = tries[first : first + _AT_ONCE], wins[first : first + _AT_ONCE]
        by_parameter = {}
        for parameter in np.flatnonzero(design.any(axis=0)):
            scaled = own_tries.multiply(design[:, parameter][None, :]).tocsr()
            by_parameter[int(parameter)] = scaled, np.asarray(own_wins @ design[:, parameter])
        blocks.append(_Block(own_tries, own_wins, own_tries.T.tocsr(), by_parameter))
    return blocks


def _points(heaviest: float) -> tuple[Floats, Floats]:
    """Points of integration over a standard normal with the logs of their weights, dense enough for so many tries a subject."""
    narrowest = 1.0 / np.sqrt(1.0 + 0.2 * _WIDE**2 * heaviest)  # what a subject's tries leave of it
    count = int(np.clip(np.ceil(2 * _REACH / (1.5 * narrowest)), 21, 121))
    points = np.linspace(-_REACH, _REACH, count)
    log_weight = -0.5 * points**2
    return points, log_weight - np.log(np.exp(log_weight).sum())
