"""Ways chosen by skill: what whoever goes off the way, or takes a route, says of their ability, beyond their tries."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.numerics.whole_numbers import distinct, is_among

if TYPE_CHECKING:
    from milepost.course.course import Course
    from milepost.numerics.try_model import Fit
    from milepost.numerics.try_sums import TriesOfItems

_STEPS: Final = 20
_SLOPE_SD: Final = 2.0  # of the weak prior of what a logit of ability does to the odds of a way
_FEWEST: Final = 5  # players who went, and who did not, from which anything is read
_UNSURE: Final = 0.5  # of the correction, as its standard error


@dataclass(frozen=True)
class Choice:
    """A way that a player may take or leave.

    Attributes:
        levels: the way's levels.
        others: the levels of the other ways; none where the way is one off the course.
        after: the levels of this leg and all later ones: whoever tried one of them could choose.
    """

    levels: tuple[int, ...]
    others: tuple[int, ...]
    after: tuple[int, ...]


def list_choices(course: Course | None) -> list[Choice]:
    """Return the ways of a course that players choose: routes, and each level off the way."""
    if course is None or course.is_line:
        return []
    choices: list[Choice] = []
    for number, leg in enumerate(course.legs):
        after = tuple(place for later in course.legs[number:] for place in later.levels)
        routes: dict[str, list[int]] = {}
        for place in leg.levels:
            route = course.levels[place].route
            if route is not None:
                routes.setdefault(route, []).append(place)
            elif course.levels[place].optional:
                choices.append(Choice((place,), (), after))
        for name, levels in routes.items():
            others = tuple(place for other, places in routes.items() if other != name for place in places)
            choices += [Choice(tuple(levels), others, after)] if others else []
    return choices


def update_abilities(fit: Fit, tries: TriesOfItems, choices: Sequence[Choice]) -> Fit:
    """The fit with what the ways say of the players' abilities, by one Newton step from where the tries alone put it.

    The odds of a way are taken as logistic in ability, of which the tries leave each player a mean and a variance; a slope is
    shrunken by its own uncertainty, so that ways dealt by chance move nothing to speak of.

    Source: M. C. Wu and R. J. Carroll, "Estimation and comparison of changes in the presence of informative right censoring by
    modeling the censoring process", Biometrics 44 (1988), with the choice in place of the censoring.
    """
    information = np.zeros(len(fit.ability))
    for choice in choices:
        information += _slope_of_choice(fit.ability, choice, tries)
    if not information.any():
        return fit
    difficulty, item = fit.difficulty, tries.item.astype(np.int64)
    logit = fit.ability[tries.subject] - difficulty[item] + fit.learning * np.log(tries.number)
    chance = 1 / (1 + np.exp(-logit))
    weight = chance * (1 - chance)
    spread = 1 / (fit.ability_sd**-2 + np.bincount(tries.subject, weights=weight, minlength=len(information)))  # of each ability
    score = np.bincount(item, weights=weight * (spread * information)[tries.subject], minlength=len(difficulty))
    moved = fit.covariance @ score
    return replace(fit, difficulty=difficulty + moved, covariance=fit.covariance + np.diag((_UNSURE * moved) ** 2))


def _slope_of_choice(ability: Floats, choice: Choice, tries: TriesOfItems) -> Floats:
    """Per player, the slope of the log chance of what they chose, by ability; 0 for whoever did not choose."""
    went, other, could = (_tried(tries, levels, len(ability)) for levels in (choice.levels, choice.others, choice.after))
    chose = went & ~other if choice.others else went
    asked = np.flatnonzero((chose | (other & ~went)) if choice.others else could)
    if min(chose[asked].sum(), (~chose[asked]).sum()) < _FEWEST:
        return np.zeros(len(ability))
    slope, chance = _logistic(ability[asked], chose[asked])
    information = np.zeros(len(ability))
    if choice.others:  # each way has a row of its own, and a player is told of by the one taken
        information[asked] = np.where(chose[asked], slope * (1 - chance), 0.0)
    else:
        information[asked] = slope * (chose[asked] - chance)
    return information


def _tried(tries: TriesOfItems, levels: Sequence[int], count: int) -> Bools:
    tried = np.zeros(count, np.bool_)
    tried[distinct(tries.subject[is_among(tries.item, levels)])] = True
    return tried


def _logistic(ability: Floats, chose: Bools) -> tuple[float, Floats]:
    """The slope of the log odds of a choice, shrunken by its uncertainty, and each player's chance by it."""
    design = np.column_stack((np.ones(len(ability)), ability))
    values, prior = np.zeros(2), np.diag([0.0, _SLOPE_SD**-2])
    information = np.eye(2)
    for _ in range(_STEPS):
        chance = 1 / (1 + np.exp(-np.clip(design @ values, -30, 30)))
        information = design.T @ ((chance * (1 - chance))[:, None] * design) + prior
        step = np.linalg.solve(information, design.T @ (chose - chance) - prior @ values)
        values = values + np.clip(step, -2, 2)
        if np.abs(step).max() < 1e-8:
            break
    slope, variance = float(values[1]), float(np.linalg.inv(information)[1, 1])
    chance = 1 / (1 + np.exp(-np.clip(design @ values, -30, 30)))
    return slope * max(0.0, 1 - variance / max(slope**2, 1e-12)), chance
