"""Sections of a level, worked out by hand."""

import pytest

COURSE = '[[level]]\nname = "Low Arch"\n{marks}[[level]]\nname = "Long Lock"\n'


def attempt(player, clock, *events, opens=None):
    """The records of one attempt: its opening, marks at seconds, and an end."""
    base = {"session": f"s{player}", "player": f"p{player}", "level": "Low Arch"}
    yield {**base, "time": clock, "event": "start", **({"mark": opens} if opens else {})}
    for second, what in events:
        event = what if what in ("death", "complete", "pause", "resume") else "checkpoint"
        yield {**base, "time": clock + second, "event": event, **({"mark": what} if event == "checkpoint" else {})}


PLAY = [
    *attempt(1, 0, (4, "lamp"), (10, "gate"), (12, "death")),
    *attempt(1, 20, (5, "lamp"), (9, "pause"), (19, "resume"), (21, "gate"), (25, "complete")),
    *attempt(2, 0, (3, "death")),
    *attempt(2, 10, (6, "lamp"), (9, "death")),
    *attempt(2, 30, (8, "gate"), (9, "lamp"), (12, "death"), opens=None),
    *attempt(3, 0, (2, "complete"), opens="lamp"),
    *attempt(4, 0, (4, "lamp"), (6, "death")),
    {"session": "s4", "player": "p4", "time": 8, "event": "session_end", "cause": "quit"},
]


def rows(milepost, *words):
    return milepost.json("sections", "log.jsonl", "--course", "course.toml", *words)


def test_by_hand(milepost):
    """Counts, rates, tries, seconds and stops of three sections; pauses are taken out, a later mark passes all before it."""
    milepost.write("log.jsonl", PLAY)
    milepost.write("course.toml", COURSE.format(marks=""))
    found = rows(milepost)
    own = [row for row in found["sections"] if row["level"] == "Low Arch"]
    assert [(row["from"], row["to"]) for row in own] == [(None, "lamp"), ("lamp", "gate"), ("gate", None)]
    counts = [[row[key] for key in ("entered", "passed", "failed", "ended", "unmarked")] for row in own]
    assert counts == [[6, 5, 1, 0, 0], [6, 4, 2, 0, 1], [4, 2, 2, 0, 0]]
    assert [row["players"] for row in own] == [3, 4, 3] and [row["players_passed"] for row in own] == [3, 3, 2]
    assert own[0]["pass_rate"] == pytest.approx(5 / 6)
    assert own[0]["tries_p50"] == 1 and own[1]["tries_p50"] == 1
    assert own[0]["seconds_p50"] == 4.5  # 4, 5, 6 and 4; the one that met the gate first has no moment of the lamp
    assert own[1]["seconds_p50"] == 6  # 10 − 4, and 21 − 5 without ten seconds of pause; who opened at the lamp has no gate
    assert own[2]["seconds_p50"] == 4
    assert [row["failing_seconds"] for row in own] == pytest.approx([4 + 3 + 6 + 8 + 4, 6 + 3 + 2, 2 + 4])
    assert sum(row["failing_share"] for row in own) == pytest.approx(1)
    assert [row["stopped"] for row in own] == [0, 1, 1]
    assert {row["level"]: row["hardest"] for row in found["levels"]} == {"Low Arch": None, "Long Lock": None}
    assert len([row for row in found["sections"] if row["level"] == "Long Lock"]) == 1


def test_marks_of_the_course(milepost):
    """The course's marks go in its order, and any other is none, which check names."""
    milepost.write("log.jsonl", PLAY)
    milepost.write("course.toml", COURSE.format(marks='marks = ["gate", "tower"]\n'))
    own = [row for row in rows(milepost, "--level", "Low Arch")["sections"]]
    assert [(row["from"], row["to"]) for row in own] == [(None, "gate"), ("gate", "tower"), ("tower", None)]
    suspects = milepost.json("check", "log.jsonl", "--course", "course.toml")["suspects"]
    assert [(one["code"], one["levels"], one["count"]) for one in suspects if one["code"] == "unknown_mark"] == [
        ("unknown_mark", ["Low Arch"], 6)
    ]
    milepost.write("course.toml", COURSE.format(marks='marks = ["gate", "gate"]\n'))
    assert "is there twice" in milepost("sections", "log.jsonl", "--course", "course.toml").stderr


@pytest.mark.parametrize(
    ("values", "marks"), [((0.2, 0.7), [0.2, 0.7]), (tuple(n / 40 for n in range(1, 40)), [n / 10 for n in range(1, 10)])]
)
def test_by_progress(milepost, values, marks):
    """Without names, values of progress are marks where these are few, else tenths."""
    records = []
    for player, value in enumerate(values * 2):
        base = {"session": f"s{player}", "player": f"p{player}", "level": "Low Arch"}
        records += [{**base, "time": 0, "event": "start"}, {**base, "time": 3, "event": "checkpoint", "progress": value}]
        records.append({**base, "time": 9, "event": "complete" if player % 2 else "death"})
    milepost.write("log.jsonl", records)
    milepost.write("course.toml", COURSE.format(marks=""))
    own = [row for row in rows(milepost)["sections"] if row["level"] == "Low Arch"]
    assert [row["to"] for row in own] == pytest.approx([*marks, None])
    assert all(row["entered"] == row["passed"] + row["failed"] + row["ended"] for row in own)
    assert own[0]["entered"] == len(records) // 3
