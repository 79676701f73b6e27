"""Which sessions take part, and in which order: conditions beside each other, sittings, numbers at the edge of what fits."""

import pytest

from conftest import COURSE


def session(name, player, stamp, fps, level="Mill Pond", cause="reeds"):
    """A session of one try that fails."""
    return [
        {
            "session": name,
            "player": player,
            "time": f"2026-03-0{stamp}T10:00:{second:02}Z",
            "event": event,
            "level": level,
            "fps": fps,
            **more,
        }
        for second, (event, more) in enumerate([("start", {}), ("death", {"cause": cause}), ("session_end", {"cause": "quit"})])
    ]


@pytest.fixture
def log(milepost):
    """Four sessions of three players; Ada's later one stands first."""
    milepost.write(
        "log.jsonl",
        [
            *session("late", "ada", 4, 60, "Low Arch"),
            *session("early", "ada", 1, 30),
            *session("bo", "bo", 2, 29.5, cause="tide"),
            *session("cy", "cy", 3, None),
        ],
    )
    milepost.write("course.toml", COURSE)
    return milepost


@pytest.mark.parametrize(
    ("conditions", "players", "attempts"),
    [
        ((), 3, 4),
        (("fps>=30",), 1, 2),
        (("fps>30",), 1, 1),
        (("fps<30",), 1, 1),
        (("fps<=30",), 2, 2),
        (("fps!=60",), 3, 3),
        (("cause=reeds", "level=Mill Pond"), 2, 2),
        (("cause=reeds", "fps<60"), 1, 1),
        (("player!=ada", "cause=reeds"), 1, 1),
        (("sitting=1",), 3, 3),
        (("sitting=2", "player=ada"), 1, 1),
        (("cause=reeds,tide", "fps<30"), 1, 1),
        (("fps=",), 1, 1),
    ],
)
def test_conditions(log, conditions, players, attempts):
    """Each condition narrows what the others left; numbers are compared as numbers, and both ends are what they say."""
    words = [word for condition in conditions for word in ("--where", condition)]
    rows = log.json("coverage", "log.jsonl", "--course", "course.toml", *words)["levels"]
    contents = log.json("check", "log.jsonl", "--course", "course.toml", *words)
    assert sum(row["attempts"] for row in rows) == attempts
    assert contents["players"] == players


def test_a_player_s_sessions_go_by_the_clock(log):
    """Not by where they stand in the log: what was played first is the first sitting."""
    first = log.json("coverage", "log.jsonl", "--course", "course.toml", "--where", "sitting=1", "--where", "player=ada")[
        "levels"
    ]
    assert [row["attempts"] for row in first] == [1, 0]


@pytest.mark.parametrize("seq", [2**63, 2**63 - 1, -(2**63) - 1, 2**70])
def test_a_number_too_large_for_a_place(milepost, seq):
    """Where `seq` does not fit, the record says so or is used; nothing is wrapped around into another order."""
    lines = [
        {"session": "s", "seq": n, "time": n, "event": event, "level": "Mill Pond"}
        for n, event in enumerate(["start", "death", "retry"])
    ]
    lines.append({"session": "s", "seq": seq, "time": 9, "event": "complete", "level": "Mill Pond"})
    milepost.write("log.jsonl", lines)
    milepost.write("course.toml", COURSE)
    contents = milepost.json("check", "log.jsonl", "--course", "course.toml")
    assert contents["records"] == contents["used"] + contents["reported"] == 4
    row = milepost.json("funnel", "log.jsonl", "--course", "course.toml")["levels"][0]
    assert row["cleared"] == (contents["reported"] == 0)
