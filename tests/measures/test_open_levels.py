"""Levels that there is no way to clear yet, and last levels whose clears a log cannot tell; what was tested at all."""

import pytest

from conftest import COURSE

OPEN = COURSE + "open = true\n"


def session(name, *steps, cause="quit"):
    """A session: steps of an event and a level, ten seconds apart."""
    lines = [
        {"session": name, "time": 10 * n, "event": event, "level": level, **({"to": more[0]} if more else {})}
        for n, (event, level, *more) in enumerate(steps)
    ]
    return [*lines, *([{"session": name, "time": 10 * len(steps), "event": "session_end", "cause": cause}] if cause else [])]


POND = [("start", "Mill Pond"), ("complete", "Mill Pond"), ("transition", "Mill Pond", "Low Arch")]


def test_no_way_on(milepost):
    """Whoever stops at an open level has no way on: not lost, no clear rate, no drop-off; and the table says so."""
    lines = [line for n in range(6) for line in session(f"s{n}", *POND, ("start", "Low Arch"), ("death", "Low Arch"))]
    lines += session("t", ("start", "Mill Pond"), ("death", "Mill Pond"))
    milepost.write("log.jsonl", lines)
    milepost.write("course.toml", OPEN)
    document = milepost.json("funnel", "log.jsonl", "--course", "course.toml")
    pond, arch = document["levels"]
    assert (pond["lost"], pond["stopped_open"], pond["stopped_quit"]) == (1, 0, 1)
    assert (arch["stopped"], arch["stopped_open"], arch["stopped_quit"], arch["lost"]) == (6, 6, 0, 0)
    assert [arch[f"{key}{end}"] for key in ("clear_rate", "drop_off") for end in ("", "_low", "_high")] == [None] * 6
    assert arch["retention"] == pond["retention"] == pytest.approx(6 / 7)
    shown = milepost("funnel", "log.jsonl", "--course", "course.toml").stdout
    assert "6 no way on" in shown and "No way to clear yet: Low Arch." in shown
    assert not [
        row
        for row in milepost.json("check", "log.jsonl", "--course", "course.toml")["suspects"]
        if row["code"] == "uncleared_level"
    ]
    judged = milepost.json("spikes", "log.jsonl", "--course", "course.toml")["levels"][1]
    assert (judged["tries"], judged["kind"], judged["evidence"]) == (0, "none", "too_few")


@pytest.mark.parametrize(("ends", "clear_rate"), [([None, None], None), (["quit", "quit"], None), (["finished", None], 0.5)])
def test_a_last_level_without_an_ending(milepost, ends, clear_rate):
    """In a log without completions only an end as finished tells that the last level was cleared; without any it is not told, not 0 %."""
    steps = [("start", "Mill Pond"), ("transition", "Mill Pond", "Low Arch"), ("start", "Low Arch")]
    milepost.write("log.jsonl", [line for n, cause in enumerate(ends) for line in session(f"s{n}", *steps, cause=cause)])
    milepost.write("course.toml", COURSE)
    last = milepost.json("funnel", "log.jsonl", "--course", "course.toml", "--implied-complete")["levels"][-1]
    assert last["clear_rate"] == clear_rate
    assert (last["lost"], last["drop_off"]) == ((0, None) if clear_rate is None else (1, 0.5))
    if clear_rate is None:
        shown = milepost("funnel", "log.jsonl", "--course", "course.toml", "--implied-complete").stdout
        assert "not told" in shown and "0 %" not in next(
            line for line in shown.splitlines() if line.startswith("Low Arch")
        ).replace("100 %", "")


def test_a_move_to_a_level_that_never_starts(milepost):
    """Who was sent on and never tried the next level has not tested the way there."""
    lines = [line for n in range(6) for line in session(f"s{n}", *POND, *([("start", "Low Arch")] if n < 2 else []))]
    milepost.write("log.jsonl", lines)
    milepost.write("course.toml", COURSE)
    document = milepost.json("coverage", "log.jsonl", "--course", "course.toml")
    assert document["levels"][0]["went_on"] == 2
    assert document["moves_hardly_tested"] == [{"from": "Mill Pond", "to": "Low Arch", "players": 2}]
