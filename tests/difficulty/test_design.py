"""What changed in a level's design: knobs that are new there, and knobs that jump, by how often their usual step."""

import pytest

from milepost.course.course import Course, Level
from milepost.difficulty.plan_checks import changes


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
    assert changes(course(*levels), place) == expected


def test_only_what_makes_it_harder():
    """A knob of which the course says which way is harder is named where it moves that way."""
    falling = [{"lanterns": n} for n in (9, 8, 7, 1, 0)]
    assert changes(course(*falling, lanterns="up"), 3) == []
    for more in ({"lanterns": "down"}, {}):
        assert changes(course(*falling, **more), 3) == [{"knob": "lanterns", "from": 7, "to": 1, "times_usual": 6.0}]
