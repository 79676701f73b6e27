"""Knobs that the log tells of: what all starts of a level say alike, and those of other levels do not."""

import pytest

from milepost.course.course import Course, Level
from milepost.logs.read import read
from milepost.playback.logged_knobs import knobs_of, logged_knobs, natural_order
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules


def starts(**tags):
    """Two players at two levels, two starts of each; a tag has a value for each level, or one for all."""
    out = []
    for player in ("Ada", "Bo"):
        for place, level in enumerate(("Mill Pond", "Low Arch")):
            said = {name: value[place] if isinstance(value, tuple) else value for name, value in tags.items()}
            base = {"session": player, "player": player, "level": level, "build": "0.7"}
            out += [
                base | {"time": 100 * place, "event": "start"} | said,
                base | {"time": 100 * place + 20.5, "event": "complete"},
            ]
    return out


def knobs(milepost, records, course=None):
    milepost.write("log.jsonl", records)
    return replay_log(read([str(milepost.folder / "log.jsonl")]), course, ReplayRules())


@pytest.mark.parametrize(
    ("value", "told"),
    [
        ((3, 5), [3, 5]),
        ((1.5, 2.5), [1.5, 2.5]),
        (("slow", "fast"), ["slow", "fast"]),
        ((False, True), [False, True]),
        ((3, 3), None),
        (3, None),
    ],
)
def test_one_value_a_level(milepost, value, told):
    """Typed as a course has it; what is alike at all levels is none."""
    found = logged_knobs(knobs(milepost, starts(boats=value)))
    assert [row.get("boats") for row in found] == (told or [None, None])


def test_what_differs_within_a_level_is_none(milepost):
    """Once is enough to prove that it is a state."""
    records = starts(boats=(3, 5))
    records[0]["boats"] = 4
    assert logged_knobs(knobs(milepost, records)) == [{}, {}]


def test_the_last_build_stays(milepost):
    """Of two builds, each with one value a level, the later one's by natural order; a start alone proves nothing."""
    later = [record | {"session": record["session"] + "2", "build": "0.10"} for record in starts(boats=(3, 8))]
    assert logged_knobs(knobs(milepost, [*later, *starts(boats=(3, 5))])) == [{"boats": 3}, {"boats": 8}]
    assert logged_knobs(knobs(milepost, starts(boats=(3, 5))[:4])) == [{}, {}]
    assert natural_order(["0.10", None, "0.7", "0.10"]) == [2, 0, 1]


def test_the_course_wins(milepost):
    """What it names is as it says; the rest is as the log says."""
    course = Course("Wickwater", (Level("Mill Pond", knobs={"boats": 4}), Level("Low Arch")))
    play = knobs(milepost, starts(boats=(3, 5), reeds=("few", "many")), course)
    assert knobs_of(play, 0) == {"boats": 4, "reeds": "few"} and knobs_of(play, 1) == {"boats": 5, "reeds": "many"}
