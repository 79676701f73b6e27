"""Rank correlation against SciPy's, its interval against plain loops, and standing by rank."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from milepost.numerics.ranks import DRAWS, SEED, Pairs, rank_standings, spearman, spearman_interval


def drawn(seed, n, owners=4):
    rng = np.random.default_rng(seed)
    one = rng.integers(0, 6, n).astype(float)
    return Pairs(one, one + rng.normal(0, 2, n).round(), rng.permutation(np.arange(n) % owners))


@given(st.integers(0, 10_000), st.integers(4, 40))
@settings(max_examples=60, deadline=None)
def test_the_correlation(seed, n):
    """Ties at their middle rank; nothing where one of the two is the same everywhere."""
    pairs = drawn(seed, n)
    if len(np.unique(pairs.first)) > 1 and len(np.unique(pairs.other)) > 1:
        assert spearman(pairs) == pytest.approx(stats.spearmanr(pairs.first, pairs.other).statistic)
    assert spearman(Pairs(np.ones(n), pairs.other, pairs.owner)) is None


@pytest.mark.parametrize("seed", range(3))
def test_its_interval(seed):
    """Players drawn with replacement, each with all pairs, one draw after the other."""
    pairs, found = drawn(seed, 30), []
    for picked in np.random.default_rng(SEED).integers(0, 4, (DRAWS, 4)):
        rows = np.concatenate([np.flatnonzero(pairs.owner == owner) for owner in picked])
        rho = spearman(Pairs(pairs.first[rows], pairs.other[rows], pairs.owner[rows]))
        found += [] if rho is None else [rho]
    assert spearman_interval(pairs) == pytest.approx(np.quantile(found, [0.025, 0.975]))


def test_too_few_players():
    assert spearman_interval(drawn(1, 20, owners=2)) == (None, None)
    assert spearman_interval(drawn(1, 20, owners=3)) != (None, None)


def test_standing():
    """Places in standard deviations of ranks; a figure that is not known stands nowhere, however many others do."""
    place, error = rank_standings(
        [(0.2, 0.1, 0.3), (0.5, 0.15, 0.8), (0.9, 0.7, 1.0), (None, None, None), (0.9, None, None)], False
    )
    ranks = np.array([1, 2, 3.5, 0.5, 3.5])
    spread = ranks.std(ddof=1)
    assert place == pytest.approx([*((ranks - ranks.mean()) / spread)[:3], 0.0, (3.5 - ranks.mean()) / spread])
    reached = np.array([1, 2, 2]) / (2 * 1.959964 * spread)
    assert error == pytest.approx([*reached, np.inf, reached.max()], rel=1e-6)
    assert rank_standings([(0.2, 0.1, 0.3), (0.5, 0.15, 0.8)], True)[0] == pytest.approx([0.5**0.5, -(0.5**0.5)])
