"""Which level of one build is which of the other, by names worked out by hand."""

from types import SimpleNamespace

import pytest

from milepost.comparison.pairing import _longest_rising, matched


def play(*names, aliases=()):
    course = SimpleNamespace(levels=[SimpleNamespace(known_as=lambda n=n: (n, *dict(aliases).get(n, ()))) for n in names])
    return SimpleNamespace(stops=list(names), n_levels=len(names), course=course)


def shown(before, after):
    return [(one.name, one.places, one.renamed, one.moved) for one in matched(before, after)]


def test_added_and_removed():
    """A level that is gone stands where it stood, after the one that it followed."""
    assert shown(play("A", "B", "C"), play("A", "C", "D")) == [
        ("A", (0, 0), False, False),
        ("B", (1, None), False, False),
        ("C", (2, 1), False, False),
        ("D", (None, 2), False, False),
    ]


def test_moved_and_renamed():
    """Who stands outside the longest common order has moved; another spelling is no other name, an alias is."""
    assert shown(play("A", "B", "C", "D"), play("B", "C", "D", "A")) == [
        ("B", (1, 0), False, False),
        ("C", (2, 1), False, False),
        ("D", (3, 2), False, False),
        ("A", (0, 3), False, True),
    ]
    assert shown(play("mill-pond"), play("Mill Pond")) == [("Mill Pond", (0, 0), False, False)]
    assert shown(play("Pond"), play("Mill Pond", aliases=[("Mill Pond", ("Pond",))])) == [("Mill Pond", (0, 0), True, False)]


@pytest.mark.parametrize(("places", "run"), [([], 0), ([0, 1, 2], 3), ([2, 1, 0], 1), ([3, 0, 1, 4, 2], 3), ([1, 0, 3, 2], 2)])
def test_longest_rising_run(places, run):
    found = _longest_rising(places)
    assert len(found) == run and [p for p in places if p in found] == sorted(found)
