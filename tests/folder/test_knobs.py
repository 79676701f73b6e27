"""Knobs: the table, rules and levers by hand, effects against known truths, and what cannot be told."""

import numpy as np
import pytest

from milepost import replay
from milepost.course.course_entries import KnobRule
from milepost.planning.knob_changes import is_to_fix, pick_effect, values_to_reach
from milepost.planning.knob_effects import _are_tied, _Changed, _slope, effects_by_levels
from milepost.planning.knob_table import _levers, commonest_at_openings

NAMES = ["Mill Pond", "Swan Bend", "Low Arch", "Long Lock", "Reed Gate"]
COURSE = """[rules.current]
first = 1.0
step = 0.5
cap = 2.0
"""
KNOBS = [
    {"current": 1.0, "reeds": 2},
    {"current": 1.5, "reeds": 2},
    {"current": 2.0, "reeds": 2},
    {"current": 2.5, "reeds": 2},
    {"reeds": 3, "barges": 1},
]


def log(players=6):
    """Everybody clears every level at once; at Reed Gate two die of a barge first."""
    records = []
    for n in range(players):
        base, clock = {"session": f"s{n}", "player": f"p{n}"}, 0
        for level in NAMES:
            own = {**base, "level": level}
            if level == "Reed Gate" and n < 2:
                records += [
                    {**own, "time": clock, "event": "start"},
                    {**own, "time": clock + 5, "event": "death", "cause": "barge"},
                ]
                clock += 6
            records += [{**own, "time": clock, "event": "start"}, {**own, "time": clock + 9, "event": "complete"}]
            clock += 10
    return records


@pytest.fixture
def told(milepost):
    course = COURSE
    for name, knobs in zip(NAMES, KNOBS, strict=True):
        course += f'[[level]]\nname = "{name}"\n[level.knobs]\n' + "".join(f"{key} = {value}\n" for key, value in knobs.items())
    milepost.write("log.jsonl", log())
    milepost.write("course.toml", course)
    return milepost.json("knobs", "log.jsonl", "--course", "course.toml")


def test_the_table(told):
    """Knobs, changes, kinds of change, levers, and what breaks a rule."""
    assert [row["knobs"] for row in told["levels"]] == KNOBS
    assert [row["kind"] for row in told["levels"]] == ["none", "numbers", "numbers", "numbers", "both"]
    assert told["levels"][1]["changed"] == [{"knob": "current", "from": 1.0, "to": 1.5}]
    assert {step["knob"] for step in told["levels"][4]["changed"]} == {"current", "reeds", "barges"}
    assert told["levers"] == [{"knob": "current", "from_level": "Mill Pond", "to_level": "Long Lock"}]
    assert told["rules"] == [{"knob": "current", "level": "Long Lock", "by_rule": 2.0, "declared": 2.5, "logged": None}]
    assert not any(row["logged"] for row in told["levels"])


def test_a_rule_that_the_log_breaks(milepost):
    """What the openings of a level say most often stands beside what its course declares."""
    declared = "".join(
        f'[[level]]\nname = "{name}"\n[level.knobs]\ncurrent = {min(1 + n / 2, 2)}\n' for n, name in enumerate(NAMES)
    )
    played = [line | ({"current": 1.75} if line["level"] == "Swan Bend" and line["event"] == "start" else {}) for line in log()]
    milepost.write("log.jsonl", played)
    milepost.write("course.toml", COURSE + declared)
    rules = milepost.json("knobs", "log.jsonl", "--course", "course.toml")["rules"]
    assert rules == [{"knob": "current", "level": "Swan Bend", "by_rule": 1.5, "declared": 1.5, "logged": 1.75}]


@pytest.mark.parametrize(
    ("rule", "values"),
    [
        (KnobRule(1.0, step=0.2, cap=1.5), [1.0, 1.2, 1.4, 1.5, 1.5]),
        (KnobRule(9.0, step=-2.0, cap=4.0), [9.0, 7.0, 5.0, 4.0, 4.0]),
        (KnobRule(2.0, factor=2.0, every=2), [2.0, 2.0, 4.0, 4.0, 8.0]),
    ],
)
def test_rules(rule, values):
    assert [rule.at(place) for place in range(5)] == pytest.approx(values)


@pytest.mark.parametrize(
    "row", ["first = 1", "first = 1\nstep = 1\nfactor = 2", 'first = "a"\nstep = 1', "first = 1\nstep = 1\nevery = 0", "step = 1"]
)
def test_rules_that_are_none(milepost, row):
    milepost.write("log.jsonl", log())
    milepost.write("course.toml", f'[rules.current]\n{row}\n[[level]]\nname = "Mill Pond"\n')
    done = milepost("knobs", "log.jsonl", "--course", "course.toml")
    assert done.returncode == 2 and "rules.current" in done.stderr and len(done.stderr.splitlines()) == 1


