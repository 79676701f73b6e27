"""Ways that able players choose are not called easy for it; ways that are dealt stay as they are."""

import numpy as np
import pytest

from milepost.course.course import Course, Level
from milepost.difficulty.chosen_ways import Choice, list_choices, update_abilities
from milepost.numerics.try_model import fit_tries
from milepost.numerics.try_sums import TriesOfItems

OFF_THE_WAY, LEVELS = 6, 12


def tries(seed, slope, players=1200):
    """One try of each player at each level; whether at the one off the way is chosen, by ability or not."""
    rng = np.random.default_rng(seed)
    ability = rng.normal(0, 1, players)
    went = rng.random(players) < 1 / (1 + np.exp(-slope * ability))
    subject, item = np.divmod(np.arange(players * LEVELS), LEVELS)
    kept = (item != OFF_THE_WAY) | went[subject]
    subject, item = subject[kept], item[kept]
    success = rng.random(len(subject)) < 1 / (1 + np.exp(-ability[subject]))  # all levels are of difficulty 0
    return TriesOfItems(subject, item, np.ones(len(subject), np.int64), success)


@pytest.mark.parametrize("slope", [2.0, -2.0, 0.0])
def test_who_went_says_something(slope):
    """By ability, the tries alone are off by a tenth of a logit or more, and with the ways by under half of that."""
    choices = [Choice((OFF_THE_WAY,), (), tuple(range(OFF_THE_WAY, LEVELS)))]
    alone, told = [], []
    for seed in range(6):
        drawn = tries(seed, slope)
        fit = fit_tries(drawn, LEVELS)
        others = np.delete(fit.difficulty, OFF_THE_WAY).mean()
        alone.append(fit.difficulty[OFF_THE_WAY] - others)
        after = update_abilities(fit, drawn, choices)
        told.append(after.difficulty[OFF_THE_WAY] - np.delete(after.difficulty, OFF_THE_WAY).mean())
    if slope:
        assert -np.sign(slope) * np.mean(alone) >= 0.1 and abs(np.mean(told)) < abs(np.mean(alone)) / 2
    else:
        assert abs(np.mean(told) - np.mean(alone)) < 0.02


def test_which_ways_there_are():
    """Routes against each other and levels off the way; none on a line, and none where too few went."""
    levels = [
        Level("A"),
        Level("B", leg="f", route="1"),
        Level("C", leg="f", route="2"),
        Level("D", leg="f", route="2"),
        Level("E"),
    ]
    course = Course(None, (*levels, Level("F", optional=True)))
    assert list_choices(course) == [
        Choice((1,), (2, 3), (1, 2, 3, 4, 5)),
        Choice((2, 3), (1,), (1, 2, 3, 4, 5)),
        Choice((5,), (), (4, 5)),
    ]
    assert list_choices(Course(None, (Level("A"), Level("B")))) == list_choices(None) == []
    few = TriesOfItems(*(np.array(column) for column in ([0, 0, 1], [0, 1, 0], [1, 1, 1], [True, False, True])))
    fit = fit_tries(few, 2)
    assert update_abilities(fit, few, [Choice((1,), (), (0, 1))]) is fit
