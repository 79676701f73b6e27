"""Which level of one build is which of the other, by names worked out by hand."""

from types import SimpleNamespace

import pytest

from milepost.comparison.pairing import _longest_rising, match_levels
from milepost.course.course import Course, Level


def play(*names, aliases=(), docks=(), routes=()):
    levels = [
        Level(
            name,
            aliases=dict(aliases).get(name, ()),
            leg="The docks" if name in docks else "The fork" if name in dict(routes) else None,
            route=dict(routes).get(name),
        )
        for name in names
    ]
    return SimpleNamespace(stops=list(names), n_levels=len(names), course=Course(None, tuple(levels)))


def shown(before, after):
    return [(one.name, one.places, one.renamed, one.moved) for one in match_levels(before, after)]


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
    found = [places[number] for number in sorted(_longest_rising(places))]
    assert len(found) == run and found == sorted(found)


def test_levels_of_a_leg_have_no_order():
    """Docks in another order have not moved; a level of a route that stands elsewhere on it has, and so has one of another leg."""
    docks = "BCD"
    moved = lambda before, after: [one.name for one in match_levels(before, after) if one.moved]  # noqa: E731
    assert moved(play("A", "B", "C", "D", docks=docks), play("A", "D", "C", "B", docks=docks)) == []
    assert moved(play("A", "B", "C", "D", docks=docks), play("A", "C", "B", "D")) == []
    assert moved(play("A", "B", "C", "D", "E", docks="BCD"), play("E", "A", "D", "C", "B", docks="BCD")) == ["E"]
    ways = {"B": "weir", "C": "weir", "D": "hill"}
    assert moved(play("A", "B", "C", "D", routes=ways), play("A", "D", "B", "C", routes=ways)) == []
    assert moved(play("A", "B", "C", "D", routes=ways), play("A", "C", "B", "D", routes=ways)) in (["B"], ["C"])