def test_effects_by_levels_hold_the_truth():
    """Over random courses the interval holds a knob's effect about as often as it says."""
    rng, held = np.random.default_rng(3), 0
    for _ in range(400):
        width, places = rng.uniform(3, 9, 20), np.arange(20)
        difficulty = 0.05 * places - 0.4 * width + rng.normal(0, 0.5, 20)
        effect = effects_by_levels([{"width": float(value)} for value in width], difficulty, places)[0]
        held += effect["low"] <= -0.4 <= effect["high"]
    assert 0.92 <= held / 400 <= 0.98


def test_what_moves_together_gets_no_claim():
    """Two knobs in step, and one that only follows the place, are not told apart; a knob of few levels has an empty row."""
    rng, places = np.random.default_rng(4), np.arange(12)
    one = rng.uniform(0, 5, 12)
    knobs = [
        {"one": float(a), "two": float(2 * a), "place_like": float(n), "rare": 1.0 + n}
        if n < 3
        else {"one": float(a), "two": float(2 * a), "place_like": float(n)}
        for n, a in enumerate(one)
    ]
    effects = {row["knob"]: row for row in effects_by_levels(knobs, rng.normal(0, 1, 12), places)}
    assert "two" in effects["one"]["together"] and "one" in effects["two"]["together"]
    assert "place" in effects["place_like"]["together"]
    assert all(row["per_unit"] is None for row in effects.values()) and effects["rare"]["levels"] == 3


def test_effects_by_builds():
    """One change: normal; several: t, and wider where they differ by more than their errors; changes in step are tied."""
    one = _Changed(0.8, 0.04, 0.0, {"width": -2.0})
    slope, low, high = _slope([one], "width")
    assert slope == pytest.approx(-0.4) and high - low == pytest.approx(2 * 1.959964 * (0.05**0.5) / 2)
    rows = [_Changed(-0.4 * c, 0.04, 0.0, {"width": c, "height": 3 * c}) for c in (-2.0, 1.0, 3.0)]
    slope, low, high = _slope(rows, "width")
    assert slope == pytest.approx(-0.4) and low < -0.4 < high
    wild = [_Changed(row.delta + jump, 0.04, 0.0, row.by) for row, jump in zip(rows, (3.0, -3.0, 3.0), strict=True)]
    assert _slope(wild, "width")[2] - _slope(wild, "width")[1] > high - low
    assert _are_tied(rows, "width", "height") and not _are_tied([one], "width", "height")


DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")


def test_a_knob_at_another_value(wickwater):
    """A what-if of a knob does what the log tells of it, times the change; what is not told, or not there, is refused."""
    effect = next(
        own for own in wickwater.json("knobs", *DEMO)["effects"] if own["knob"] == "arch_width" and own["by"] == "levels"
    )
    document = wickwater.json("whatif", *DEMO, "--set", "Low Arch.arch_width=6.5")
    row = next(row for row in document["levels"] if row["level"] == "Low Arch")
    assert row["changed"] - row["difficulty"] == pytest.approx(2 * effect["per_unit"])
    assert document["knobs"][0]["from"] == 4.5 and document["gained_low"] < document["gained"] < document["gained_high"]
    both = wickwater.json("whatif", *DEMO, "--set", "Low Arch.arch_width=6.5", "--set", "Glass Basin.difficulty=0")
    assert both["gained"] > document["gained"] and len(both["knobs"]) == 1
    for change, why in (
        ("Low Arch.barges=2", "cannot be told from place"),
        ("Low Arch.archwidth=2", "Did you mean arch_width?"),
        ("Low Ark.reeds=2", "Low Arch"),
    ):
        done = wickwater("whatif", *DEMO, "--set", change)
        assert done.returncode == 2 and why in done.stderr and len(done.stderr.splitlines()) == 1, done.stderr


def test_the_value_that_would_do(wickwater):
    """The value brings the chance of a first try, within what was seen; a level that is easier already is not in it."""
    document = wickwater.json("knobs", *DEMO, "--reach", "0.6")
    effects = {own["knob"]: own for own in document["effects"] if own["by"] == "levels"}
    rows = {row["level"]: row for row in document["levels"]}
    told = [own for own in document["reach"] if own["to"] is not None]
    assert told and all(own["first_try"] < 0.6 for own in document["reach"])
    for own in told:
        moved = rows[own["level"]]["difficulty"] + effects[own["knob"]]["per_unit"] * (own["to"] - own["from"])
        assert 1 / (1 + np.exp(moved)) == pytest.approx(0.6) and own["low"] < own["to"] < own["high"]
        values = [row["knobs"][own["knob"]] for row in rows.values()]
        assert min(values) <= own["to"] <= max(values)
    why = {own["refused"] for own in document["reach"] if own["to"] is None}
    assert "what a unit does is not told from nothing" in why and any(text.startswith("outside") for text in why)
    assert wickwater("knobs", *DEMO, "--reach", "1.2").returncode == 2
    assert wickwater.json("knobs", *DEMO)["reach"] == []
    assert wickwater("knobs", *DEMO, "--figure", "knobs.png").returncode == 0


def effect_of(by, per_unit, low, high):
    return {"knob": "oil", "by": by, "per_unit": per_unit, "low": low, "high": high, "together": []}


