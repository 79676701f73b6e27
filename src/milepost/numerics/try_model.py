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

from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, Final

import numpy as np

from milepost.logs.interface import Bools, Floats, Ints

_REACH: Final = 5.0  # abilities are integrated over this many standard deviations to each side
_ITERATIONS: Final = 60
_WIDE: Final = 1.5  # logits; a spread of abilities up to which the points of integration are dense enough
_SAMPLE: Final = 500  # subjects
_TIMES: Final = 8  # as many subjects as in a sample of them
_AT_ONCE: Final = 1000  # subjects
_FAR: Final = 35.0  # logits beyond which a chance is as good as 0 or 1
_HALVINGS: Final = 12  # of a step that leads down
_SLACK: Final = 1e-11  # of the log posterior, for rounding
_NEAR: Final = 1e-3  # what a step promises of it, doubled: a thirtieth of a standard error; the step itself leaves its square
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
        return self._some(few)

    def in_blocks(self) -> Iterator[tuple[int, TriesOfItems]]:
        """Blocks of subjects: the number of the first one, and the tries of all in it."""
        rising = bool((np.diff(self.subject) >= 0).all())
        own = self if rising else self._some(np.argsort(self.subject, kind="stable"))
        firsts = np.arange(0, max(1, int(own.subject.max(initial=0)) + 1), _AT_ONCE)
        bounds = [*np.searchsorted(own.subject, firsts).tolist(), len(own.subject)]
        for first, ends in zip(firsts.tolist(), pairwise(bounds), strict=True):
            yield first, own._some(slice(*ends))

    def _some(self, rows: Any) -> TriesOfItems:
        left = None if self.left is None else self.left[rows]
        return TriesOfItems(self.subject[rows], self.item[rows], self.number[rows], self.success[rows], left)


