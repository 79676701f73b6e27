"""Counts by value say what the values say."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis.strategies import booleans, floats, integers, lists, sampled_from, tuples

from milepost.numerics.intervals import clustered_share
from milepost.numerics.survival import kaplan_meier
from milepost.numerics.value_counts import Counted

SECONDS = sampled_from([0.0, 0.001, 0.3, 0.1 + 0.2, 1.5, 1.0000000001, 7.25, 86_400.0, 1e12, 1e300])
ROWS = lists(tuples(integers(-3, 300), booleans(), SECONDS), max_size=60)
KINDS = (np.int64, np.bool_, np.float64)


def columns_of(rows):
    return tuple(np.array([row[place] for row in rows], kind) for place, kind in enumerate(KINDS))


def told(counted):
    """The rows and counts, in order."""
    return [*zip(*(column.tolist() for column in (*counted.columns, counted.count)), strict=True)]


def by_hand(rows):
    """The same by a dictionary."""
    rows = [(level, yes, 0.3 if seconds == 0.1 + 0.2 else seconds) for level, yes, seconds in rows]
    return [(*row, rows.count(row)) for row in sorted(set(rows))]


@given(ROWS, integers(1, 5))
def test_counted_in_parts(rows, parts):
    """Rows in order with their counts, at once or in parts; what is a thousandth but for rounding is one value."""
    whole = Counted.of(*columns_of(rows))
    assert told(whole) == by_hand(rows) and whole.total == len(rows)
    merged = Counted.merged([Counted.of(*columns_of(rows[part::parts])) for part in range(parts)])
    assert told(merged) == told(whole)
    for kind, column in zip(KINDS, merged.columns, strict=True):
        assert column.dtype == kind


@given(ROWS, integers(-4, 301))
def test_chosen_rows(rows, level):
    """Those that begin with a number, those that are so, and fewer columns."""
    whole = Counted.of(*columns_of(rows))
    assert told(whole.at(level)) == [row[1:] for row in told(whole) if row[0] == level]
    assert told(whole.where(whole.columns[1])) == [row for row in told(whole) if row[1]]
    assert told(whole.by(2)) == [
        (value, sum(row[3] for row in told(whole) if row[2] == value)) for value in sorted({row[2] for row in told(whole)})
    ]


@given(lists(floats(0, 1e9) | integers(0, 5000).map(lambda n: n / 1000), min_size=1, max_size=40))
def test_medians_and_sums(values):
    """Those of the values."""
    counted = Counted.of(np.array(values))
    assert counted.median() == pytest.approx(float(np.median(values)), rel=1e-11, abs=1e-12)
    assert counted.sum() == pytest.approx(sum(values), rel=1e-9)
    assert Counted.of(np.zeros(0)).median() is None and Counted.of(np.zeros(0)).sum() == 0


def test_small_while_they_wait():
    """Levels, outcomes and thousandths of a second take few bytes, and sums do not overflow."""
    times = np.arange(100_000) % 30_000 / 1000
    counted = Counted.of(np.full(100_000, 7), np.arange(100_000) % 5, times)
    assert sum(column.values.itemsize for column in counted.slim) + counted.times.itemsize <= 6
    many = Counted.merged([Counted.of(np.full(120, 100))] * 300)
    assert many.sum() == 120 * 100 * 300 and many.total == 120 * 300
    wide = Counted.of(np.array([0, 1 << 40, 1 << 41]), np.array([1 << 40, 0, 5]), np.array([0.1, 1e-7, 3.0]))
    assert told(wide) == [(0, 1 << 40, 0.1, 1), (1 << 40, 0, 1e-7, 1), (1 << 41, 5, 3.0, 1)]


@given(lists(tuples(integers(1, 9), booleans(), integers(1, 4)), min_size=1, max_size=20))
def test_counts_of_equal_ones(given):
    """A curve and an interval of so many equal players are those of the players one by one."""
    tries, cleared, count = (np.array(column) for column in zip(*given, strict=True))
    one_by_one = [np.repeat(column, count) for column in (tries, cleared)]
    curve, same = kaplan_meier(tries.astype(float), cleared, count), kaplan_meier(one_by_one[0].astype(float), one_by_one[1])
    for name, column in vars(curve).items():
        assert np.array_equal(column, getattr(same, name)), name
    shares = clustered_share(cleared.astype(int), tries, count), clustered_share(one_by_one[1].astype(int), one_by_one[0])
    assert shares[0] == pytest.approx(shares[1])
