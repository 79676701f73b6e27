"""Spikes, what-if and simulation as commands: the planted is named, the rest is not, and what cannot be said is not."""

import json
import random

import pytest

DEMO = ("wickwater/logs", "--course", "wickwater/course.toml")
PLANTED = {"Low Arch": "spike", "Glass Basin": "spike", "Salt Steps": "step", "Drowned Orchard": "dip"}
KEYS = {
    "difficulty",
    "se",
    "expected",
    "excess",
    "excess_se",
    "odds_ratio",
    "kind",
    "evidence",
    "q_value",
    "cost",
    "cost_low",
    "cost_high",
    "tries",
    "players",
}


def test_the_demo(wickwater):
    """The two spikes, the step and the dip of Wickwater are named, and no other level."""
    document = wickwater.json("spikes", *DEMO)
    assert {row["level"]: row["kind"] for row in document["levels"] if row["kind"] != "none"} == PLANTED
    for row in document["levels"]:
        assert row.keys() >= KEYS
        assert row["cost_low"] <= row["cost"] <= row["cost_high"]
    arch = next(row for row in document["levels"] if row["level"] == "Low Arch")
    assert (arch["evidence"], arch["plan"], arch["changes"][0]["knob"]) == ("strong", "below", "arch_width")
    assert arch["watch"][0]["to"] > arch["watch"][0]["from"]
    assert document["model"]["skill_sd"] > 0
    said = " ".join(wickwater("spikes", *DEMO).stdout.split())
    assert "Low Arch is harder than its surroundings: 29 % of first tries clear" in said
    assert "of 49 players would still be playing at the end" in said


def test_a_course_too_small_to_judge(milepost, small_log):
    """Two players say nothing: no level is flagged, the evidence is too few, and how many it would take is given."""
    milepost.write("log.jsonl", small_log)
    document = milepost.json("spikes", "log.jsonl")
    assert {row["evidence"] for row in document["levels"]} == {"too_few"}
    assert document["levels"][0]["players_needed"] >= 5
    assert "No level can be judged: each has too few" in milepost("spikes", "log.jsonl").stdout


def test_figure(wickwater):
    """The figure is drawn, the same bytes each time."""
    for name in ("one.svg", "two.svg"):
        assert wickwater("spikes", *DEMO, "--figure", name).returncode == 0
    assert (wickwater.folder / "one.svg").read_bytes() == (wickwater.folder / "two.svg").read_bytes()


def test_what_if(wickwater):
    """An easier spike keeps more players; nothing changed changes nothing; a change that is none says how to write one."""
    document = wickwater.json("whatif", *DEMO, "--set", "Low Arch.difficulty=-1.3")
    assert document["gained"] > 0
    after = [row["projected_changed"] - row["projected"] for row in document["levels"]]
    assert after[:5] == [0.0] * 5
    assert min(after[5:]) > 0
    last, players = document["levels"][-1], document["levels"][0]["players"]
    assert document["gained"] == pytest.approx((last["projected_changed"] - last["projected"]) * document["players"])
    changed = [row["level"] for row in document["levels"] if row["changed"] != row["difficulty"]]
    assert changed == ["Low Arch"] and document["levels"][5]["changed"] == -1.3 and players == document["levels"][0]["reached"]
    harder = wickwater.json("whatif", *DEMO, "--set", "low_arch.target_clear=0.05")
    assert harder["gained"] < 0
    for text in ("Low Arch", "Low Arch.colour=1", "High Arch.difficulty=1", "Low Arch.target_clear=2"):
        done = wickwater("whatif", *DEMO, "--set", text)
        assert (done.returncode, done.stdout, len(done.stderr.splitlines())) == (2, "", 1)


def test_a_simulated_course_is_read_back(milepost):
    """A planted spike is found in the log of a simulation, and the truth file says where it is."""
    words = (
        "simulate",
        "--players",
        "300",
        "--levels",
        "20",
        "--plant",
        "spike@9=2",
        "--seed",
        "4",
        "--roughness",
        "0.1",
        "--truth",
        "truth.json",
    )
    done = milepost(*words, "--output", "sim.jsonl")
    assert done.returncode == 0, done.stderr
    truth = json.loads((milepost.folder / "truth.json").read_text())
    document = milepost.json("spikes", "sim.jsonl")
    flagged = [(row["level"], row["kind"]) for row in document["levels"] if row["kind"] != "none"]
    assert flagged == [(truth["planted"][0]["level"], "spike")]
    assert [row["reached"] for row in milepost.json("funnel", "sim.jsonl")["levels"]] == [
        row["reached"] for row in truth["levels"]
    ]
    for row, known in zip(document["levels"], truth["levels"], strict=True):
        assert row["difficulty"] == pytest.approx(known["difficulty"], abs=0.7)


