"""Difficulties in two builds, on simulated players with a known truth."""

import sys
from dataclasses import replace
from pathlib import Path
from zlib import crc32

import numpy as np
import pytest

from milepost.comparison.estimates import estimate_difficulties
from milepost.numerics import try_model
from milepost.numerics.try_model import fit_tries

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
import comparison


def simulated(name, seed):
    return comparison.simulated(comparison.kinds()[name], np.random.default_rng([seed, crc32(name.encode())]))


@pytest.mark.parametrize("seed", [1005, 1008])
def test_the_fit_gets_to_the_top(seed):
    """No other difficulties than those fitted are likelier: the true ones are not, from wherever the steps begin."""
    name = "half as many quit, 400"
    tries = simulated(name, seed)[0].tries[1]
    tries = replace(tries, subject=np.unique(tries.subject, return_inverse=True)[1])
    rng = np.random.default_rng([seed, crc32(name.encode())])
    truth = -1.5 + 1.8 * np.linspace(0, 1, 24) + rng.normal(0, 0.25, 24)
    groups = np.zeros(24, np.int64)
    data, fit = try_model._Data(tries, 24, groups), fit_tries(tries, 24, groups)
    true_others = [0.4, np.log(0.97 / 0.03 * 2), -np.log(1.35), np.log(1.3), np.log(0.9)]
    reached, true = (data.slopes(np.concatenate(values))[0] for values in ((fit.difficulty, fit.others), (truth, true_others)))
    assert reached > true and abs(float((fit.difficulty - truth).mean())) < 0.2


def test_what_is_presumed_does_not_shrink_a_shift():
    """Each build's prior is around its own mean: few players, all levels much harder, and the shift is what it is."""
    errors = [estimate_difficulties(simulated("shift -1.0, 25", seed)[0]).difference.mean() + 1.0 for seed in range(14)]
    assert abs(np.mean(errors)) < 3 * np.std(errors) / np.sqrt(len(errors)) < 0.35


def test_players_of_both_builds():
    """Those who play both, some the one first and some the other, tell the shift better, and what having seen a level is worth."""
    both = [estimate_difficulties(simulated("crossed, 40", seed)[0]) for seed in range(6)]
    apart = [estimate_difficulties(simulated("nothing changed, 40", seed)[0]) for seed in range(6)]
    assert np.mean([found.practice[0] for found in both]) == pytest.approx(0.5, abs=0.35)
    assert all(found.practice is None for found in apart)
    error = [np.mean([np.sqrt(found.covariance.mean()) for found in own]) for own in (both, apart)]
    assert error[0] < 0.75 * error[1]
