"""How difficult each level is in each of two builds, with the whole covariance, so that the two can be set side by side.

Players of one build alone: the model of tries, once a build. Where players played both: one model over both builds, with one
skill a player; levels that a player has seen in the other build, and all of a player's second build, may be easier, by the same
in all levels, as far as that can be told.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.difficulty.responses import gather_tries
from milepost.numerics.try_model import Fit, fit_tries
from milepost.numerics.try_sums import TriesOfItems
from milepost.numerics.whole_numbers import distinct, number_values
from milepost.playback.play import Play

FEW_SHARED: Final = 5  # players of both builds from which they are modelled as such
_PRACTICE: Final = (0.2, 0.5)  # mean and standard deviation of the prior of what having seen a level is worth, in logits
_SITTING: Final = (0.0, 0.5)  # of what a second build is worth beside that
_FEW_PAIRS: Final = 20  # tries at levels with and without having seen them, from which practice can be told


@dataclass(frozen=True, eq=False, repr=False)
class Sides:
    """Tries in two builds; levels and players have the same numbers in both.

    Attributes:
        tries: those of the one build, and of the other.
        n_levels: how many levels there are, in the one, the other or both.
        second: per player, in which of the two builds it played later, 0 or 1; -1 for players of one build.
        by_try: whether the two are tries of the same players, dealt out one by one, so that each has one skill in both.
    """

    tries: tuple[TriesOfItems, TriesOfItems]
    n_levels: int
    second: Ints
    by_try: bool = False

    def tried(self, side: int) -> Bools:
        """Per level, whether it was tried in a build."""
        return np.bincount(self.tries[side].item, minlength=self.n_levels) > 0


@dataclass(frozen=True, eq=False, repr=False)
class Estimates:
    """Difficulties of the levels in both builds, in logits.

    Attributes:
        difficulty: per build and level; NaN without a try.
        se: their standard errors.
        levels: the levels that were tried in both.
        difference: per one of these, the difficulty in the second build less that in the first.
        covariance: of the differences.
        practice: what having seen a level is worth, with its standard error, where it can be told.
        ability_sd: the spread of skill in each build.
    """

    difficulty: Floats
    se: Floats
    levels: Ints
    difference: Floats
    covariance: Floats
    practice: tuple[float, float] | None
    ability_sd: tuple[float, float]


OwnFit = tuple[Fit, Ints]  # the model of one side's levels that were tried, and which these are


@dataclass(frozen=True)
class FitOfSide:
    """The model of one side of a comparison by itself, once for all that it is compared with.

    Attributes:
        number: per stop of the side's play, and for none, the level's number among those of both sides.
        n_levels: how many these are.
    """

    number: tuple[int, ...]
    n_levels: int

    def __call__(self, play: Play) -> OwnFit:
        """Fit it to the play's tries."""
        tries = gather_tries(play)
        return _fit_of(replace(tries, item=np.array(self.number)[tries.item]), self.n_levels)


def estimate_difficulties(sides: Sides, fit_of_side: Callable[[int], OwnFit] | None = None) -> Estimates:
    """The difficulties in both builds.

    Args:
        sides: their tries.
        fit_of_side: gives the model of either side by itself, where it may be known already.
    """
    shared = int((sides.second >= 0).sum())
    if shared >= FEW_SHARED or sides.by_try:
        return _jointly(sides)
    return _estimate_apart(sides, fit_of_side or (lambda side: _fit_of(sides.tries[side], sides.n_levels)))


def _estimate_apart(sides: Sides, fit_of_side: Callable[[int], OwnFit]) -> Estimates:
    """Each build by itself; its prior is around its own mean."""
    n = sides.n_levels
    fits = [fit_of_side(side) for side in (0, 1)]
    mean, covariance = np.full(2 * n, np.nan), np.zeros((2 * n, 2 * n))
    for side, (fit, items) in enumerate(fits):
        places = side * n + items
        mean[places] = fit.difficulty
        covariance[np.ix_(places, places)] = fit.covariance
    return _set_side_by_side(mean, covariance, n, None, (fits[0][0].ability_sd, fits[1][0].ability_sd))


def _fit_of(tries: TriesOfItems, n_levels: int) -> tuple[Fit, Ints]:
    """The model of the levels that were tried, and which these are."""
    items = np.flatnonzero(np.bincount(tries.item, minlength=n_levels))
    place = np.zeros(n_levels, np.int64)
    place[items] = np.arange(len(items))
    _, subject = number_values(tries.subject)
    renumbered = replace(tries, subject=subject, item=place[tries.item])
    return fit_tries(renumbered, len(items), np.zeros(len(items), np.int64)), items


