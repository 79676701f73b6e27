"""Differences that share a shift: known answers, and the same sums done the long way."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from milepost.numerics import shifts
from milepost.numerics.shifts import estimate_shift, false_discovery_rate


def told_the_long_way(x, v, anchors, tau):
    """Each delta against the shift of the other anchors, by least squares written out."""
    deltas, variances = [], []
    for i in range(len(x)):
        others = [j for j in range(len(x)) if anchors[j] and j != i]
        inverse = np.linalg.inv(v[np.ix_(others, others)] + tau**2 * np.eye(len(others)))
        one = np.ones(len(others))
        weight = inverse @ one / (one @ inverse @ one)
        row = np.zeros(len(x))
        row[others] = -weight
        row[i] += 1
        deltas.append(row @ x)
        variances.append(row @ v @ row + tau**2 * weight @ weight)
    return np.array(deltas), np.array(variances)


@given(st.integers(0, 10_000), st.integers(4, 12), st.sampled_from([0.0, 0.1, 0.3]))
@settings(max_examples=60, deadline=None)
def test_each_against_the_others(seed, n, tau):
    rng = np.random.default_rng(seed)
    root = rng.normal(size=(n, n + 3))
    v, x = root @ root.T / n + 0.05 * np.eye(n), rng.normal(size=n)
    anchors = rng.random(n) < 0.7
    anchors[:3] = True
    found = shifts._evaluate_at(tau, x, v, anchors)
    delta, variance = told_the_long_way(x, v, anchors, tau)
    assert np.allclose(found.delta, delta) and np.allclose(found.delta_variance, variance)


@pytest.mark.parametrize("seed", range(4))
def test_averages_over_spreads(seed):
    """What is told is the mean over the spreads that levels may have, and its variance is within and between these."""
    rng = np.random.default_rng(seed)
    root = rng.normal(size=(8, 11))
    v, x = root @ root.T / 40 + 0.02 * np.eye(8), rng.normal(0, 0.6, 8)
    found = estimate_shift(x, v)
    each = [shifts._evaluate_at(float(tau), x, v, found.anchors) for tau in shifts._TAUS]
    weight = np.exp([one.log_weight - max(other.log_weight for other in each) for one in each])
    weight /= weight.sum()
    for level in range(8):
        means = np.array([one.delta[level] for one in each])
        mean = weight @ means
        within = weight @ np.array([one.delta_variance[level] for one in each])
        assert found.delta[level] == pytest.approx(mean)
        assert found.delta_se[level] ** 2 == pytest.approx(within + weight @ (means - mean) ** 2)
    shift = np.array([one.shift for one in each])
    within = weight @ np.array([one.shift_variance for one in each])
    assert found.shift_se**2 == pytest.approx(within + weight @ (shift - found.shift) ** 2)
    assert found.spread == pytest.approx(weight @ np.asarray(shifts._TAUS))


def test_all_moved_alike():
    found = estimate_shift(np.full(10, 0.7), 0.04 * np.eye(10))
    assert (
        found.shift == pytest.approx(0.7)
        and np.allclose(found.delta, 0, atol=1e-12)
        and (found.p > 0.99).all()
        and found.anchors.all()
    )


def test_one_level_does_not_push_the_others():
    """A level that was changed is no anchor, so that it moves neither the shift nor what the others are said to have done."""
    x = np.full(12, -0.4)
    x[5] += 3
    found = estimate_shift(x, 0.04 * np.eye(12))
    assert found.shift == pytest.approx(-0.4) and found.delta[5] == pytest.approx(3.0) and not found.anchors[5]
    assert np.allclose(np.delete(found.delta, 5), 0, atol=1e-9) and found.p[5] < 1e-9


def test_an_error_that_all_share_is_the_shifts():
    """Another sample of players moves all estimates together: it widens the shift, and no delta."""
    alone, shared = 0.04 * np.eye(8), 0.04 * np.eye(8) + 0.25
    x = np.linspace(-0.2, 0.2, 8)
    one, other = estimate_shift(x, alone), estimate_shift(x, shared)
    assert np.allclose(one.delta_se, other.delta_se) and other.shift_se**2 == pytest.approx(one.shift_se**2 + 0.25, rel=1e-3)


def test_untouched_levels_carry_the_shift():
    """Where half of the levels are changed alike, only who knows which were not can tell."""
    x = np.array([0.0] * 5 + [1.5] * 5)
    known = np.arange(10) < 5
    found = estimate_shift(x, 0.02 * np.eye(10), known)
    assert found.shift == pytest.approx(0.0) and np.allclose(found.delta[5:], 1.5) and (found.p[5:] < 1e-6).all()


def test_false_discovery_rate():
    """By hand: p times the number of tests over its rank, no greater than that of the next."""
    assert false_discovery_rate(np.array([0.01, 0.04, 0.03, 0.5])).tolist() == pytest.approx(
        [0.04, 0.04 * 4 / 3, 0.04 * 4 / 3, 0.5]
    )
    assert false_discovery_rate(np.array([0.9, 0.9])).tolist() == [0.9, 0.9]
    assert false_discovery_rate(np.zeros(0)).size == 0