def fit_tries(tries: TriesOfItems, n_items: int) -> Fit:
    """Fit the model; items without tries get the prior."""
    data = _Data(tries, n_items)
    values = data.start()
    if data.n_subjects > 2 * _SAMPLE:  # most of the way on a sample, the rest on all
        sample = fit_tries(tries.of_the_first(max(_SAMPLE, data.n_subjects // _TIMES)), n_items)
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
    height, gradient, information = data.slopes(values)
    for _ in range(_ITERATIONS):
        bends_right = float(np.linalg.eigvalsh(information).min()) > 0
        step = np.clip(np.linalg.solve(information if bends_right else _definite(information), gradient), -_STEP, _STEP)
        if bends_right and (np.abs(step).max() < _CLOSE or gradient @ step < _NEAR):
            return values + step, information
        for _ in range(_HALVINGS):
            reached = data.slopes(values + step)
            if reached[0] >= height - _SLACK * max(1.0, abs(height)):
                break
            step = step / 2
        values = values + step
        height, gradient, information = reached
    return values, information


def fit_around(fit: Fit, difficulty: Floats, tries: TriesOfItems) -> tuple[Floats, Floats]:
    """Difficulties with their covariance as the likelihood's slope and curvature at other difficulties would have them."""
    n = len(difficulty)
    _, gradient, information = _Data(tries, n).slopes(np.concatenate((difficulty, fit.others)))
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

    A kind is an item with a try's number, or, of going on after a failure, that number alone. Kinds of one item lie together.
    """

    def __init__(self, tries: TriesOfItems, n_items: int) -> None:
        self.n_items = n_items
        self.n_subjects = int(tries.subject.max(initial=-1)) + 1
        most = int(tries.number.max(initial=1)) + 1
        kinds = np.flatnonzero(np.bincount(tries.item * most + tries.number))
        item, number = kinds // most, kinds % most
        worn = _WORN if tries.left is not None else 0
        self.goes_on = np.arange(len(kinds) + worn) >= len(kinds)
        self.design = np.zeros((len(kinds) + worn, n_items + HOLD))  # kind by parameter that enters linearly
        self.design[np.arange(len(kinds)), item] = -1.0
        self.design[: len(kinds), n_items + LEARNING] = np.log(number)
        self.design[len(kinds) :, n_items + PATIENCE] = 1.0
        self.design[len(kinds) :, n_items + WEAR] = np.arange(worn)
        bounds = [*np.searchsorted(item, np.arange(n_items + 1)).tolist(), len(self.design)]
        self.groups = [(n if n < n_items else None, slice(*ends)) for n, ends in enumerate(pairwise(bounds)) if ends[0] < ends[1]]
        self.points, self.log_weight = _points(float(np.bincount(tries.subject, minlength=1).max(initial=0)))
        code = np.zeros(n_items * most + most, np.int64)
        code[kinds] = np.arange(len(kinds))
        self.blocks = [self._block(part, code, most, first) for first, part in tries.in_blocks()]

    def _block(self, tries: TriesOfItems, code: Ints, most: int, first: int) -> _Block:
        """The tries of some subjects, the first of which has this number."""
        from scipy.sparse import csr_matrix

        subject, kind, won = tries.subject - first, code[tries.item * most + tries.number], tries.success
        if tries.left is not None:
            failed = ~tries.success
            worn = np.minimum(tries.number[failed], _WORN) - 1 + np.count_nonzero(~self.goes_on)
            subject, kind = np.concatenate((subject, subject[failed])), np.concatenate((kind, worn))
            won = np.concatenate((won, ~tries.left[failed]))
        count = min(_AT_ONCE, self.n_subjects - first)
        shape = (count, len(self.design))
        all_tries: Any = csr_matrix((np.ones(len(subject)), (subject, kind)), shape=shape).tocsc()
        groups = [all_tries[:, place].tocsr() for _, place in self.groups]
        wins: Any = csr_matrix((won.astype(np.float64), (subject, kind)), shape=shape)
        going = np.asarray(wins @ self.goes_on.astype(np.float64))
        totals = np.asarray(all_tries.sum(axis=0)).ravel(), np.asarray(wins.sum(axis=0)).ravel()
        return _Block(groups, all_tries.T.tocsr(), np.asarray(wins @ self.design), np.asarray(wins.sum(axis=1)).ravel() - going,
                      going, *totals)  # fmt: skip

    def start(self) -> Floats:
        """Where to begin: smoothed rates, and the priors."""
        own = self.design[:, : self.n_items] != 0
        tries, wins = (np.sum([getattr(block, name) for block in self.blocks], axis=0) @ own for name in ("tried", "won_by_kind"))
        rate = (wins + 0.5) / (tries + 1.0)
        return np.concatenate((-np.log(rate / (1 - rate)), [mean for mean, _ in _PRIORS]))

    def _at(self, values: Floats) -> _At:
        """What depends on the parameters alone."""
        ability, hold = np.exp(values[-1]) * self.points, float(values[self.n_items + HOLD])
        linear = self.design @ values[: self.n_items + HOLD]
        slope = np.where(self.goes_on, hold, 1.0)
        logit = np.clip(linear[:, None] + np.outer(slope, ability), -_FAR, _FAR)
        chance = 1.0 / (1.0 + np.exp(-logit))
        return _At(values[: self.n_items + HOLD], ability, hold, slope, chance, np.log1p(-chance), self.log_weight)

    def abilities(self, values: Floats) -> Floats:
        """Per subject, the posterior mean of the ability."""
        at = self._at(values)
        fails = [at.fail[place] for _, place in self.groups]
        means: Floats = np.concatenate([
            block.weights(sum(tries @ fail for tries, fail in zip(block.groups, fails, strict=True)), at)[0] @ at.ability
            for block in self.blocks
        ])  # fmt: skip
        return means

    def slopes(self, values: Floats) -> tuple[float, Floats, Floats]:
        """The log posterior (but for a constant), its gradient and its observed information, by Louis' identity."""
        at = self._at(values)
        prior_mean, precision = self._prior()
        height = -0.5 * float(precision @ (values - prior_mean) ** 2)
        gradient, information = -precision * (values - prior_mean), np.diag(precision)
        mass = np.zeros(at.chance.shape)
        dense = [np.hstack((at.fail[own], at.chance[own], self._counts(own) * at.chance[own])) for _, own in self.groups]
        for block in self.blocks:
            score, weight, likelihood = self._scores(block, at, dense)
            height += float(likelihood.sum())
            weighed = score * weight
            mean = weighed.sum(axis=2)
            gradient = gradient + mean.sum(axis=1)
            flat = (len(values), -1)
            information = information - weighed.reshape(flat) @ score.reshape(flat).T + mean @ mean.T
            mass += block.subjects @ weight
            information[-2:, -1] -= weighed[-2:].sum(axis=(1, 2))  # the logarithm of the spread enters through its exponential,
            information[-1, -2] = information[-2, -1]  # and is multiplied by what holds the able
        return height, gradient, information + self._complete(mass * at.chance * (1 - at.chance), at)

    def _counts(self, place: slice) -> Floats:
        """Of some kinds, what learning or wear counts for."""
        counts: Floats = self.design[place, self.n_items + LEARNING] + self.design[place, self.n_items + WEAR]
        return counts[:, None]

    def _scores(self, block: _Block, at: _At, dense: list[Floats]) -> tuple[Floats, Floats, Floats]:
        """By parameter, subject and point, the score if the ability were this; weights and likelihoods as `weights` has them."""
        n, points = self.n_items, len(at.ability)
        score = np.zeros((n + len(_PRIORS), block.won.shape[0], points))
        failing = np.zeros(score.shape[1:])
        for (item, _), tries, known in zip(self.groups, block.groups, dense, strict=True):
            fail, expected, counted = np.split(tries @ known, 3, axis=1)
            failing += fail
            if item is None:
                score[n + PATIENCE], score[n + WEAR] = -expected, -counted
            else:
                score[item] = expected
                score[n + LEARNING] -= counted
        score[: n + HOLD] += block.won.T[:, :, None]
        score[n + HOLD] = score[n + PATIENCE] * at.ability
        score[n + LOG_SD] = (at.hold * score[n + PATIENCE] - score[:n].sum(axis=0)) * at.ability
        return score, *block.weights(failing, at)

    def _complete(self, mass: Floats, at: _At) -> Floats:
        """The information if the abilities were known: kinds weighted by point."""
        size = self.n_items + len(_PRIORS)
        information = np.zeros((size, size))
        for place, own in enumerate(at.ability):
            known = np.column_stack((self.design, own * self.goes_on, own * at.slope))
            information += known.T @ (mass[:, place, None] * known)
        return information

    def _prior(self) -> tuple[Floats, Floats]:
        """Per parameter, the mean and the precision of its normal prior."""
        mean = np.concatenate((np.zeros(self.n_items), [mean for mean, _ in _PRIORS]))
        precision = np.concatenate((np.full(self.n_items, _PRIOR_SD**-2), [sd**-2 for _, sd in _PRIORS]))
        return mean, precision


@dataclass(frozen=True)
class _At:
    """What depends on the parameters alone: by point the ability, by kind the slope, by both the chance and log(1 - chance)."""

    linear: Floats
    ability: Floats
    hold: float
    slope: Floats
    chance: Floats
    fail: Floats
    log_weight: Floats


@dataclass(frozen=True)
class _Block:
    """Some subjects.

    Attributes:
        groups: how often each tried, subjects by kind, for the kinds of one item after the other.
        subjects: the same for all kinds, kinds by subject.
        won: the design of what was won, summed, by subject and parameter.
        won_tries: per subject, how many tries succeeded.
        won_going: per subject, how often it went on.
        tried: per kind, how often it was tried.
        won_by_kind: per kind, how often it was won.
    """

    groups: list[Any]
    subjects: Any
    won: Floats
    won_tries: Floats
    won_going: Floats
    tried: Floats
    won_by_kind: Floats

    def weights(self, failing: Floats, at: _At) -> tuple[Floats, Floats]:
        """Per subject and point, the posterior weight; per subject, the log likelihood.

        Args:
            failing: per subject and point, the log likelihood had every try failed.
            at: the parameters.
        """
        ability = (self.won_tries + at.hold * self.won_going)[:, None] * at.ability
        logs = failing + (self.won @ at.linear)[:, None] + ability + at.log_weight
        most = logs.max(axis=1, keepdims=True)
        weight: Floats = np.exp(logs - most)
        total = weight.sum(axis=1, keepdims=True)
        return weight / total, (np.log(total) + most)[:, 0]


def _points(heaviest: float) -> tuple[Floats, Floats]:
    """Points of integration over a standard normal with the logs of their weights, dense enough for so many tries a subject."""
    narrowest = 1.0 / np.sqrt(1.0 + 0.2 * _WIDE**2 * heaviest)  # what a subject's tries leave of it
    count = int(np.clip(np.ceil(2 * _REACH / (1.5 * narrowest)), 21, 121))
    points = np.linspace(-_REACH, _REACH, count)
    log_weight = -0.5 * points**2
    return points, log_weight - np.log(np.exp(log_weight).sum())
