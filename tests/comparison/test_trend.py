"""Steps in a row: the pairs are those of compare, rates are of all changes at once, and dates deal out first tries."""

import json
import random

import numpy as np
import pytest

from milepost.comparison.trend import Trend
from milepost.measures.interface import name_of

LEVELS = ["Mill Pond", "Low Arch", "Long Lock", "Reed Gate", "Weir Drop", "Salt Steps"]


def played(rng, player, build, day, hard):
    """A player's way through the course on one day: records, with a time stamp each."""
    clock, records = 0.0, []

    def add(event, level=None):
        stamp = f"2026-03-{day:02d}T10:{int(clock) // 60 % 60:02d}:{clock % 60:06.3f}Z"
        record = {"session": f"{player}-{day}", "player": player, "build": build, "time": stamp, "event": event}
        records.append(record | ({"level": level} if level else {}))

    for level in LEVELS:
        for n in range(6):
            add("retry" if n else "start", level)
            clock += 5
            won = rng.random() < 1 / (1 + 2.718 ** hard.get(level, -0.5))
            add("complete" if won else "death", level)
            clock += 1
            if won:
                break
        if n == 5 and not won:
            break
    add("session_end")
    return records


@pytest.fixture(scope="module")
def builds(tmp_path_factory):
    """Four builds of forty players; Low Arch gets harder with the third."""
    from conftest import Program

    program, rng = Program(tmp_path_factory.mktemp("builds")), random.Random(5)
    records = []
    for step, build in enumerate(["0.6", "0.7", "0.8", "0.9"]):
        for n in range(40):
            records += played(rng, f"p{step}-{n}", build, 2 + 7 * step + n % 3, {"Low Arch": 2.0 if step > 1 else -1.5})
    program.write("log.jsonl", records)
    return program


def test_pairs_are_those_of_compare(builds):
    """Delta, interval and p are compare's; rates and verdicts are of all changes at once."""
    trend = builds.json("trend", "log.jsonl")
    assert [step["step"] for step in trend["steps"]] == ["0.6", "0.7", "0.8", "0.9"]
    assert [step["new_players"] for step in trend["steps"]] == [40] * 4
    for number, (before, after) in enumerate([("0.6", "0.7"), ("0.7", "0.8"), ("0.8", "0.9")]):
        compared = builds.json("compare", "log.jsonl", "--from", before, "--to", after)
        shift = next(own for own in trend["shifts"] if (own["from"], own["to"]) == (before, after))
        assert (shift["size"], shift["players_back"]) == (compared["shift"]["size"], 0)
        for row, level in zip(compared["levels"], trend["levels"], strict=True):
            change = level["changes"][number]
            assert [change[key] for key in ("delta", "delta_low", "delta_high", "p_value")] == [
                row[key] for key in ("delta", "delta_low", "delta_high", "p_value")
            ]
    p = sorted((change["p_value"], change["q_value"]) for level in trend["levels"] for change in level["changes"])
    least, expected = 1.0, []
    for rank in range(len(p), 0, -1):
        least = min(least, p[rank - 1][0] * len(p) / rank)
        expected.append(least)
    assert [q for _, q in p] == pytest.approx(expected[::-1])
    arch = next(level for level in trend["levels"] if level["level"] == "Low Arch")
    assert [change["verdict"] for change in arch["changes"]][1] == "harder" and arch["since"] == "0.8"
    assert arch["whole"]["from"] == "0.6" and arch["whole"]["to"] == "0.9" and arch["whole"]["verdict"] == "harder"
    assert ("0.6", "0.9") in {(own["from"], own["to"]) for own in trend["shifts"]}


def test_over_weeks(builds):
    """Weeks are the calendar's; who is new in a week is its cohort; a session without a stamp is no step."""
    trend = builds.json("trend", "log.jsonl", "--over", "week")
    assert [step["step"] for step in trend["steps"]] == ["2026-W10", "2026-W11", "2026-W12", "2026-W13"]
    assert trend["left_out"]["no_date"] == 0 and sum(step["new_players"] for step in trend["steps"]) == 160
    tries = sum(point["tries"] for level in trend["levels"] for point in level["points"])
    assert tries == sum(row["settled"] for row in builds.json("attempts", "log.jsonl")["levels"])


