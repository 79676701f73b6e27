"""What the log contradicts, or what of it was not used, is said before and under every figure that rests on it."""

import json
import random

import pytest

from conftest import COURSE
from milepost.vocabulary import FINDINGS

LEVELS = ["Mill Pond", "Low Arch", "Long Lock"]
EVERY = ("funnel", "attempts", "times", "deaths", "moves", "spikes", "check", "coverage", "runs")


def played(players=20, event=None, unit=1.0, **changed):
    """Players who clear three levels after a death each, with words and units as they like."""
    words = {"start": "start", "death": "death", "retry": "retry", "complete": "complete"} | (event or {})
    rng, lines = random.Random(players), []
    for player in range(players):
        clock = 0.0
        for level in LEVELS:
            for word in ("start", "death", "retry", "complete"):
                clock += rng.uniform(8, 40)
                lines.append({"session": f"s{player}", "time": clock * unit, "event": words[word], "level": level} | changed)
        lines.append({"session": f"s{player}", "time": clock * unit, "event": "session_end", "cause": "quit"})
    return lines


def cautions(milepost, command="funnel", *words):
    return {one["code"]: one for one in milepost.json(command, "log.jsonl", *words)["cautions"]}


def test_a_sound_log_has_none(milepost):
    """Nothing is said of a log that is as it should be, in any table."""
    milepost.write("log.jsonl", played())
    assert all(cautions(milepost, command) == {} for command in EVERY)


@pytest.mark.parametrize("command", EVERY)
def test_a_share_decides(milepost, command):
    """A finding that takes a twentieth of the records is of high weight and stands under every table, whatever its code."""
    lines = played()
    ends = [{"session": f"s{n}", "time": 9000 + k, "event": "hit", "level": "Low Arch"} for n in range(20) for k in range(2)]
    milepost.write("log.jsonl", lines + ends)
    said = cautions(milepost, command)["after_end"]
    assert said["sentence"].startswith("after_end: 40 of 300 records (13 %)") and not said["first"]
    assert said["sentence"][:38] in " ".join(milepost(command, "log.jsonl").stdout.split())
    assert {row["code"]: row["weight"] for row in milepost.json("check", "log.jsonl")["details"]}["after_end"] == "high"
    milepost.write("log.jsonl", lines + ends[:7])
    assert "after_end" not in cautions(milepost, command)


@pytest.mark.parametrize(
    "finding", [one.code for one in FINDINGS if one.code in ("bad_field", "unknown_level", "unreadable_record", "no_effect")]
)
def test_each_code_that_takes_records(milepost, finding):
    """Whatever takes a twentieth of the records is of high weight."""
    more = {
        "bad_field": {"event": "hit", "level": "Low Arch", "time": 5, "progress": 7},
        "unknown_level": {"event": "start", "level": "Nowhere", "time": 9000},
        "unreadable_record": {"event": "hit"},
        "no_effect": {"event": "resume", "time": 0},
    }[finding]
    milepost.write("course.toml", COURSE + '[[level]]\nname = "Long Lock"\n')
    milepost.write("log.jsonl", played() + [{"session": "s1"} | more | {"tag": n} for n in range(20)])
    details = {row["code"]: row for row in milepost.json("check", "log.jsonl", "--course", "course.toml")["details"]}
    assert details[finding]["count"] >= 20 and details[finding]["weight"] == "high"
    assert all(row["session_share"] <= 1 for row in details.values())


def test_in_a_fifth_of_the_sessions_where_a_figure_moves(milepost):
    """A finding that takes little, in a fifth of the sessions, is of high weight where cleaning moves a figure by five points."""
    lines = [line | ({"actor": "crate"} if _is_foreign(line) else {}) for line in played()]
    milepost.write("log.jsonl", lines)
    weights = {row["code"]: row["weight"] for row in milepost.json("check", "log.jsonl")["details"]}
    assert weights["foreign_actor"] == "high"
    said = cautions(milepost)["foreign_actor"]["sentence"]
    assert said.startswith(
        "foreign_actor: in 25 % of the sessions, also at Low Arch, where cleaning moves the clear rate from 100 % to 75 %"
    )
    milepost.write("log.jsonl", [line for line in lines if line.get("actor") is None or line["session"] < "s11"])
    assert "foreign_actor" not in cautions(milepost)


def _is_foreign(line):
    return line["event"] == "complete" and line["level"] == "Low Arch" and "s10" <= line["session"] < "s15"


