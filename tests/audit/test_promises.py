"""Promises of the makers: judged on each record that says enough, listed or void as the course says."""

import pytest

LEVELS = ["Mill Pond", "Low Arch"]
COURSE = """
[[level]]
name = "Mill Pond"
aliases = ["pond"]
[level.knobs]
boats = 3
speed = 1.5
[[level]]
name = "Low Arch"
[level.knobs]
boats = 5
speed = 2.5
"""


def tries(start=None, death=None, complete=None, players=6, build="b1", level="Mill Pond"):
    """Each player fails once and clears at the second try; what the records say besides, for the last player alone."""
    log = []
    for n in range(players):
        odd = n == players - 1
        base = {"session": f"s{n}", "player": f"P{n}", "build": build, "level": level}
        for time, event in ((0.1, "start"), (10.2, "death"), (12.3, "retry"), (30.4 + n, "complete")):
            usual, other = (start, death, start, complete)[("start", "death", "retry", "complete").index(event)] or ({}, {})
            log.append(base | {"time": time, "event": event} | (other if odd and event != "retry" else usual))
        log.append({"session": f"s{n}", "time": 40 + n, "event": "session_end", "cause": "quit"})
    return log


# What happened; what the course promises; on how many records it is judged.
EXAMPLES = {
    "health carried over": (tries(start=({"health": 3}, {"health": 1})), ["start", "retry"], ["health = 3"], 12),
    "a wave with more boats than its rule says": (
        tries(start=({"boats": 3}, {"boats": 4})),
        ["start"],
        ["boats <= knobs.boats"],
        6,
    ),
    "an object of another level is awake": (
        tries(start=({"awake": "pond"}, {"awake": "Low Arch"})),
        ["start"],
        ["awake = level"],
        6,
    ),
    "another level's screen": (tries(start=({"screen": "mill pond"}, {"screen": "LOW ARCH"})), ["start"], ["screen = level"], 6),
    "cleared with fewer lanterns than it takes": (
        tries(complete=({"collected": 4, "available": 4}, {"collected": 2, "available": 4})),
        ["complete"],
        ["collected >= available"],
        6,
    ),
    "lives below nothing": (tries(death=({"lives": 1}, {"lives": -1})), ["death"], ["lives >= 0"], 6),
    "outside the water": (tries(death=({"x": 20, "y": 5}, {"x": 130, "y": 5})), ["death"], ["x >= 0", "x <= 100"], 6),
    "reduced content": (tries(start=({"mode": "full"}, {"mode": "short"})), ["start"], ["mode = 'full','whole'"], 6),
    "the last level's speed in the first one": (
        tries(start=({"speed": 1.5}, {"speed": 2.5})),
        ["start"],
        ["speed = knobs.speed"],
        6,
    ),
    "not this one": (tries(start=({"mode": "full"}, {"mode": "short"})), ["start"], ['mode != "short"'], 6),
    "a switch that is off": (tries(start=({"lit": True}, {"lit": False})), ["start"], ["lit = true"], 6),
}


def course(on, that, **more):
    keys = {"on": on, "that": that, "why": "as planned", **more}
    return COURSE + "[[promise]]\n" + "".join(f"{key} = {value!r}\n" for key, value in keys.items())


@pytest.mark.parametrize("what", EXAMPLES)
@pytest.mark.parametrize("packed", [False, True])
def test_examples(milepost, what, packed):
    """Each is found, with where it stands, and void where the course says so; packed in parts all the same."""
    log, on, that, judged = EXAMPLES[what]
    milepost.write("course.toml", course(on, that, otherwise="void"))
    milepost.write("log.jsonl", log)
    words = ("log.jsonl", "--course", "course.toml", *(["--memory", "300MB"] if packed else []))
    document = milepost.json("check", *words)
    (promise,) = document["promises"]
    assert (promise["judged"], promise["broken"], promise["sessions"], promise["levels"]) == (judged, 1, 1, ["Mill Pond"])
    assert promise["that"] == [text.replace("'full','whole'", "'full','whole'") for text in that]
    (suspect,) = [row for row in document["suspects"] if row["code"] == "broken_promise"]
    assert (suspect["why"], suspect["count"], suspect["weight"]) == ("as planned", 1, "medium")
    line = 1 + next(n for n, r in enumerate(log) if r["session"] == "s5" and r["event"] == on[0])
    assert suspect["places"] == promise["places"] and suspect["places"][0].endswith(f"log.jsonl:{line}")
    row = milepost.json("attempts", *words)["levels"][0]
    clears = 5 if on == ["complete"] else 6  # the void attempt is the second one there, and the first one else
    assert (row["settled"], row["clears"], row["void"]) == (11, clears, 1)
    assert "as planned" in milepost("check", *words).stdout


