"""Sorting and counting whole numbers gives what NumPy's own ways give."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from milepost.numerics.whole_numbers import count_values, distinct, first_places, number_values, ordinals, stable_order

SMALL = st.lists(st.integers(-3, 3), max_size=60)
WIDE = st.lists(st.integers(-(1 << 63), (1 << 63) - 1), max_size=20)


@given(SMALL | WIDE, st.sampled_from(["int64", "int32", "int8"]))
def test_like_numpy(values, kind):
    """Orders, distinct values, counts, places and ordinals; of numbers that are too far apart to be packed, too."""
    if any(not np.iinfo(kind).min <= value <= np.iinfo(kind).max for value in values):
        kind = "int64"
    column = np.array(values, dtype=kind)
    assert stable_order(column).tolist() == np.argsort(column, kind="stable").tolist()
    assert distinct(column).tolist() == np.unique(column).tolist()
    for ours, option in ((count_values, "return_counts"), (number_values, "return_inverse"), (first_places, "return_index")):
        for mine, theirs in zip(ours(column), np.unique(column, **{option: True}), strict=True):
            assert mine.tolist() == theirs.tolist(), option
    assert ordinals(column).tolist() == [values[: place + 1].count(value) for place, value in enumerate(values)]


@pytest.mark.parametrize("values", [[], [5], [2, 2, 2], [1, 2, 3]])
def test_already_in_order(values):
    """What is in order already stays as it is."""
    assert stable_order(np.array(values, dtype=np.int64)).tolist() == list(range(len(values)))
