"""Two sides that are no builds: no word of before and after, no causes that players chose, lots that were none, tries as units."""

import math
import random

import pytest

LEVELS = [f"Lock {n}" for n in range(1, 9)]


def arms(players, effect, seed, tag="arm", per_try=False, shares=0.5, hard="Lock 4", **more):
    """Players who play eight levels in one of two arms, or with each try in one; one level is harder in arm B."""
    rng, lines = random.Random(seed), []
    for player in range(players):
        skill, clock, own = rng.gauss(0, 0.8), 0.0, "B" if rng.random() < shares else "A"
        for n, level in enumerate(LEVELS):
            for _ in range(12):
                arm = ("B" if rng.random() < shares else "A") if per_try else own
                hardness = -0.6 + 0.1 * n + (effect if arm == "B" and level == hard else 0.0)
                clear = rng.random() < 1 / (1 + math.exp(hardness - skill))
                base = {"session": f"s{player}", "level": level}
                lines.append(base | {"time": clock, "event": "start", tag: arm} | more)
                clock += rng.uniform(10, 40)
                lines.append(base | {"time": clock, "event": "complete" if clear else "death"})
                clock += 5
                if clear:
                    break
        lines.append({"session": f"s{player}", "time": clock, "event": "session_end", "cause": "time_up"})
    return lines


def test_groups_that_players_chose(milepost):
    """No cause, no before and after, and a sentence on who chose; who is on neither side is counted and said once."""
    lines = arms(160, 2.5, 1)
    lines += [line | {"session": f"x{line['session']}", "arm": "C"} for line in arms(6, 0, 2) if line.get("arm") == "A"]
    milepost.write("log.jsonl", lines)
    document = milepost.json("compare", "log.jsonl", "--key", "arm", "--from", "A", "--to", "B")
    rows = {row["level"]: row for row in document["levels"]}
    assert rows["Lock 4"]["verdict"] == "harder" and all(row["cause"] is None for row in rows.values())
    shown = milepost("compare", "log.jsonl", "--key", "arm", "--from", "A", "--to", "B").stdout
    assert "Lock 4 is harder with B than with A" in shown and "Players may have chosen their arm" in " ".join(shown.split())
    for word in ("before", " after ", "appeared last", "Likely", "got harder", "Nobody was left out"):
        assert word not in shown, word
    assert "Sessions on neither side: " in shown
    assigned = milepost.json("compare", "log.jsonl", "--key", "arm", "--from", "A", "--to", "B", "--assigned", "lot")
    assert {row["level"]: row["cause"] for row in assigned["levels"]}["Lock 4"] == "none_known"


def test_a_lot_that_was_none(milepost):
    """Sides said to be dealt by lot whose shares no lot gives get no verdict; shares that are said, do."""
    milepost.write("log.jsonl", arms(160, 2.5, 3, shares=0.8))
    words = ("compare", "log.jsonl", "--key", "arm", "--from", "A", "--to", "B", "--assigned", "lot")
    document = milepost.json(*words)
    dealt = document["compared"]["dealt"]
    assert not dealt["believed"] and dealt["from"] + dealt["to"] == 160 and dealt["p_value"] < 1e-6
    assert {row["verdict"] for row in document["levels"]} == {"no_telling"}
    assert "Not by lot: " in milepost(*words).stdout
    fair = milepost.json(*words, "--shares", "20:80")
    assert fair["compared"]["dealt"]["believed"] and "harder" in {row["verdict"] for row in fair["levels"]}


def test_a_key_that_changes_within_sessions(milepost):
    """Sessions cannot be divided by it; tries can, and a level that is harder in one arm is found."""
    milepost.write("log.jsonl", arms(80, 2.0, 5, per_try=True))
    done = milepost("compare", "log.jsonl", "--key", "arm", "--from", "A", "--to", "B")
    assert (
        done.returncode == 2 and "it changes within sessions" in done.stderr and "--key start.arm compares tries" in done.stderr
    )
    document = milepost.json("compare", "log.jsonl", "--key", "start.arm", "--assigned", "lot")
    assert document["compared"]["unit"] == "try" and document["compared"]["dealt"]["believed"]
    rows = {row["level"]: row for row in document["levels"]}
    assert rows["Lock 4"]["verdict"] == "harder" and abs(rows["Lock 4"]["delta"] - 2.0) < 1.0
    assert {row["verdict"] for level, row in rows.items() if level != "Lock 4"} <= {"no_telling", "same"}
    assert (
        document["players"] == 80 and document["kept_at_end"]["from"] is None and document["levels"][0]["drop_off_change"] is None
    )


def by_choice(players, effect, seed, ever=True):
    """Players who turn a help on after two failures at a level, until they clear it; with it a try is easier."""
    rng, lines = random.Random(seed), []
    for player in range(players):
        skill, clock = rng.gauss(0, 0.8), 0.0
        for n, level in enumerate(LEVELS):
            for number in range(12):
                mode = "help" if number >= 2 and ever else "help" if not ever and player % 2 else "plain"
                clear = rng.random() < 1 / (1 + math.exp(0.3 + 0.1 * n - (effect if mode == "help" else 0.0) - skill))
                base = {"session": f"s{player}", "level": level}
                lines.append(base | {"time": clock, "event": "start", "mode": mode})
                lines.append(base | {"time": clock + 20, "event": "complete" if clear else "death"})
                clock += 25
                if clear:
                    break
    return lines


