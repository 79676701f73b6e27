"""Intervals and survival curves against published or hand-worked answers."""

import numpy as np
import pytest
from scipy import special, stats
from scipy.special import log_ndtr

from milepost.numerics.intervals import (
    clustered_share,
    exact_interval,
    log_log,
    log_log_ends,
    log_normal,
    mean_interval,
    normal_quantile,
    spread_interval,
    t_quantile,
    two_sided,
    wilson_interval,
)
from milepost.numerics.survival import kaplan_meier


def test_wilson():
    """Newcombe, Statistics in Medicine 17 (1998), table I: 81 of 263 and 0 of 20."""
    assert wilson_interval(81, 263) == pytest.approx((0.2553, 0.3662), abs=5e-5)
    assert wilson_interval(0, 20) == pytest.approx((0.0, 0.1611), abs=5e-5)
    assert wilson_interval(0, 0) == (None, None)


def test_exact():
    """The same table: 81 of 263, 15 of 148 and 1 of 29 by Clopper and Pearson."""
    assert exact_interval(81, 263) == pytest.approx((0.2527, 0.3676), abs=5e-5)
    assert exact_interval(15, 148) == pytest.approx((0.0578, 0.1617), abs=5e-5)
    assert exact_interval(1, 29) == pytest.approx((0.0009, 0.1776), abs=5e-5)
    assert exact_interval(5, 5) == pytest.approx((0.025 ** (1 / 5), 1.0))


def test_kaplan_meier():
    """Freireich's 21 patients on 6-MP (Cox and Oakes, 1984, p. 8): survival 0.857, 0.807, 0.753, 0.690 …, median 23."""
    times = [6, 6, 6, 6, 7, 9, 10, 10, 11, 13, 16, 17, 19, 20, 22, 23, 25, 32, 32, 34, 35]
    event = [1, 1, 1, 0, 1, 0, 1, 0, 0, 1, 1, 0, 0, 0, 1, 1, 0, 0, 0, 0, 0]
    curve = kaplan_meier(np.array(times, dtype=float), np.array(event, dtype=bool))
    steps = curve.survival[curve.events > 0]
    assert steps == pytest.approx([0.857, 0.807, 0.753, 0.690, 0.627, 0.538, 0.448], abs=5e-4)
    assert curve.quantile(0.5) == 23
    assert curve.quantile(0.9) is None
    assert curve.quantile_interval(0.5) == (13.0, None) and curve.quantile_interval(0.25) == (6.0, 22.0)


def test_the_interval_of_a_mean():
    """Student's: as SciPy has it; none of a single value, or where all are the same."""
    values = np.array([3.0, 4.5, 5.0, 9.0])
    wanted = stats.t.interval(0.95, 3, values.mean(), stats.sem(values))
    assert mean_interval(values) == pytest.approx(wanted)
    assert mean_interval(values[:1]) == mean_interval(np.array([2.0, 2.0])) == (None, None)


def test_a_share_of_tries_of_players():
    """The variance of a ratio, worked out by hand, on the scale of logits: 6 of 20 tries by three players."""
    hits, of = np.array([1, 1, 4]), np.array([8, 6, 6])
    squares = (1 - 0.3 * 8) ** 2 + (1 - 0.3 * 6) ** 2 + (4 - 0.3 * 6) ** 2
    half = 1.959964 * (1.5 * squares) ** 0.5 / 20 / (0.3 * 0.7)
    ends = [1 / (1 + np.exp(-(np.log(0.3 / 0.7) + side * half))) for side in (-1, 1)]
    assert clustered_share(hits, of) == pytest.approx(ends, rel=1e-6)
    assert clustered_share(hits, of, np.array([2, 2, 2])) == pytest.approx(clustered_share(np.tile(hits, 2), np.tile(of, 2)))