def test_words_of_the_log(milepost):
    """A promise on a word that the replay does not know is judged, and voids the try that was open; a word nowhere there is said."""
    log = tries()
    bumps = [
        {"session": f"s{n}", "player": f"P{n}", "event": "bump", "level": "Mill Pond", "time": 5.5, "oil": n < 5}
        for n in range(6)
    ]
    late = [
        {"session": "s5", "player": "P5", "event": "bump", "level": "Mill Pond", "time": 11.1, "oil": "no"}
    ]  # after the death
    milepost.write("log.jsonl", log + bumps + late)
    milepost.write(
        "course.toml", course(["bump"], ["oil = true"], otherwise="void") + course(["splash"], ["oil = true"])[len(COURSE) :]
    )
    words = ("log.jsonl", "--course", "course.toml")
    (bump, splash) = milepost.json("check", *words)["promises"]
    assert (bump["judged"], bump["broken"], bump["sessions"], splash["judged"]) == (7, 2, 1, 0)
    assert milepost.json("attempts", *words)["levels"][0]["void"] == 1
    assert milepost.json("attempts", *words, "--memory", "300MB")["levels"][0]["void"] == 1


@pytest.mark.parametrize(
    ("that", "broken"),
    [
        ("remaining + held = available", 1),
        ("available = held+remaining", 1),
        ("held + 1 <= knobs.boats + 1", 0),
        ("held + oil = 3", 0),
    ],
)
def test_sums(milepost, that, broken):
    """Sums of fields, numbers and knobs on either side; one with a field that is not there is not judged."""
    log = tries(complete=({"remaining": 1, "held": 2, "available": 3}, {"remaining": 1, "held": 1, "available": 3}))
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", course(["complete"], [that]))
    (row,) = milepost.json("check", "log.jsonl", "--course", "course.toml")["promises"]
    assert (row["judged"], row["broken"]) == (0 if "oil" in that else 6, broken)


def test_listed_only(milepost):
    """By default nothing is void; --exclude does that, and check says beforehand what it moves."""
    log, on, that, _ = EXAMPLES["health carried over"]
    milepost.write("course.toml", course(on, that))
    milepost.write("log.jsonl", log)
    words = ("log.jsonl", "--course", "course.toml")
    assert [milepost.json("attempts", *words, *more)["levels"][0]["void"] for more in ((), ("--exclude", "broken_promise"))] == [
        0,
        1,
    ]
    (suspect,) = [row for row in milepost.json("check", *words)["suspects"] if row["code"] == "broken_promise"]
    assert suspect["excluding"] == [{"level": "Mill Pond", "figure": "try_clear", "with": 0.5, "without": 6 / 11}]
    assert "--exclude broken_promise would change 1 figure at 1 level" in " ".join(milepost("check", *words).stdout.split())


def test_where_it_holds(milepost):
    """At a level and in a build alone; a record that lacks a field is not judged, unless another condition fails."""
    log = tries(start=({"health": 3}, {"health": 1}))
    milepost.write("log.jsonl", log)
    for more, judged, broken in (
        ({"level": "Low Arch"}, 0, 0),
        ({"level": "pond"}, 12, 1),
        ({"build": "b2"}, 0, 0),
        ({"build": "b1"}, 12, 1),
    ):
        milepost.write("course.toml", course(["start", "retry"], ["health = 3"], **more))
        (promise,) = milepost.json("check", "log.jsonl", "--course", "course.toml")["promises"]
        assert (promise["judged"], promise["broken"]) == (judged, broken)
    milepost.write("course.toml", course(["start", "retry"], ["health = 3", "oil = 1"]))
    (promise,) = milepost.json("check", "log.jsonl", "--course", "course.toml")["promises"]
    assert (promise["judged"], promise["broken"]) == (1, 1)
    milepost.write("course.toml", course("start", "oil = 1"))
    assert "No record says enough to judge: as planned." in " ".join(
        milepost("check", "log.jsonl", "--course", "course.toml").stdout.split()
    )