def test_first_tries_stay_together(milepost):
    """A player's tries at a level on later days count on the first; who comes back is no new player."""
    rng, records = random.Random(2), []
    for n in range(30):
        records += played(rng, f"p{n}", "1.0", 2, {"Low Arch": 1.5})
        records += played(rng, f"p{n}", "1.0", 3, {})
    milepost.write("log.jsonl", records)
    trend = milepost.json("trend", "log.jsonl", "--over", "day")
    assert [(step["players"], step["new_players"]) for step in trend["steps"]] == [(30, 30), (30, 0)]
    assert trend["steps"][1]["kept_at_end"] is None
    assert trend["shifts"][0]["players_back"] == 30 and "practice" in trend["shifts"][0]["reading"]
    pond = next(level for level in trend["levels"] if level["level"] == "Mill Pond")
    assert [point["step"] for point in pond["points"]][:1] == ["2026-03-02"]
    settled = milepost.json("attempts", "log.jsonl")["levels"][0]["settled"]
    assert sum(point["tries"] for point in pond["points"]) == settled


@pytest.mark.parametrize(("over", "why"), [("day", "two steps"), ("mood", "mood"), ("build", "two steps")])
def test_what_has_no_steps(milepost, small_log, over, why):
    milepost.write("log.jsonl", [{**one, "build": "1"} for one in small_log])
    done = milepost("trend", "log.jsonl", "--over", over)
    assert done.returncode == 2 and why in done.stderr and len(done.stderr.splitlines()) == 1


def test_the_call(builds):
    import milepost

    play = milepost.replay(builds.folder / "log.jsonl", every_record=True)
    frame = milepost.trend(play)
    assert list(frame.index) == LEVELS and len(frame.attrs["steps"]) == 4
    assert json.loads(frame.to_json())


def test_the_figure(builds):
    """It names what changed, and has a number in each field."""
    assert builds("trend", "log.jsonl", "--figure", "trend.svg").returncode == 0
    drawn = (builds.folder / "trend.svg").read_text(encoding="utf-8")
    title = next(line for line in drawn.splitlines() if " changed from one step to the next" in line)
    told = [row["level"] for row in builds.json("trend", "log.jsonl")["levels"] if row["since"] and row["changes"]]
    assert "Low Arch" in told and ("Low Arch" in title or f"{len(told)} levels" in title), title
    for level in builds.json("trend", "log.jsonl")["levels"]:
        for point in level["points"]:
            assert f"{point['difficulty']:.2f}".replace("-", "−") in drawn


def test_the_figure_of_many_days(milepost):
    """A month of days has room: a shade for each, without a number; an empty day stays empty."""
    from datetime import date, timedelta

    rng, records = random.Random(9), []
    for n in range(31):
        day = str(date(2026, 3, 1) + timedelta(days=n))
        records += [one | {"time": day + one["time"][10:]} for one in played(rng, f"p{n}", "0.6", 1, {})]
    milepost.write("log.jsonl", records)
    assert milepost("trend", "log.jsonl", "--over", "day", "--figure", "days.svg").returncode == 0
    drawn = (milepost.folder / "days.svg").read_text(encoding="utf-8")
    assert "Over 31 steps no level is told to have changed" in drawn
    assert drawn.count("1 player<") < 30


def test_in_parts_and_as_a_whole(wickwater):
    """Builds in a row are the same in parts; what looks at records says so, and is not answered otherwise than asked."""
    logs = ("wickwater/logs", "wickwater/next", "--course", "wickwater/course.toml")
    assert wickwater.json("trend", *logs, "--memory", "1MB") == wickwater.json("trend", *logs)
    steps = wickwater.json("trend", *logs, "--over", "week")["steps"]
    assert [step["step"] for step in steps] == ["2026-W10", "2026-W11", "2026-W12"]
    for words in (("trend", "--over", "week", "--memory", "1MB"), ("whatif", "--set", "Low Arch.arch_width=6", "--jobs", "2")):
        done = wickwater(words[0], *logs, *words[1:])
        assert done.returncode == 2 and "in the log as a whole. Leave it out." in done.stderr
    assert "the log has no mood" in wickwater("trend", *logs, "--over", "mood").stderr


def test_a_table_is_kept_under_what_the_log_is_split_by():
    """And not under a text of the plays, which is long, cuts arrays short, and is never the same twice."""
    groups = (("0.7", np.arange(5000)), ("0.8", object()))
    assert name_of(Trend("build", 5, groups)) == name_of(Trend("build", 5)) != name_of(Trend("build", 6, groups))
