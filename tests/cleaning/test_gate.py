"""The gate's own rules: names, duplicates, order, and the order of levels that was not given."""

import numpy as np
import pytest

from milepost.cleaning.names import gather, reorder, resolve
from milepost.cleaning.selection import group_sessions, keep_sessions, select_sessions, session_values
from milepost.course.course import Course, Level
from milepost.logs.read import read
from milepost.playback.infer import count_precedence, infer_order

COURSE = Course(
    "Wickwater", (Level("Mill Pond", ("pond",)), Level("Low Arch"), Level("low-ARCH 2"), Level("low_arch 2")), ("Map Room",)
)


def stops(*names):
    """What names stand for in the course, with whether by spelling and whether unknown."""
    found = resolve(list(names), np.ones(len(names), np.int64), COURSE)
    return [
        (found.names[code], bool(spelling), bool(unknown))
        for code, spelling, unknown in zip(found.code, found.spelling, found.unknown, strict=True)
    ]


def test_names_in_a_course():
    """Exact names and aliases first, then the folded form where just one level has it; else unknown."""
    assert stops("Mill Pond", "pond", "mill_pond", "POND") == [
        ("Mill Pond", False, False),
        ("Mill Pond", False, False),
        ("Mill Pond", True, False),
        ("Mill Pond", True, False),
    ]
    assert stops("low arch 2")[0][2]  # two levels fold to it
    assert stops("low_arch 2") == [("low_arch 2", False, False)]


def test_places_are_no_levels():
    """A declared place is found in any spelling, and is not unknown."""
    found = resolve(["map-room", "Map Room"], np.ones(2, np.int64), COURSE)
    assert found.is_place[found.code].tolist() == [True, True]
    assert not found.unknown.any()
    assert not found.spelling.any()


def test_names_without_a_course():
    """Names that fold alike are one stop under the commonest spelling; of equally common ones the first by name."""
    found = gather(["low arch", "Low Arch", "b", "B"], np.array([2, 5, 1, 1]))
    assert [found.names[code] for code in found.code] == ["Low Arch", "Low Arch", "B", "B"]
    assert found.spelling.tolist() == [True, False, True, False]
    turned = reorder(found, [1])
    assert (turned.names, turned.n_levels, turned.code.tolist()) == (["B", "Low Arch"], 1, [1, 1, 0, 0])


@pytest.mark.parametrize(
    ("players", "expected"),
    [
        (["abc", "abc"], "abc"),
        (["acb", "acb", "abc"], "acb"),
        (["ab", "bc"], "abc"),
        (["c", "a", "b"], "abc"),
        (["ba", "ab"], "ab"),
    ],
)
def test_inferred_order(players, expected):
    """Levels follow each other as most players came to them; ties by name."""
    names = sorted(set("".join(players)))
    player = np.repeat(np.arange(len(players)), [len(own) for own in players])
    level = np.array([names.index(level) for own in players for level in own])
    assert "".join(names[place] for place in infer_order(count_precedence(player, level), names)) == expected


@pytest.fixture
def log(milepost):
    """Three sessions of two players, with a tag in two of them."""
    rows = [
        {"session": "b2", "time": 0, "event": "start", "level": "A", "player": "Bo"},
        {"session": "a1", "time": 0, "event": "start", "level": "A", "player": "Ada", "mood": "calm"},
        {"session": "b1", "time": 0, "event": "start", "level": "A", "player": "Bo", "mood": "wild"},
        {"session": "b1", "time": 1, "event": "hit", "mood": "calm"},
    ]
    milepost.write("log.jsonl", rows)
    return read([str(milepost.folder / "log.jsonl")])


def test_values_of_sessions(log):
    """A session's value of a tag is the first given in it; sittings are numbered by player."""
    assert session_values(log, "mood") == [None, "calm", "wild"]
    assert session_values(log, "sitting") == ["1", "1", "2"]
    assert [value for value, _ in group_sessions(log, "mood")] == ["calm", "wild", None]


def test_only_some_sessions(log):
    """The log that is left is as if the others had not been; the whole log is left alone."""
    left = keep_sessions(log, np.array([False, True, False]))
    assert (left.sessions.name, left.records.session.tolist(), len(left.records)) == (["a1"], [0], 1)
    assert keep_sessions(log, np.ones(3, np.bool_)) is log
    assert select_sessions(log, ()) is log