def test_weights(milepost):
    """A promise weighs as the course says, and may be declared as known."""
    log, on, that, _ = EXAMPLES["lives below nothing"]
    milepost.write("log.jsonl", log)
    for weight, status in (("low", [1, 0, 0]), ("high", [1, 1, 1])):
        milepost.write("course.toml", course(on, that, weight=weight))
        words = ("check", "log.jsonl", "--course", "course.toml", "--strict")
        assert [milepost(*words, bar).returncode for bar in ("low", "medium", "high")] == status
    milepost.write("course.toml", course(on, that) + '[[known_fault]]\ncode = "broken_promise"\n')
    assert milepost("check", "log.jsonl", "--course", "course.toml", "--strict", "low").returncode == 0


@pytest.mark.parametrize(
    ("keys", "said"),
    [
        ({"that": ["health 3"]}, "is no condition"),
        ({"that": ["mode < 'full'"]}, "texts are compared by = and != alone"),
        ({"on": [""]}, "a word is missing"),
        ({"that": ["held + = 3"]}, "is no sum"),
        ({"that": ["held = 3 + "]}, "is no sum"),
        ({"level": "Mill Bond"}, "Write 'Mill Pond'"),
        ({"weight": "huge"}, "weight must be low"),
        ({"otherwise": "drop"}, "otherwise must be void or list"),
        ({"that": []}, "must be a text or a list of texts"),
        ({"when": "ever"}, "nothing else"),
        ({"why": ""}, "why must be text"),
        ({"that": ["health = 3, 4"]}, "is no value"),
    ],
)
def test_promises_that_cannot_be(milepost, keys, said):
    """One line that says what would do, and status 2."""
    milepost.write("log.jsonl", tries())
    milepost.write("course.toml", course(**{"on": ["start"], "that": ["health = 3"]} | keys))
    done = milepost("check", "log.jsonl", "--course", "course.toml")
    assert (
        done.returncode == 2 and said in done.stderr and "course.toml: promise 1" in done.stderr and done.stderr.count("\n") == 1
    )


def drifting(odd=1, players=8, field="health"):
    log = []
    for n in range(players):
        base = {"session": f"s{n}", "player": f"P{n}", "build": "b1", "level": "Mill Pond"}
        usual, other = {field: 3}, {field: 1}
        log += [
            base | {"time": 0, "event": "start"} | (other if n < odd else usual),
            base | {"time": 9, "event": "death", field: 0},
            base | {"time": 10, "event": "retry"} | usual,
            base | {"time": 30, "event": "complete"},
        ]
    return log


def drift(milepost, log, *more):
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", COURSE)
    return [
        row
        for row in milepost.json("check", "log.jsonl", "--course", "course.toml", *more)["suspects"]
        if row["code"] == "drifting_start"
    ]


def test_drifting_start(milepost):
    """A value that nearly all openings of a level have, and some have not; in parts too."""
    for more in ((), ("--memory", "300MB")):
        (row,) = drift(milepost, drifting(), *more)
        assert (row["field"], row["levels"], row["builds"], row["count"], row["sessions"]) == (
            "health",
            ["Mill Pond"],
            ["b1"],
            1,
            1,
        )
        assert "health = 3, but these say 1" in row["why"]
    assert milepost.json("attempts", "log.jsonl", "--exclude", "drifting_start")["levels"][0]["void"] == 1


@pytest.mark.parametrize(
    "log",
    [
        drifting(odd=2),
        drifting(odd=0),
        drifting(players=4),
        drifting(field="x"),
        [r for r in drifting() if r["event"] != "retry"],
        [{**r, "health": 1 + (r["session"] == "s0")} for r in drifting()],
    ],
)
def test_nothing_drifts(milepost, log):
    """One in eight is too many, none is none; four players, nine openings, a place, and what holds for a session prove nothing."""
    assert not drift(milepost, log)


def test_knob_mismatch(milepost):
    """A start says another value than the course's knob of that name."""
    milepost.write("log.jsonl", EXAMPLES["the last level's speed in the first one"][0])
    milepost.write("course.toml", COURSE)
    (row,) = [
        row
        for row in milepost.json("check", "log.jsonl", "--course", "course.toml")["suspects"]
        if row["code"] == "knob_mismatch"
    ]
    assert (row["field"], row["levels"], row["count"]) == ("speed", ["Mill Pond"], 1)
    assert "speed = 2.5; the course says 1.5" in row["why"]
