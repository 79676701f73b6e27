"""Whether cleaning changes the answer: raw beside clean, like with like, by the same definitions."""

import json

import pytest

from conftest import COURSE


@pytest.mark.parametrize(
    "more", [[], ["--minutes", "20"], ["--sessions", "3", "--players", "30"], ["--shape", "sawtooth", "--let", "setback_after=3"]]
)
@pytest.mark.parametrize("seed", [3, 4])
def test_a_log_without_faults(milepost, more, seed):
    """Where nothing is found in a log, a plain count of it says what the clean figures say: no, it does not change the answer."""
    assert milepost("simulate", "--seed", seed, "--levels", 9, *more, "-o", "log.jsonl", "--builds", "1,2").returncode == 0
    milepost.write("course.toml", "".join(f'[[level]]\nname = "Level {n}"\n' for n in range(1, 10)))
    names = {json.loads(line).get("level") for line in (milepost.folder / "log.jsonl").read_text().splitlines()} - {None}
    milepost.write(
        "course.toml",
        "".join(
            f"[[level]]\nname = {json.dumps(name)}\n"
            for name in sorted(names, key=lambda n: int("".join(filter(str.isdigit, n)) or 0))
        ),
    )
    document = milepost.json("check", "log.jsonl", "--course", "course.toml")
    assert document["findings"] == {}
    assert document["moved"] == []
    assert "Repairs do not change a figure" in milepost("check", "log.jsonl", "--course", "course.toml").stdout


def test_raw_medians_count_tries_to_the_first_clear(milepost):
    """By hand: a clears at the third try and plays on, b at the second, c never after two: half have cleared after three."""
    lines = []
    for session, failures, clears, again in (("a", 2, True, 4), ("b", 1, True, 0), ("c", 2, False, 0)):
        clock = 0
        for outcome in ["death"] * failures + ["complete"] * clears + ["complete"] * again:
            lines.append({"session": session, "time": clock, "event": "start", "level": "Mill Pond"})
            lines.append({"session": session, "time": clock + 9, "event": outcome, "level": "Mill Pond"})
            clock += 20
        lines.append({"session": session, "time": clock, "event": "session_end", "cause": "quit"})
    milepost.write("log.jsonl", lines)
    row = milepost.json("check", "log.jsonl")["levels"][0]
    assert (row["p50"], row["raw_p50"]) == (3, 3)  # at risk 3, 3 and then 1: 3/3, 2/3, 0


def test_a_fall_in_reach_changes_the_answer(milepost):
    """A level that far fewer reached, once records after a skip are left out, is named, whatever else stays the same."""
    lines = []
    for player in range(10):
        where = ["Mill Pond", "Low Arch"] if player < 5 else ["Mill Pond", "Long Lock"]
        for place, level in enumerate(where):
            lines.append({"session": f"s{player}", "time": 100 * place, "event": "start", "level": level})
            lines.append({"session": f"s{player}", "time": 100 * place + 30, "event": "complete", "level": level})
            if place == 0:
                lines.append({"session": f"s{player}", "time": 40, "event": "transition", "level": level, "to": where[1]})
        lines.append({"session": f"s{player}", "time": 200, "event": "session_end", "cause": "time_up"})
    milepost.write("log.jsonl", lines)
    milepost.write("course.toml", COURSE + '[[level]]\nname = "Long Lock"\n')
    moved = milepost.json("check", "log.jsonl", "--course", "course.toml")["moved"]
    assert [(row["level"], row["reached"], row["raw_reached"], "reached" in row["differs"]) for row in moved] == [
        ("Long Lock", 0, 5, True)
    ]
