"""Skill of players: each one's with its error, and whether one spread describes all of them as well as two groups do."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, TypedDict

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.numerics.tries_of_items import TriesOfItems
from milepost.numerics.try_model import Fit

_GRID: Final = np.linspace(-6.0, 6.0, 49)  # logits
_ROUNDS: Final = 40  # of fitting a spread
_DRAWN: Final = 59  # courses of players drawn from one spread
_MOST_PLAYERS: Final = 1000  # of whom the groups are looked at
FEWEST_PLAYERS: Final = 12  # for which groups are looked at at all
_LEVEL: Final = 0.05
_SEED: Final = 1888


class SkillGroups(TypedDict):
    """Whether two groups describe the skills better than one spread, and what the two would be."""

    players: int
    better: bool | None
    p_value: float | None
    means: list[float]
    shares: list[float]


@dataclass(frozen=True)
class Skills:
    """Per subject, the mean and the standard deviation of its skill after its tries, in logits."""

    mean: Floats
    sd: Floats


def skills(tries: TriesOfItems, fit: Fit) -> Skills:
    """Return the skill of each subject: its posterior mean and standard deviation, shrunken towards all by the spread of skills.

    Args:
        tries: those that the fit is of.
        fit: difficulties, learning, and the spread of skills.
    """
    like = np.exp(_log_likelihoods(tries, fit, tries.success))
    weight = like * np.exp(-0.5 * (_GRID / max(0.05, fit.ability_sd)) ** 2)
    weight /= weight.sum(axis=1, keepdims=True)
    mean = weight @ _GRID
    return Skills(mean, np.sqrt(np.maximum(0.0, weight @ _GRID**2 - mean**2)))


def _log_likelihoods(tries: TriesOfItems, fit: Fit, success: Bools) -> Floats:
    """Subject by skill on the grid, the logarithm of how likely outcomes are, less the greatest of the subject's."""
    n = int(tries.subject.max(initial=-1)) + 1
    base = fit.learning * np.log(tries.number) - fit.difficulty[tries.item]
    found = np.zeros((n, len(_GRID)))
    sign = np.where(success, 1.0, -1.0)
    for place, skill in enumerate(_GRID):
        found[:, place] = np.bincount(tries.subject, weights=-np.logaddexp(0.0, -sign * (skill + base)), minlength=n)
    result: Floats = found - found.max(axis=1, keepdims=True)
    return result


def skill_groups(tries: TriesOfItems, fit: Fit) -> SkillGroups:
    """Return whether two groups of one spread each describe the players better than one spread does.

    The likelihood ratio of two normal distributions with a spread in common against one, the difficulties held, beside what it
    is for players drawn from the one, who make as many tries at the same levels.

    Source: G. J. McLachlan, "On bootstrapping the likelihood ratio test statistic for the number of components in a normal
    mixture", Applied Statistics 36 (1987).
    """
    n = int(tries.subject.max(initial=-1)) + 1
    if n < FEWEST_PLAYERS:
        return SkillGroups(players=n, better=None, p_value=None, means=[], shares=[])
    some = tries.of_the_first(min(n, _MOST_PLAYERS))
    like = np.exp(_log_likelihoods(some, fit, some.success))
    one, two = _spread(like, 1), _spread(like, 2)
    ratio, rng = two.log_likelihood - one.log_likelihood, np.random.default_rng(_SEED)
    base = fit.learning * np.log(some.number) - fit.difficulty[some.item]
    drawn = 0
    for _ in range(_DRAWN):
        skill = rng.normal(one.means[0], one.sd, len(like))
        success = rng.random(len(base)) < 1 / (1 + np.exp(-(skill[some.subject] + base)))
        again = np.exp(_log_likelihoods(some, fit, success))
        drawn += _spread(again, 2).log_likelihood - _spread(again, 1).log_likelihood >= ratio
    p_value = (1 + drawn) / (1 + _DRAWN)
    return SkillGroups(
        players=len(like), better=p_value <= _LEVEL, p_value=p_value, means=two.means.tolist(), shares=two.shares.tolist()
    )


@dataclass(frozen=True)
class _Spread:
    """One normal distribution of skills, or several with a standard deviation in common."""

    means: Floats
    shares: Floats
    sd: float
    log_likelihood: float


def _spread(like: Floats, groups: int) -> _Spread:
    """The distribution under which outcomes are likeliest, by expectation and maximisation on the grid."""
    means = np.array([0.0]) if groups == 1 else np.array([-0.8, 0.8])
    shares, sd = np.full(groups, 1 / groups), 0.8
    for _ in range(_ROUNDS):
        density = shares[:, None] * np.exp(-0.5 * ((_GRID - means[:, None]) / sd) ** 2) / sd  # group by skill
        total = like @ density.sum(axis=0)
        weight = ((like / total[:, None]).sum(axis=0) * density) + 1e-300
        mass = weight.sum(axis=1)
        shares = mass / mass.sum()
        means = (weight @ _GRID) / mass
        sd = max(0.1, float(np.sqrt((weight * (_GRID - means[:, None]) ** 2).sum() / mass.sum())))
    order = np.argsort(means)
    return _Spread(means[order], shares[order], sd, float(np.log(total).sum()))
