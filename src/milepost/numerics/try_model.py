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
from typing import Final

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.compiling import is_available
from milepost.numerics.try_loops import AT_ONCE, HOLD, LEARNING, LOG_SD, PATIENCE, WEAR
from milepost.numerics.try_sums import At, BlockSums, Counts, Kinds, LoopSums, TriesOfItems, TrySums, counted_cells, sparse_cells
from milepost.numerics.whole_numbers import distinct

_REACH: Final = 5.0  # abilities are integrated over this many standard deviations to each side
_ITERATIONS: Final = 60
_WIDE: Final = 1.5  # logits; a spread of abilities up to which the points of integration are dense enough
_SAMPLE: Final = 500  # subjects
_TIMES: Final = 8  # as many subjects as in a sample of them
_AT_ONCE: Final = 1000  # subjects
_AT_ONCE_IN_LOOPS: Final = 2000
_SMALL: Final = 1 << 21  # cells of subject and kind up to which an array of all of them is as fast, and loads nothing
_LIGHT: Final = 16  # tries, for which the least number of points is dense enough
_FAR: Final = 35.0  # logits beyond which a chance is as good as 0 or 1
_HALVINGS: Final = 12  # of a step that leads down
_SLACK: Final = 1e-11  # of the log posterior, for rounding
_NEAR: Final = 1e-3  # what a step promises of it, doubled: a thirtieth of a standard error; the step itself leaves its square
_CLOSE: Final = 5e-3  # the step after which no other is worth it; Newton's error is about its square
_STEP: Final = 1.5  # the longest Newton step of a parameter
_PRIOR_SD: Final = 2.5  # of a difficulty, in logits
_WORN: Final = 6  # failures at an item after which a further one wears no more
WORTHWHILE: Final = 80_000  # tries from which compiled code pays for its loading
# The means and standard deviations of the priors of the parameters after the difficulties.
_PRIORS: Final = ((0.3, 0.5), (3.0, 2.0), (-0.2, 0.4), (0.3, 0.4), (-0.2, 0.6))


@dataclass(frozen=True, eq=False, repr=False)
class Fit:
    """The estimates: difficulties with their covariance, the learning slope, and the spread of abilities."""

    difficulty: Floats
    covariance: Floats
    learning: float
    learning_se: float
    ability_sd: float
    log_sd_se: float
    ability: Floats  # per subject, the posterior mean
    others: Floats = field(default_factory=lambda: np.array([mean for mean, _ in _PRIORS]))  # LEARNING to LOG_SD
    arrived: bool = True  # whether the last step was as small as asked, and not only the last that there was time for