def test_what_players_chose_try_by_try(milepost):
    """Players who changed are compared with themselves, and it is said after what they changed; where none did, so is that."""
    words = ("compare", "log.jsonl", "--key", "start.mode", "--from", "plain", "--to", "help")
    milepost.write("log.jsonl", by_choice(60, 1.5, 3))
    choice = milepost.json(*words)["own_choice"]
    on, off = choice["changes"]
    assert (on["from"], on["to"], on["after_failure"]) == ("plain", "help", on["changes"]) and off["after_failure"] == 0
    assert choice["players"] > 50 and choice["within"]["low"] < -1.5 < choice["within"]["high"] < 0
    said = " ".join(milepost(*words).stdout.split())
    assert f"players changed from plain to help, {on['changes']} of {on['changes']} times right after a failure" in said
    assert "who tried both, a try with help beside one with plain is easier" in said
    milepost.write("log.jsonl", by_choice(60, 1.5, 3, ever=False))
    choice = milepost.json(*words)["own_choice"]
    assert (choice["players"], choice["changes"], choice["within"]) == (0, [], None)
    assert "Nobody tried both: too few to tell the two apart within players." in " ".join(milepost(*words).stdout.split())


def test_tries_after_the_first_arm_seen_are_told_apart(milepost):
    """Those until a player saw a second arm, and those from then on, make up all."""
    milepost.write("log.jsonl", arms(80, 0.0, 5, per_try=True))
    document = milepost.json("compare", "log.jsonl", "--key", "start.arm", "--assigned", "lot")
    first, later, dealt = document["arms"]["first"], document["arms"]["later"], document["compared"]["dealt"]
    assert first["tries"] + later["tries"] == dealt["from"] + dealt["to"] and 80 <= first["tries"] < later["tries"]
    assert first["low"] < 0 < first["high"] and later["low"] < 0 < later["high"] and document["own_choice"] is None
    assert "Until a player saw a second arm, in" in " ".join(document["sentences"])


@pytest.mark.thorough
def test_intervals_of_arms_dealt_per_try():
    """Without any difference the intervals hold it as often as they say."""
    import json
    import tempfile
    from pathlib import Path

    from milepost.comparison.compare_in_play import CompareWithin
    from milepost.logs.read import read
    from milepost.playback.replay import replay_log
    from milepost.rules import ReplayRules

    held = of = 0
    for seed in range(12):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "log.jsonl"
            path.write_text("".join(json.dumps(line) + "\n" for line in arms(60, 0.0, 100 + seed, per_try=True)))
            table = CompareWithin(key="start.arm")(replay_log(read([str(path)]), None, ReplayRules()))
        held += sum(row["delta_low"] <= 0 <= row["delta_high"] for row in table.rows)
        of += len(table.rows)
    assert 0.88 <= held / of <= 1.0


@pytest.mark.parametrize("constant", ["before", "after"])
def test_no_knob_is_invented(milepost, constant):
    """A field of starts that all levels of one build have in common is no knob that went from nothing."""
    lines = []
    for build, seed in (("1", 7), ("2", 8)):
        same = constant == ("before" if build == "1" else "after")
        for line in arms(30, 0, seed):
            extra = (
                {"objects": 5 if same else 5 + LEVELS.index(line["level"]) % 3 if "level" in line else 0}
                if line["event"] == "start"
                else {}
            )
            lines.append(line | {"session": f"{line['session']}/{build}", "build": build} | extra)
    milepost.write("log.jsonl", lines)
    rows = milepost.json("compare", "log.jsonl")["levels"]
    for n, row in enumerate(rows):
        assert [(knob["from"], knob["to"]) for knob in row["knobs"] if None in (knob["from"], knob["to"])] == []
        assert bool([knob for knob in row["knobs"] if knob["knob"] == "objects"]) == (n % 3 > 0)


@pytest.mark.parametrize("starts", [1, 2])
def test_two_starts_tell_of_a_knob(milepost, starts):
    """A value that all levels of a build have in common is told from two starts of a level on, not from one."""
    lines = []
    for build, seed in (("1", 7), ("2", 8)):
        told = 0
        for line in arms(30, 0, seed):
            extra = {}
            if line["event"] == "start" and build == "2":
                extra = {"objects": 5 + LEVELS.index(line["level"]) % 3}
            elif line["event"] == "start" and line["level"] == "Lock 3" and told < starts:
                told, extra = told + 1, {"objects": 5}
            lines.append(line | {"session": f"{line['session']}/{build}", "build": build} | extra)
    milepost.write("log.jsonl", lines)
    changed = {
        row["level"]: [(knob["from"], knob["to"]) for knob in row["knobs"]]
        for row in milepost.json("compare", "log.jsonl")["levels"]
    }
    assert changed["Lock 3"] == ([(5, 7)] if starts == 2 else [])
    assert {level for level, knobs in changed.items() if knobs} <= {"Lock 3"}


def test_conditions_in_a_notebook(milepost):
    """The call answers what the command does, also with an eye on some tries."""
    import milepost as api

    lines = [line | ({"oil": n % 4} if line["event"] == "start" else {}) for n, line in enumerate(arms(60, 0, 9))]
    lines = [line | {"build": "1" if int(line["session"][1:]) < 30 else "2"} for line in lines]
    path = str(milepost.folder / milepost.write("log.jsonl", lines))
    command = milepost.json("compare", "log.jsonl", "--where", "start.oil<3")
    frame = api.compare(api.replay([path], where=["start.oil<3"]))
    assert frame["delta"].round(9).tolist() == [round(row["delta"], 9) for row in command["levels"]]
