"""Parts of reports that are there only where there is something: runs, promises, what differed, what was left out."""

import json
import re

import pytest

from conftest import COURSE, Program
from milepost.demo.unpack import unpack

WORDS = ("log.jsonl", "--course", "course.toml")


@pytest.fixture(scope="module")
def race(tmp_path_factory):
    program = Program(tmp_path_factory.mktemp("race"))
    unpack(program.folder / "race", force=False, which="race")
    return program


def race_report(race, form):
    done = race("report", "race/logs", "--course", "race/course.toml", "-o", form)
    assert done.returncode == 0, done.stderr
    return (race.folder / form).read_bytes()


def test_runs_in_every_form(race, wickwater):
    """A part on runs with its picture, where the log speaks of runs; none else."""
    page = race_report(race, "r.html").decode()
    assert "Runs: how far they get" in page and "Run by run" in page and "runs that get here" in page
    assert (
        json.loads(race_report(race, "r.json"))["runs"]["runs"]
        == race.json("runs", "race/logs", "--course", "race/course.toml")["runs"]
    )
    done = wickwater("report", "wickwater/logs", "--course", "wickwater/course.toml")
    assert done.returncode == 0 and "Run by run" not in done.stdout


def test_runs_fit_anywhere(race):
    """At 60 columns and as Markdown and CSV; counts stand beside shares."""
    words = ("runs", "race/logs", "--course", "race/course.toml")
    for more in ((), ("--by", "run.lantern")):
        shown = race(*words, *more, COLUMNS="60").stdout
        assert max(map(len, shown.splitlines())) <= (80 if more else 60)
    assert race(*words, "--format", "markdown").stdout.count("|") > 50
    rows = race(*words, "--format", "csv").stdout.splitlines()
    assert len(rows) == 11 and rows[0].startswith("level,reached,cleared,share")
    flat = race("funnel", *words[1:], "--per", "run", "--format", "csv").stdout.splitlines()
    assert "ended_won" in flat[0] and "lost" not in flat[0]


def test_a_race_without_wins(milepost):
    """Says so, in the figure too, and where nobody ran at all."""
    milepost.write("course.toml", COURSE)
    milepost.write(
        "log.jsonl",
        [
            {"session": "a", "time": 0, "event": "run_start"},
            {"session": "a", "time": 1, "event": "start", "level": "Mill Pond"},
            {"session": "a", "time": 9, "event": "death", "level": "Mill Pond"},
            {"session": "a", "time": 9.1, "event": "run_end", "cause": "failed"},
        ],
    )
    shown = milepost("runs", *WORDS, "--figure", "runs.svg").stdout
    assert "not yet half of the players have won one" in " ".join(shown.split())
    assert "None of 1 run was won" in (milepost.folder / "runs.svg").read_text()
    milepost.write("log.jsonl", [{"session": "a", "time": 0, "event": "start", "level": "Elsewhere"}])
    document = milepost.json("runs", *WORDS)
    assert (document["runs"], document["by_number"], document["levels"][0]["share"]) == (0, [], None)
    assert milepost("runs", *WORDS, "--figure", "none.svg").returncode == 0
    assert "No run reached a level" in (milepost.folder / "none.svg").read_text()


def test_promises_and_what_was_left_out_are_told(milepost):
    """In the page, with markup in the makers' words and in values shown as text."""
    why = "a <b>full</b> lantern & more"
    milepost.write("course.toml", f"{COURSE}[[promise]]\non = 'start'\nthat = 'oil = 3'\nwhy = '{why}'\notherwise = 'void'\n")
    log = []
    for n in range(12):
        oil = "<script>alert(1)</script>" if n % 2 else 3
        base = {"session": f"s{n}", "level": "Mill Pond"}
        log += [
            base | {"time": 0, "event": "start", "oil": oil, "kind": f"<i>{n % 2}</i>"},
            base | {"time": 9.5, "event": "complete" if n % 3 else "death"},
        ]
    milepost.write("log.jsonl", log)
    for form in ("r.html", "r.md"):
        assert milepost("report", *WORDS, "-o", form).returncode == 0
    page = (milepost.folder / "r.html").read_text()
    assert (
        "<b>full</b>" not in page
        and "&lt;b&gt;full&lt;/b&gt;" in page
        and "<script>alert(1)" not in page
        and "<i>1</i>" not in page
    )
    shown = " ".join(milepost("attempts", *WORDS).stdout.split())
    assert "Left out because they break a promise of the course: 6 tries." in shown
    document = milepost.json("attempts", *WORDS)
    assert document["excluded"]["codes"] == [] and document["levels"][0]["void"] == 6
    hostile = milepost("check", *WORDS).stdout
    assert "\x1b" not in hostile and why in " ".join(hostile.split())


def test_control_characters_in_attributes(milepost):
    """What a start says is shown as text, also on a terminal."""
    milepost.write("course.toml", COURSE)
    log = []
    for n in range(12):
        base = {"session": f"s{n}", "level": "Mill Pond"}
        log += [
            base | {"time": 0, "event": "start", "mood": "calm" if n < 6 else "\x1b[31mred\x07"},
            base | {"time": 9.5, "event": "death" if n % 2 else "complete"},
        ]
    milepost.write("log.jsonl", log)
    for words in (("level", "Mill Pond"), ("attempts", "--by", "start.mood"), ("attempts", "--where", "start.mood=calm")):
        shown = (
            milepost(words[0], *words[1:2], *WORDS, *words[2:]) if words[0] == "level" else milepost(words[0], *WORDS, *words[1:])
        )
        assert shown.returncode == 0 and "\x1b" not in shown.stdout and "\x07" not in shown.stdout


def test_builds_in_a_row(wickwater):
    """Three builds are told as a trend, in place of the last pair; a level to fix says which value of a knob would do."""
    logs = ("wickwater/logs", "wickwater/next", "--course", "wickwater/course.toml")
    document = wickwater.json("report", *logs)
    assert document["compare"] is None and [step["step"] for step in document["trend"]["steps"]] == ["0.7", "0.8", "0.9"]
    assert document["trend"]["levels"] == wickwater.json("trend", *logs)["levels"]
    assert wickwater("report", *logs, "-o", "row.html").returncode == 0
    page = (wickwater.folder / "row.html").read_text(encoding="utf-8")
    said = " ".join(re.sub("<[^>]+>", "", page).split())
    assert (
        "Over the builds 0.7, 0.8 and 0.9 Low Arch: easier −1." in said and "Still playing at the end: 44 % of 24 in 0.7" in said
    )
    assert "Builds in a row" in page
    (own,) = [row for row in document["reach"] if row["level"] == "Salt Steps"]
    assert own["knob"] == "current" and own["low"] < own["to"] < own["high"] < own["from"] == 2.1
    assert f"To be as its surroundings, by what a unit does elsewhere: current at {own['to']:.2g} (" in said