def test_simulations_repeat_and_take_a_course(wickwater):
    """The same seed gives the same log; a course is played as planned; faults are found again by check."""
    course = ("simulate", "--course", "wickwater/course.toml", "--players", "40", "--seed", "3", "--faults", "--builds", "a,b")
    for name in ("one.jsonl", "two.jsonl.gz"):
        assert wickwater(*course, "--output", name).returncode == 0
    one, two = (wickwater.json("check", name, "--course", "wickwater/course.toml") for name in ("one.jsonl", "two.jsonl.gz"))
    assert one["findings"] == two["findings"]
    assert {"repeated_complete", "duplicate_record"} <= one["findings"].keys()
    assert set(one["builds"]) == {"a", "b"}
    assert wickwater.json("funnel", "one.jsonl", "--course", "wickwater/course.toml")["players"] == 40


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["--plant", "wall@3"], "write spike@LEVEL=SIZE"),
        (["--plant", "spike@High Arch"], "no level is called 'High Arch'"),
        (["--difficulty", "Lock 1"], "write NAME=LOGITS"),
        (["--course", "c.toml", "--shape", "flat"], "exclude each other"),
        (["--course", "c.toml"], "has no target_clear"),
        (["--players", "0"], "at least 1"),
    ],
)
def test_simulations_that_cannot_be(milepost, words, message):
    """What cannot be simulated is said in a line, and no file is left."""
    milepost.write("c.toml", '[[level]]\nname = "Mill Pond"\n')
    done = milepost("simulate", *words, "--output", "out.jsonl")
    assert (done.returncode, done.stdout, len(done.stderr.splitlines())) == (2, "", 1)
    assert message in done.stderr
    assert not (milepost.folder / "out.jsonl").exists()


def test_a_game_without_failures(milepost):
    """Without failures, time stands for difficulty: the slow level is a spike, those still at it count, nothing costs players."""
    rng = random.Random(2)
    records = []
    for player in range(30):
        pace, time = rng.lognormvariate(0, 0.3), 0.0
        for level in range(12):
            records.append({"session": f"s{player}", "time": time, "event": "start", "level": f"Lock {level + 1}"})
            time += 20 * pace * rng.lognormvariate(0, 0.2) * (4 if level == 6 else 1)
            if not (level == 6 and player % 5 == 0):
                records.append({"session": f"s{player}", "time": time, "event": "complete", "level": f"Lock {level + 1}"})
            time += 1.5
    milepost.write("log.jsonl", records)
    document = milepost.json("spikes", "log.jsonl")
    assert document["basis"] == "time"
    assert [row["level"] for row in document["levels"] if row["kind"] != "none"] == ["Lock 7"]
    lock = document["levels"][6]
    assert 3 < lock["odds_ratio"] < 6
    assert lock["cost"] is None
    assert "time stands for difficulty" in " ".join(milepost("spikes", "log.jsonl").stdout.split())


KNOBS = [1, 2, 3, 4, 5, 5, 5, 5, 5, 5]


def test_knobs_beside_the_curve(milepost):
    """A knob that stops growing, levels with equal knobs, and levels easier than the one before."""
    course = "".join(
        f'[[level]]\nname = "Lock {n + 1}"\ntarget_clear = 0.6\n[level.knobs]\ncurrent = {k}\n' for n, k in enumerate(KNOBS)
    )
    milepost.write("course.toml", course)
    words = ("simulate", "--course", "course.toml", "--players", "150", "--plant", "spike@3=2", "--output", "sim.jsonl")
    assert milepost(*words).returncode == 0
    document = milepost.json("spikes", "sim.jsonl", "--course", "course.toml")
    assert [(cap["knob"], cap["level"], cap["value"]) for cap in document["caps"]] == [("current", "Lock 5", 5)]
    assert len(document["equal_levels"]) == 15
    assert ("Lock 4", "Lock 3") in {(row["level"], row["easier_than"]) for row in document["inversions"]}