def fit_tries(tries: TriesOfItems, n_items: int, groups: Ints | None = None) -> Fit:
    """Fit the model; items without tries get the prior.

    Args:
        tries: the tries.
        n_items: how many items there are.
        groups: per item, its group, from 0: the prior is then around each group's own mean, of which nothing is presumed.
            Without groups it is around 0.
    """
    n_subjects, values = int(tries.subject.max(initial=-1)) + 1, None
    if n_subjects > 2 * _SAMPLE:  # most of the way on a sample, the rest on all
        sample = fit_tries(tries.of_the_first(max(_SAMPLE, n_subjects // _TIMES)), n_items, groups)
        values = np.concatenate((sample.difficulty, sample.others))
    data = _Data(tries, n_items, groups)
    values, information, arrived = _uphill(data, data.start() if values is None else values)
    covariance: Floats = np.linalg.inv(_definite(information)).astype(np.float64)
    se = np.sqrt(np.diag(covariance))[n_items:]
    others = values[n_items:]
    return Fit(
        values[:n_items],
        covariance[:n_items, :n_items],
        float(others[LEARNING]),
        float(se[LEARNING]),
        float(np.exp(others[LOG_SD])),
        float(se[LOG_SD]),
        data.abilities(values),
        others,
        arrived,
    )


def _uphill(data: _Data, values: Floats) -> tuple[Floats, Floats, bool]:
    """Newton's steps to the top of the posterior, turned round where it bends the wrong way, halved where they lead down.

    Gives the top, the information beside it, and whether it was reached within the steps that there are.
    """
    height, gradient, information = data.slopes(values)
    for _ in range(_ITERATIONS):
        bends_right = _is_definite(information)
        step = np.linalg.solve(information if bends_right else _definite(information), gradient)
        step *= min(1.0, _STEP / max(1e-9, float(np.abs(step).max())))  # all of it: parts cut off would turn it, even downhill
        if bends_right and (np.abs(step).max() < _CLOSE or 0 <= gradient @ step < _NEAR):
            return values + step, information, True
        for _ in range(_HALVINGS):
            reached = data.slopes(values + step)
            if reached[0] >= height - _SLACK * max(1.0, abs(height)):
                break
            step = step / 2
        else:
            return values, information, True  # nothing near is higher, but for rounding
        values = values + step
        height, gradient, information = reached
    return values, information, False


def fit_around(fit: Fit, difficulty: Floats, tries: TriesOfItems) -> tuple[Floats, Floats]:
    """Difficulties with their covariance as the likelihood's slope and curvature at other difficulties would have them."""
    n = len(difficulty)
    _, gradient, information = _Data(tries, n).slopes(np.concatenate((difficulty, fit.others)))
    covariance: Floats = np.linalg.inv(_definite(information)).astype(np.float64)
    return difficulty + (covariance @ gradient)[:n], covariance[:n, :n]


def covariance_at(difficulty: Floats, others: Floats, tries: TriesOfItems) -> Floats:
    """The difficulties' covariance by the likelihood's curvature at some parameters; the prior is around their own mean."""
    n = len(difficulty)
    _, _, information = _Data(tries, n, np.zeros(n, np.int64)).slopes(np.concatenate((difficulty, others)))
    covariance: Floats = np.linalg.inv(_definite(information)).astype(np.float64)
    return covariance[:n, :n]


def _is_definite(matrix: Floats) -> bool:
    """Return whether all eigenvalues of a symmetric matrix are above 0, which takes a tenth of finding them."""
    try:
        np.linalg.cholesky(matrix)
    except np.linalg.LinAlgError:
        return False
    return True


def _definite(matrix: Floats) -> Floats:
    """The matrix with its eigenvalues' sizes, none smaller than a little, so that a step goes uphill."""
    symmetric: Floats = (matrix + matrix.T) / 2
    most = float(np.abs(symmetric).sum(axis=0).max(initial=0.0))  # no eigenvalue is larger
    if _is_definite(symmetric - max(1e-3, 1e-6 * most) * np.eye(len(symmetric))):
        return symmetric  # as it would come back
    values, vectors = np.linalg.eigh(symmetric)
    floor = max(1e-3, 1e-6 * float(np.abs(values).max()))
    definite: Floats = (vectors * np.maximum(np.abs(values), floor)) @ vectors.T
    return definite


class _Data:
    """The tries, by subject and by kind, with the points of integration.

    A kind is an item with a try's number, or, of going on after a failure, that number alone. Kinds of one item lie together.
    """

    def __init__(self, tries: TriesOfItems, n_items: int, groups: Ints | None = None) -> None:
        self.n_items = n_items
        self.prior = _prior(n_items, groups)
        self.n_subjects = int(tries.subject.max(initial=-1)) + 1
        self.loops = len(tries.subject) >= WORTHWHILE and is_available()
        most = int(tries.number.max(initial=1)) + 1
        item, number = np.nonzero(tries.how_often())
        kinds = item * most + number
        worn = _WORN if tries.left is not None else 0
        self.goes_on = np.arange(len(kinds) + worn) >= len(kinds)
        self.design = np.zeros((len(kinds) + worn, n_items + HOLD))  # kind by parameter that enters linearly
        self.design[np.arange(len(kinds)), item] = -1.0
        self.design[: len(kinds), n_items + LEARNING] = np.log(number)
        self.design[len(kinds) :, n_items + PATIENCE] = 1.0
        self.design[len(kinds) :, n_items + WEAR] = np.arange(worn)
        self.item = np.concatenate((item, np.full(worn, n_items)))  # per kind; of going on, none
        self.kinds = Kinds(self.item, n_items)
        code = np.zeros(n_items * most + most, np.int64)
        code[kinds] = np.arange(len(kinds))
        heavy = np.bincount(tries.subject, minlength=self.n_subjects)
        self.grids = [
            self._grid(tries, code, most, subjects, int(heavy[subjects].max(initial=0))) for subjects in _split_by_weight(heavy)
        ]
        self.tried, self.won_by_kind = (sum(getattr(grid, name) for grid in self.grids) for name in ("tried", "won_by_kind"))

    def _grid(self, tries: TriesOfItems, code: Ints, most: int, subjects: Ints, heaviest: int) -> _Grid:
        """The tries of some subjects, with points of integration that are dense enough for the heaviest of them."""
        chosen = tries if len(subjects) == self.n_subjects else tries.of(subjects, self.n_subjects)
        at_once = _AT_ONCE_IN_LOOPS if self.loops else _AT_ONCE
        counts, totals = [], np.zeros((2, len(self.design)))
        for first, part in chosen.in_blocks(at_once):
            block, sums = self._counts(part, code, most, first, min(at_once, len(subjects) - first))
            counts.append(block)
            totals += sums
        make_sums = LoopSums if self.loops else BlockSums
        return _Grid(subjects, *_points(heaviest), make_sums(counts, self.kinds), *totals)

    def _counts(self, tries: TriesOfItems, code: Ints, most: int, first: int, count: int) -> tuple[Counts, Floats]:
        """The tries of so many subjects from the first one on; by kind, how many there are, and how many succeeded."""
        subject, kind, won = tries.subject - first, code[tries.item * most + tries.number], tries.success
        if tries.left is not None:
            failed = ~tries.success
            worn = np.minimum(tries.number[failed], _WORN) - 1 + np.count_nonzero(~self.goes_on)
            subject, kind = np.concatenate((subject, subject[failed])), np.concatenate((kind, worn))
            won = np.concatenate((won, ~tries.left[failed]))
        shape = (count, len(self.design))
        table = counted_cells if not self.loops and count * len(self.design) <= _SMALL else sparse_cells
        tried, wins = table(subject, kind, shape), table(subject[won], kind[won], shape)
        going = np.asarray(wins @ self.goes_on.astype(np.float64))
        won_tries = np.asarray(wins.sum(axis=1)).ravel() - going
        totals = np.stack((np.asarray(tried.sum(axis=0)).ravel(), np.asarray(wins.sum(axis=0)).ravel()))
        return Counts(self.kinds.differences(tried), np.asarray(wins @ self.design), won_tries, going), totals

    def start(self) -> Floats:
        """Return the starting values: smoothed rates, and the priors."""
        is_item = self.design[:, : self.n_items] != 0
        rate = (self.won_by_kind @ is_item + 0.5) / (self.tried @ is_item + 1.0)
        return np.concatenate((-np.log(rate / (1 - rate)), [mean for mean, _ in _PRIORS]))

    def _evaluate_at(self, values: Floats, grid: _Grid) -> At:
        """Return the values that depend on the parameters alone."""
        ability, hold = np.exp(values[-1]) * grid.points, float(values[self.n_items + HOLD])
        linear = self.design @ values[: self.n_items + HOLD]
        slope = np.where(self.goes_on, hold, 1.0)
        logit = np.clip(linear[:, None] + np.outer(slope, ability), -_FAR, _FAR)
        chance = 1.0 / (1.0 + np.exp(-logit))
        counts = self.design[:, self.n_items + LEARNING] + self.design[:, self.n_items + WEAR]  # of learning, or of wear
        return At(
            values[: self.n_items + HOLD],
            ability,
            hold,
            slope,
            chance,
            np.log1p(-chance),
            counts[:, None] * chance,
            grid.log_weight,
        )

    def abilities(self, values: Floats) -> Floats:
        """Per subject, the posterior mean of the ability."""
        means = np.zeros(self.n_subjects)
        for grid in self.grids:
            means[grid.subjects] = grid.sums.abilities(self._evaluate_at(values, grid))
        return means

    def slopes(self, values: Floats) -> tuple[float, Floats, Floats]:
        """The log posterior (but for a constant), its gradient and its observed information, by Louis' identity."""
        prior_mean, precision = self.prior
        away = values - prior_mean
        gradient, information = -(precision @ away), precision
        height = 0.5 * float(gradient @ away)
        for grid in self.grids:
            at = self._evaluate_at(values, grid)
            likelihood, slope, missing, mass = grid.sums.slopes(at)
            height += likelihood
            gradient = gradient + slope
            information = information + self._complete(mass * at.chance * (1 - at.chance), at) - missing
        return height, gradient, information

    def _complete(self, mass: Floats, at: At) -> Floats:
        """The information if the abilities were known: kinds weighted by point.

        A kind is of one item at most, so that of items with each other it is a diagonal.
        """
        n, few = self.n_items, self.design[:, self.n_items :]
        by_ability = np.column_stack((self.goes_on.astype(np.float64), at.slope))  # what is multiplied by the point's ability
        plain: Floats = mass.sum(axis=1)
        once: Floats = mass @ at.ability
        twice: Floats = mass @ at.ability**2
        corner = np.block(
            [
                [few.T @ (plain[:, None] * few), few.T @ (once[:, None] * by_ability)],
                [by_ability.T @ (once[:, None] * few), by_ability.T @ (twice[:, None] * by_ability)],
            ]
        )
        beside = np.column_stack((plain[:, None] * few, once[:, None] * by_ability))
        information = np.zeros((n + len(corner), n + len(corner)))
        information[n:, n:] = corner
        information[np.arange(n), np.arange(n)] = np.bincount(self.item, weights=plain, minlength=n + 1)[:n]
        for column, values in enumerate(beside.T, n):
            information[:n, column] = information[column, :n] = -np.bincount(self.item, weights=values, minlength=n + 1)[:n]
        return information


def _prior(n_items: int, groups: Ints | None) -> tuple[Floats, Floats]:
    """The mean and the precision, a matrix, of the parameters' normal prior."""
    mean = np.concatenate((np.zeros(n_items), [mean for mean, _ in _PRIORS]))
    precision = np.diag(np.concatenate((np.full(n_items, _PRIOR_SD**-2), [sd**-2 for _, sd in _PRIORS])))
    if groups is not None:
        same = groups[:, None] == groups
        precision[:n_items, :n_items] -= _PRIOR_SD**-2 * same / same.sum(axis=0)
    return mean, precision


@dataclass(frozen=True, eq=False, repr=False)
class _Grid:
    """Some subjects, with the points of integration for them.

    Attributes:
        subjects: their numbers.
        points, log_weight: see `_points`.
        sums: the sums over them.
        tried: per kind, how often it was tried.
        won_by_kind: per kind, how often it was won.
    """

    subjects: Ints
    points: Floats
    log_weight: Floats
    sums: TrySums
    tried: Floats
    won_by_kind: Floats


def _split_by_weight(heavy: Ints) -> list[Ints]:
    """Subjects by how many tries they have, doubling, where there are enough of them for that to pay."""
    if len(heavy) <= _AT_ONCE:
        return [np.arange(len(heavy))]
    size = np.ceil(np.log2(np.maximum(heavy, _LIGHT) / _LIGHT)).astype(np.int64)
    return [np.flatnonzero(size == value) for value in distinct(size)]


def _points(heaviest: int) -> tuple[Floats, Floats]:
    """Points of integration over a standard normal with the logs of their weights, dense enough for so many tries a subject."""
    narrowest = 1.0 / np.sqrt(1.0 + 0.2 * _WIDE**2 * heaviest)  # what a subject's tries leave of it
    count = int(np.clip(np.ceil(2 * _REACH / (1.5 * narrowest) / AT_ONCE), 6, 30)) * AT_ONCE
    points = np.linspace(-_REACH, _REACH, count)
    log_weight = -0.5 * points**2
    return points, log_weight - np.log(np.exp(log_weight).sum())