def test_no_clear_is_said_first(milepost):
    """A log in which nothing ever clears is told so before any figure, in every form."""
    milepost.write("log.jsonl", played(event={"complete": "won_it"}))
    assert cautions(milepost)["no_clear"]["first"]
    for words in ([], ["--format", "markdown"]):
        first, *rest = milepost("funnel", "log.jsonl", *words).stdout.splitlines()
        assert "No try in this log clears a level, of 120 tries" in first
        assert "won\\_it 60" in " ".join(rest) or "won_it 60" in " ".join(rest)
    assert "clears a level" in milepost("funnel", "log.jsonl", "--format", "csv").stderr
    assert "clears a level" in milepost("report", "log.jsonl").stdout.split("Where players stop")[0]


def test_no_record_could_be_used(milepost):
    """A log of which nothing was understood is no answer: status 2, one line with its words."""
    milepost.write("log.jsonl", [{**line, "event": f"x_{line['event']}"} for line in played()])
    for command in (*EVERY, "report"):
        done = milepost(command, "log.jsonl")
        assert done.returncode == 2 and not done.stdout and len(done.stderr.splitlines()) == 1
        assert "No record could be used: unknown_event 260" in done.stderr and "x_start" in done.stderr


def test_no_attempt(milepost):
    """A log without a try says so first."""
    milepost.write("log.jsonl", [{"session": "a", "time": n, "event": "session_start"} for n in range(3)])
    assert cautions(milepost)["no_attempt"]["first"]


@pytest.mark.parametrize(
    ("unit", "per_second", "whole"),
    [
        ("days", 1 / 86_400, False),
        ("frames", 60, True),
        ("milliseconds", 1e3, True),
        ("microseconds", 1e6, True),
        ("hours", 1 / 3600, False),
    ],
)
@pytest.mark.parametrize("epoch", [0, 1_772_000_000])
def test_units(milepost, unit, per_second, whole, epoch):
    """Units other than seconds are recognised by tries and gaps, from the session's start or since 1970, by every command."""
    days = 25_569 if unit == "days" and epoch else 0  # a sheet counts days since 1900
    lines = [line | {"time": (line["time"] + epoch) * per_second + days} for line in played(40)]
    milepost.write("log.jsonl", [line | {"time": round(line["time"])} if whole else line for line in lines])
    for command in ("funnel", "times", "spikes", "check"):
        assert f"are these {unit}?" in cautions(milepost, command)["time_unit"]["sentence"]
    if unit in ("days", "milliseconds"):
        setting = {"days": "days", "milliseconds": "ms"}[unit]
        milepost.write("map.toml", f'[time]\nunit = "{setting}"\n')
        right = milepost.json("times", "log.jsonl", "--map", "map.toml")
        assert right["cautions"] == [] and 20 < right["levels"][0]["p50"] < 90


def test_seconds_are_not_doubted(milepost):
    """Whole seconds, short and long games, are taken as they are."""
    for factor in (0.3, 1, 3):
        milepost.write("log.jsonl", [line | {"time": round(line["time"] * factor)} for line in played(40)])
        assert "time_unit" not in cautions(milepost)


def test_what_suspects_would_move(milepost):
    """Funnel, attempts, times and report say which suspect would move a figure by more than five points, with the option."""
    lines = played(30)
    for n in range(10):
        lines = [one for one in lines if one["session"] != f"s{n}" or one["level" if "level" in one else "event"] == "Mill Pond"]
        lines.append({"session": f"s{n}", "time": 400, "event": "transition", "level": "Mill Pond", "to": "Low Arch"})
        lines.append({"session": f"s{n}", "time": 401, "event": "session_end", "cause": "quit"})
    milepost.write("log.jsonl", sorted(lines, key=lambda one: one["time"]))
    for command in ("funnel", "attempts", "times"):
        said = cautions(milepost, command)["failed_transition"]["sentence"]
        assert "--exclude failed_transition" in said and "drop-off at Mill Pond from 33 % to 0 %" in said
        assert "failed_transition" not in cautions(milepost, command, "--exclude", "failed_transition")
    assert "--exclude failed_transition" in milepost("funnel", "log.jsonl").stdout
    shown = milepost("check", "log.jsonl").stdout
    assert "Repairs do not change a figure" in shown and "Leaving out what is suspect would change 1 figure at 1 level" in shown


def test_midnight_in_seconds_of_the_day(milepost):
    """Sessions that pass midnight in seconds of the day lose nothing, and say that they did."""
    lines = [line | {"time": (line["time"] + 86_300) % 86_400} for line in played()]
    milepost.write("log.jsonl", lines)
    document = milepost.json("funnel", "log.jsonl")
    assert [row["cleared"] for row in document["levels"]] == [20, 20, 20]
    assert document["findings"] == {"clock_wrapped": 20}
    assert json.dumps(document["levels"]) == json.dumps(_of_a_day_before(milepost, lines))


def _of_a_day_before(milepost, lines):
    moved = [line | {"time": line["time"] + (86_400 if line["time"] < 40_000 else 0)} for line in lines]
    milepost.write("log.jsonl", moved)
    return milepost.json("funnel", "log.jsonl")["levels"]