def test_builds_tell_more_than_levels():
    """Of two effects of a knob the one that builds tell is taken, wherever it stands; one that nothing tells is none."""
    of_levels, of_builds = effect_of("levels", -0.5, -0.7, -0.3), effect_of("builds", -0.8, -1.0, -0.6)
    for effects in ([of_levels, of_builds], [of_builds, of_levels]):
        assert pick_effect("oil", effects) == ("builds", -0.8, -1.0, -0.6)
    assert pick_effect("oil", [of_levels, effect_of("builds", None, None, None)]) == ("levels", -0.5, -0.7, -0.3)
    assert pick_effect("oil", [effect_of("builds", -0.8, None, -0.6)]) is None and pick_effect("reeds", [of_builds]) is None


def test_the_value_by_hand():
    """From a first try of 1 in (1 + e) to an even one takes a logit, two units of the knob; its error has two parts."""
    effects = [effect_of("levels", -0.5, -0.5 - 1.959964 * 0.1, -0.5 + 1.959964 * 0.1)]
    judged = [{"level": "Low Arch", "difficulty": 1.0, "se": 0.3}, {"level": "Mill Pond", "difficulty": -2.0, "se": 0.3}]
    rows = [{"knobs": {"oil": 3}}, {"knobs": {"oil": 6}}]
    (reach,) = values_to_reach(judged, rows, effects, 0.5)
    assert (reach["level"], reach["from"], reach["to"]) == ("Low Arch", 3, pytest.approx(5))
    half = 1.959964 * ((0.1 * 1.0 / 0.5**2) ** 2 + (0.3 / 0.5) ** 2) ** 0.5
    assert (reach["low"], reach["high"]) == (pytest.approx(5 - half), pytest.approx(5 + half))


def test_levers_by_hand():
    """Two steps or more of one knob alone; a step of two knobs, or of another, ends a lever, and one step is none."""
    steps = [[], ["current"], ["current"], ["oil"], ["current", "oil"], ["oil"], ["oil"], ["oil"], []]
    rows = [{"level": f"Lock {n}", "changed": [{"knob": knob} for knob in own]} for n, own in enumerate(steps)]
    assert _levers(rows) == [
        {"knob": "current", "from_level": "Lock 0", "to_level": "Lock 2"},
        {"knob": "oil", "from_level": "Lock 4", "to_level": "Lock 7"},
    ]


@pytest.mark.parametrize(("oil", "said"), [([2, 3, 3], 3), ([3, 2, 2, 3], 3), ([2], 2), ([None, 5, None], 5), ([], None)])
def test_what_openings_say_most_often(milepost, oil, said):
    """Of values that are as common, the one that was said first."""
    records = [
        {"session": f"s{n}", "time": 0, "event": "start", "level": "Mill Pond", "oil": value} for n, value in enumerate(oil)
    ]
    milepost.write("log.jsonl", [*records, {"session": "z", "time": 0, "event": "start", "level": "Low Arch", "oil": 9}])
    milepost.write("course.toml", COURSE + "".join(f'[[level]]\nname = "{name}"\n' for name in ("Mill Pond", "Low Arch")))
    play = replay([str(milepost.folder / "log.jsonl")], milepost.folder / "course.toml")
    expected = {1: 9} if said is None else {0: said, 1: 9}
    assert commonest_at_openings(play, "oil") == expected and commonest_at_openings(play, "nothing") == {}


@pytest.mark.parametrize(
    ("kind", "evidence", "fix"),
    [
        ("spike", "strong", True),
        ("step", "fair", True),
        ("spike", "weak", False),
        ("dip", "strong", False),
        ("none", "none", False),
    ],
)
def test_what_is_to_fix(kind, evidence, fix):
    assert is_to_fix({"kind": kind, "evidence": evidence}) == fix


def test_a_knob_that_one_build_changed(milepost):
    """A unit of it is what the levels that changed did, the others beside."""
    rng, records = np.random.default_rng(4), []
    for n in range(240):
        build, clock = ("a", "b")[n % 2], 0.0
        skill = rng.normal(0, 0.6)
        for place, level in enumerate(NAMES):
            current = 1.0 + (build == "b" and place in (1, 3))
            cleared = False
            while not cleared and clock < 900:
                own = {"session": f"s{n}", "player": f"p{n}", "build": build, "level": level}
                cleared = rng.random() < 1 / (1 + np.exp(-(skill + 0.5 - 1.2 * (current - 1))))
                records.append({**own, "time": clock, "event": "start", "current": current})
                records.append({**own, "time": clock + 5, "event": "complete" if cleared else "death"})
                clock += 7
    milepost.write("log.jsonl", records)
    milepost.write(
        "course.toml", COURSE + "".join(f'[[level]]\nname = "{name}"\n[level.knobs]\ncurrent = 1.0\n' for name in NAMES)
    )
    (own,) = [one for one in milepost.json("knobs", "log.jsonl", "--course", "course.toml")["effects"] if one["by"] == "builds"]
    assert own["knob"] == "current" and own["low"] < 1.2 < own["high"] and own["per_unit"] > 0.5
