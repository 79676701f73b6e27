"""Some subjects' tries: theirs, all of them, and nobody else's."""

import numpy as np
import pytest

from milepost.numerics.try_sums import TriesOfItems

SUBJECT = np.array([0, 2, 0, 1, 2, 2])
TRIES = TriesOfItems(SUBJECT, np.arange(6), np.arange(1, 7), SUBJECT == 2, SUBJECT == 0)


@pytest.mark.parametrize(
    ("subjects", "items", "numbered"),
    [([0], [0, 2], [0, 0]), ([0, 2], [0, 1, 2, 4, 5], [0, 1, 0, 1, 1]), ([1], [3], [0]), ([], [], [])],
)
def test_of_some(subjects, items, numbered):
    """Numbered anew in rising order; what was left goes with the tries."""
    own = TRIES.of(np.array(subjects, np.int64), 3)
    assert own.item.tolist() == items and own.subject.tolist() == numbered
    assert own.success.tolist() == (SUBJECT[items] == 2).tolist() and own.left.tolist() == (SUBJECT[items] == 0).tolist()


def test_of_the_first():
    assert TRIES.of_the_first(2).item.tolist() == [0, 2, 3] and len(TRIES.of_the_first(0).item) == 0


@pytest.mark.parametrize("size", [1, 2, 5])
def test_in_blocks(size):
    """Blocks hold all tries of their subjects, sorted or not, each once."""
    blocks = list(TRIES.in_blocks(size))
    assert [first for first, _ in blocks] == list(range(0, 3, size))
    assert sorted(item for _, own in blocks for item in own.item.tolist()) == list(range(6))
    for first, own in blocks:
        assert set(own.subject.tolist()) <= set(range(first, first + size))
