"""The exact test of two shares, by hand and against SciPy's."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import fisher_exact

from milepost.numerics.intervals import exact_p


def test_by_hand():
    """Three of four against one of four: of 70 ways to choose four of eight, 34 part them as far."""
    assert exact_p((3, 1), (4, 4)) == pytest.approx(34 / 70)
    assert exact_p((12, 0), (12, 12)) == pytest.approx(2 / 2704156) and exact_p((0, 0), (5, 9)) == 1.0


@given(st.tuples(*(st.tuples(st.integers(1, 60), st.floats(0, 1)) for _ in range(2))))
@settings(max_examples=150, deadline=None)
def test_against_another(samples):
    hits, of = tuple(round(n * share) for n, share in samples), tuple(n for n, _ in samples)
    table = [[hits[0], of[0] - hits[0]], [hits[1], of[1] - hits[1]]]
    assert exact_p(hits, of) == pytest.approx(fisher_exact(table).pvalue, rel=1e-6, abs=1e-12)
