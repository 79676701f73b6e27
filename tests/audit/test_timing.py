"""Suspects in the timing: which unit times have, and whether everything is logged twice."""

import json

import numpy as np
import pytest

from random_logs import on_own_clocks

UNITS = [(1, None), (60, "frames"), (1000, "milliseconds"), (1_000_000, "microseconds")]


def rescaled(wickwater, milepost, factor, whole=True):
    """The demo's first evening with times in another unit."""
    written = (wickwater.folder / "wickwater/logs/evening-1.jsonl").read_text().splitlines()
    records = on_own_clocks([json.loads(line) for line in written if line.endswith("}")])
    lines = [record | {"time": round(record["time"] * factor) if whole else record["time"] * factor} for record in records]
    milepost.write("log.jsonl", lines)


@pytest.mark.parametrize(("factor", "unit"), UNITS)
@pytest.mark.parametrize("planned", [True, False])
def test_units(wickwater, milepost, factor, unit, planned):
    """Frames are told from milliseconds, and both from seconds, with the planned times or without."""
    rescaled(wickwater, milepost, factor, whole=factor > 1)
    course = ("--course", wickwater.folder / "wickwater/course.toml") if planned else ()
    found = [row["why"] for row in milepost.json("check", "log.jsonl", *course)["suspects"] if row["code"] == "time_unit"]
    assert [unit in why for why in found] == ([True] if unit else [])


@pytest.mark.parametrize(
    ("seconds", "whole", "suspected"),
    [(4, True, False), (150, True, False), (700, False, False), (1300, False, False), (0.02, False, True)],
)
def test_slow_and_fast_games(milepost, seconds, whole, suspected):
    """A game of long levels in seconds is left alone, be its clock coarse; tries of hundredths of a second are not believed."""
    rng, lines = np.random.default_rng(1), []
    for n in range(12):
        clock = 0.0
        for _ in range(5):
            for event in ("start", "checkpoint", "complete"):
                lines.append(
                    {"session": f"s{n}", "time": round(clock) if whole else round(clock, 6), "event": event, "level": "Mill Pond"}
                )
                clock += seconds / 2 * float(rng.uniform(0.5, 1.5))
    milepost.write("log.jsonl", lines)
    found = milepost.json("check", "log.jsonl")["suspects"]
    assert any(row["code"] == "time_unit" for row in found) == suspected


def doubled(lag, kinds=("start", "checkpoint", "death"), rhythm=None):
    """A session of several levels in which events of some kinds come a second time."""
    lines, clock = [], 0.0
    rng = np.random.default_rng(3)
    for n in range(40):
        event = ("start", "checkpoint", "death", "hit", "first_input")[n % 5]
        record = {"session": "s", "event": event, "level": f"l{n // 20}"}
        lines.append(record | {"time": clock})
        if lag is not None and event in kinds:
            lines.append(record | {"time": clock + lag})
        clock += rhythm or float(rng.uniform(3, 9))
    return lines


EVERY = ("start", "checkpoint", "death", "hit", "first_input")


@pytest.mark.parametrize(
    ("lines", "suspected"),
    [
        (doubled(0.3, EVERY), True),
        (doubled(1.2, EVERY), True),
        (doubled(None), False),
        (doubled(None, rhythm=2.04), False),
        (doubled(None, rhythm=10.2), False),
        (doubled(6.0, EVERY), False),
        (doubled(0.3, ("start", "death")), False),
    ],
)
def test_doubled_logic(milepost, lines, suspected):
    """Every kind of event has to come twice within a moment; a steady rhythm is none, nor is one event that fires again."""
    milepost.write("log.jsonl", lines)
    assert any(row["code"] == "doubled_logic" for row in milepost.json("check", "log.jsonl")["suspects"]) == suspected