def test_equal_times_are_one():
    """Values that differ by less than the tolerance are one step, with the clear before the cut-off."""
    curve = kaplan_meier(np.array([0.1 + 0.2, 0.3, 0.5]), np.array([False, True, True]))
    assert curve.at_risk.tolist() == [3, 1]
    assert curve.survival == pytest.approx([2 / 3, 0.0])


@pytest.mark.parametrize(
    ("hits", "of", "expected"),
    [
        ([1], [4], exact_interval(1, 4)),  # one player
        ([1, 1], [2, 2], exact_interval(2, 4)),  # no spread between players
        ([1, 1, 1], [1, 1, 1], exact_interval(3, 3)),  # all cleared at once
        ([0, 0], [7, 9], exact_interval(0, 2)),  # nobody did: counted by players
        ([0, 0], [0, 0], (None, None)),  # nobody tried
    ],
)
def test_clustered_share_at_its_edges(hits, of, expected):
    """Where the variance says nothing, the exact interval steps in."""
    assert clustered_share(np.array(hits), np.array(of)) == pytest.approx(expected)


def test_log_log_is_open_at_the_ends():
    """There is no interval at exactly 0 or 1, and inside it stays within."""
    assert log_log(1.0, 0.0) == log_log(0.0, 1.0) == (None, None)
    low, high = log_log(0.9, 0.01)
    assert 0 < low < 0.9 < high < 1


@pytest.mark.parametrize("between", [(-60, -25), (-25.1, -24.9), (-25, 0), (-1e-9, 1e-9), (0, 9), (9, 45), (-1e8, -1e7)])
def test_log_normal(between):
    """As SciPy has it, far down, around zero and far up, where it is next to nothing."""
    values = np.linspace(*between, 1001)
    assert log_normal(values) == pytest.approx(log_ndtr(values), rel=5e-14, abs=1e-40)
    assert log_normal(values.reshape(7, 143)).shape == (7, 143) and not len(log_normal(np.empty(0)))


def test_the_interval_of_a_spread_holds_it():
    """In 19 of 20 draws, over groups of few figures with errors of their own; it reaches 0 where there is no spread."""
    rng, held, zero = np.random.default_rng(90210), 0, 0
    for _ in range(150):
        errors = [rng.uniform(0.002, 0.02, size) for size in (3, 5, 8)]
        drawn = [(rng.normal(0.5, np.sqrt(own + 0.1**2)), own) for own in errors]
        low, high = spread_interval(drawn)
        held += low <= 0.1 <= high
        zero += spread_interval([(rng.normal(0.5, np.sqrt(own)), own) for own in errors])[0] == 0
    assert 0.9 <= held / 150 <= 0.99 and 0.94 <= zero / 150 <= 1.0
    assert spread_interval([(np.array([0.5]), np.array([0.01]))]) == (None, None)


def test_the_normal_and_the_t():
    """Against SciPy's: tails included, where one minus almost one would say nothing."""
    z = np.array([0.0, 0.5, -1.96, 6.0, 20.0, 37.0])
    assert two_sided(z) == pytest.approx(2 * special.ndtr(-np.abs(z)), rel=1e-12)
    for share in (0.0, 1e-12, 0.025, 0.5, 0.9, 1.0):
        assert normal_quantile(share) == pytest.approx(special.ndtri(share), rel=1e-12)
    assert t_quantile(5) == pytest.approx(stats.t.ppf(0.975, 5))


def test_ends_of_many_shares():
    """As of each by itself; 0 and 1 stay what they are."""
    shares, sums = np.array([0.0, 0.3, 0.99, 1.0]), np.array([0.5, 0.01, 0.001, 0.0])
    low, high = log_log_ends(shares, sums)
    assert (low[[0, 3]].tolist(), high[[0, 3]].tolist()) == ([0.0, 1.0], [0.0, 1.0])
    half = 1.959963984540054 * np.sqrt(sums[1:3]) / np.abs(np.log(shares[1:3]))
    assert low[1:3] == pytest.approx(shares[1:3] ** np.exp(half)) and high[1:3] == pytest.approx(shares[1:3] ** np.exp(-half))
