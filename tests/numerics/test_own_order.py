"""Subjects in an order of their own: whoever numbered them, and however their rows came."""

import numpy as np
from hypothesis import given
from hypothesis.strategies import booleans, integers, lists, permutations, sampled_from, tuples

from milepost.numerics.value_counts import in_own_order, number_apart

ROW = tuples(integers(0, 4), sampled_from([0.5, 1.25, 3.0]), booleans())
ROWS = lists(lists(ROW, min_size=1, max_size=4).map(sorted), max_size=12)  # those of a kind come in an order that they decide


def told(people):
    """What subjects with some rows come to."""
    subject = np.array([number for number, rows in enumerate(people) for _ in rows], np.int64)
    columns = [np.array([row[place] for rows in people for row in rows], kind) for place, kind in enumerate((int, float, bool))]
    order, own = in_own_order(subject, *columns)
    return own.tolist(), [column[order].tolist() for column in columns]


@given(ROWS.flatmap(lambda people: permutations(people).map(lambda other: (people, other))))
def test_whoever_comes_first(given):
    """Other numbers for the subjects, and their kinds of rows in another order: the same rows, all of a subject together."""
    people, other = given
    own, columns = told(people)
    assert (own, columns) == told([sorted(rows, key=lambda row: -row[0]) for rows in other])
    assert own == sorted(own) and set(own) == set(range(len(people)))
    rows = [sorted(row for number, *row in zip(own, *columns, strict=True) if number == person) for person in range(len(people))]
    assert sorted(rows) == sorted(sorted(map(list, rows)) for rows in people)


def test_as_by_chance():
    """The first subjects are no others than the rest: of a thousand whose rows rise, a quarter have the mean of all."""
    own, columns = told([[(n, 0.5, True)] for n in range(1000)])
    first = [value for number, value in zip(own, columns[0], strict=True) if number < 250]
    assert abs(np.mean(first) - 499.5) < 60 and len(set(columns[0])) == 1000


def test_numbered_on():
    """Parts that share no subject."""
    parts = [np.array([0, 0, 1], np.int8), np.zeros(0, np.int8), np.array([0, 2], np.int16)]
    assert number_apart(parts).tolist() == [0, 0, 1, 2, 4]