def _set_side_by_side(
    mean: Floats, covariance: Floats, n: int, practice: tuple[float, float] | None, ability_sd: tuple[float, float]
) -> Estimates:
    both = np.flatnonzero(~np.isnan(mean[:n]) & ~np.isnan(mean[n:]))
    before, after = both, n + both
    across = covariance[np.ix_(before, after)]
    covariance_of_difference = covariance[np.ix_(before, before)] + covariance[np.ix_(after, after)] - across - across.T
    se = np.sqrt(np.diag(covariance)).reshape(2, n)
    return Estimates(mean.reshape(2, n), se, both, mean[after] - mean[before], covariance_of_difference, practice, ability_sd)


def _jointly(sides: Sides) -> Estimates:
    """One model of both builds: a level is an item by build, by whether that is the player's second, and whether it was seen.

    That having seen a level, and a second build, are worth the same in all levels is put on what comes of that, by generalised
    least squares.
    """
    n = sides.n_levels
    stacked, kind = _stacked(sides)
    code = kind * n + stacked.item
    items, place = number_values(code)
    side = items // n // 3
    fit = fit_tries(replace(stacked, item=place), len(items), side)
    tells_practice, tells_sitting = _identified(sides, code, n)
    design = np.zeros((len(items), 2 * n + 2))
    level, part = items % n, items // n % 3
    design[np.arange(len(items)), side * n + level] = 1.0
    design[:, 2 * n] = np.where(part == 2, -1.0, 0.0) * tells_practice
    design[:, 2 * n + 1] = np.where(part > 0, -1.0, 0.0) * tells_sitting
    used = np.concatenate((distinct(side * n + level), 2 * n + np.flatnonzero([tells_practice, tells_sitting])))
    mean, covariance = np.full(2 * n + 2, np.nan), np.zeros((2 * n + 2, 2 * n + 2))
    mean[used], covariance[np.ix_(used, used)] = _least_squares(design[:, used], fit, used - 2 * n)
    practice = (float(mean[2 * n]), float(np.sqrt(covariance[2 * n, 2 * n]))) if tells_practice else None
    levels = slice(0, 2 * n)
    return _set_side_by_side(mean[levels], covariance[levels, levels], n, practice, (fit.ability_sd, fit.ability_sd))


def _stacked(sides: Sides) -> tuple[TriesOfItems, Ints]:
    """The tries of both builds, and the kind of each: by build 0 a first one, 1 a second one, 2 a second one at a level seen."""
    n = sides.n_levels
    cells = [tries.subject * n + tries.item for tries in sides.tries]
    kinds = []
    for side, tries in enumerate(sides.tries):
        second = sides.second[tries.subject] == side
        seen = second & np.isin(cells[side], distinct(cells[1 - side]))
        kinds.append(3 * side + second + seen)
    columns = ("subject", "item", "number", "success")
    joined = {name: np.concatenate([getattr(tries, name) for tries in sides.tries]) for name in columns}
    left = [tries.left for tries in sides.tries if tries.left is not None]
    return TriesOfItems(**joined, left=np.concatenate(left) if len(left) == 2 else None), np.concatenate(kinds)


def _identified(sides: Sides, code: Ints, n: int) -> tuple[bool, bool]:
    """Return whether practice can be told from what a build does, and whether a second build can."""
    counts = np.bincount(code, minlength=6 * n).reshape(2, 3, n)
    with_and_without = np.minimum(counts[:, 2], counts[:, 0] + counts[:, 1]).sum()
    crossed = bool((sides.second == 0).any() and (sides.second == 1).any())
    return bool(with_and_without >= _FEW_PAIRS), crossed


def _least_squares(design: Floats, fit: Fit, extra: Ints) -> tuple[Floats, Floats]:
    """Estimate the items' difficulties by a linear design; practice and sitting have weak priors."""
    precision = np.linalg.inv(fit.covariance)
    information = design.T @ precision @ design
    score = design.T @ precision @ fit.difficulty
    for place in np.flatnonzero(extra >= 0):
        mean, sd = (_PRACTICE, _SITTING)[extra[place]]
        information[place, place] += sd**-2
        score[place] += mean * sd**-2
    covariance = np.linalg.inv(information).astype(np.float64)
    return covariance @ score, covariance
