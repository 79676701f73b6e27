"""What changed in a level's design: knobs that are new there, and knobs that jump, by how often their usual step."""

from types import SimpleNamespace

import numpy as np
import pytest

from milepost.course.course import Course, Level
from milepost.difficulty.plan_checks import find_inversions, knob_notes, list_knob_jumps


def course(*knobs, **harder):
    return Course("Wickwater", tuple(Level(f"Lock {n}", knobs=own) for n, own in enumerate(knobs)), harder=harder)


STEADY = [{"reeds": 2}, {"reeds": 3}, {"reeds": 4}, {"reeds": 10}, {"reeds": 11}]


@pytest.mark.parametrize(
    ("levels", "place", "expected"),
    [
        (STEADY, 3, [{"knob": "reeds", "from": 4, "to": 10, "times_usual": 6.0}]),
        (STEADY, 1, []),
        (STEADY, 0, []),
        ([{"reeds": 1}, {"reeds": 1, "barges": 2}], 1, [{"knob": "barges", "from": None, "to": 2, "times_usual": None}]),
        ([{"barges": 2}], 0, []),
        ([{"tide": "low"}, {"tide": "high"}, {"tide": "low"}], 1, []),
        ([{"reeds": 1}, {"reeds": 9}], 1, []),  # no other step to hold it against
        ([{"fog": True}, {"fog": False}, {"fog": True}, {"fog": True}], 2, []),
    ],
)
def test_knobs_that_changed(levels, place, expected):
    assert list_knob_jumps(course(*levels), place) == expected


def test_only_what_makes_it_harder():
    """A knob of which the course says which way is harder is named where it moves that way."""
    falling = [{"lanterns": n} for n in (9, 8, 7, 1, 0)]
    assert list_knob_jumps(course(*falling, lanterns="up"), 3) == []
    for more in ({"lanterns": "down"}, {}):
        assert list_knob_jumps(course(*falling, **more), 3) == [{"knob": "lanterns", "from": 7, "to": 1, "times_usual": 6.0}]


def fitted(*difficulty):
    return SimpleNamespace(difficulty=np.array(difficulty, float), covariance=np.eye(len(difficulty)) * 0.01)


def test_an_easier_level_than_the_one_before():
    """Told with its interval where two legs of one level follow each other; levels of one leg have no order."""
    fit, names = fitted(0, 2, 0, 2, 0, 0), list("ABCDEF")
    (first, second) = find_inversions(names, fit, np.arange(6))
    assert [(one["level"], one["easier_than"]) for one in (first, second)] == [("C", "B"), ("E", "D")]
    assert first["low"] == pytest.approx(2 - 1.96 * 0.02**0.5, abs=1e-3) and first["high"] == pytest.approx(4 - first["low"])
    assert find_inversions(names, fit, np.array([0, 1, 1, 1, 2, 3])) == []


def test_a_knob_that_stops_growing():
    """Its slopes of difficulty before and after bear intervals, wider the more unevenly the levels lie."""
    growing = course(*({"reeds": min(n, 4)} for n in range(9)))
    (even,) = knob_notes(growing, fitted(0, 1, 2, 3, 4, 4, 4, 4, 4))["caps"]
    assert even["slope_before"] == pytest.approx(1) and even["slope_after_high"] == pytest.approx(0)
    (cap,) = knob_notes(growing, fitted(0, 1.5, 1.5, 3, 4, 4, 3, 5, 4))["caps"]
    assert (
        cap["slope_before_low"] < cap["slope_before"] < cap["slope_before_high"]
        and cap["slope_after_low"] < 0 < cap["slope_after_high"]
    )
