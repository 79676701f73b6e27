"""Attributes of tries: whose record says them, and how they go with clearing."""

import json
from math import exp, log, sqrt

import numpy as np
import pytest

from conftest import COURSE
from milepost.measures.attribute_effects import odds_ratio

WORDS = ("log.jsonl", "--course", "course.toml")


def measured(milepost, records, *words):
    milepost.write("log.jsonl", records)
    milepost.write("course.toml", COURSE)
    return milepost.json(*words, *WORDS)


def try_of(session, time, outcome, level="Mill Pond", start=None, end=None, opens="start"):
    base = {"session": session, "player": session, "level": level}
    return [base | {"time": time, "event": opens, **(start or {})}, base | {"time": time + 7.5, "event": outcome, **(end or {})}]


def test_whose_record_says_it(milepost):
    """A start's or retry's own; of an implied opening, of a dropped record, and of another level's closing, nothing."""
    records = [
        *try_of("a", 0, "death", start={"oil": 3}, end={"oil": 1}),
        {"session": "a", "level": "Mill Pond", "time": 20, "event": "complete", "oil": 2},  # opened by implication
        *try_of("b", 0, "death", start={"oil": 5}),
        *try_of("b", 10, "complete", start={"oil": 4}, opens="retry"),
        {"session": "b", "level": "Mill Pond", "time": 0.1, "event": "start", "oil": 9},  # a repeat, dropped
        {"session": "c", "level": "Mill Pond", "time": 0, "event": "start", "oil": 6},
        {"session": "c", "level": "Low Arch", "time": 9, "event": "start", "oil": 7},  # closes the one before, from elsewhere
    ]

    def settled(condition):
        done = milepost("attempts", *WORDS, "--where", condition, "--format", "json")
        return None if done.returncode else sum(row["settled"] for row in json.loads(done.stdout)["levels"])

    measured(milepost, records, "attempts")
    assert [settled(f"start.oil={n}") for n in (3, 5, 4, 9, 2)] == [1, 1, 1, None, None]
    assert settled("start.oil=") == 1 and settled("end.oil=1") == 1 and settled("end.oil=2") == 1
    assert settled("end.oil=7") is None and "no attempt" in milepost("attempts", *WORDS, "--where", "end.oil=7").stderr


def test_ends_by_sessions_and_moves(milepost):
    """A session's end and a move from the level close a try, too, and say so."""
    base = {"session": "a", "level": "Mill Pond"}
    records = [
        base | {"time": 0, "event": "start"},
        base | {"time": 9, "event": "transition", "to": "Low Arch", "mood": "bored"},
        {"session": "a", "level": "Low Arch", "time": 10, "event": "start"},
        {"session": "a", "time": 30, "event": "session_end", "cause": "quit", "mood": "tired"},
    ]
    measured(milepost, records, "attempts")
    voids = {
        mood: [row["void"] for row in milepost.json("attempts", *WORDS, "--where", f"end.mood={mood}")["levels"]]
        for mood in ("bored", "tired")
    }
    assert voids == {"bored": [0, 1], "tired": [1, 0]}
    assert milepost.json("attempts", *WORDS, "--where", "end.cause=quit")["levels"][1]["void"] == 0


def test_what_differed_at_a_level(milepost):
    """The commonest value first, with the odds of the others against it; what does not differ, or hardly, is not shown."""
    records = []
    for n in range(24):
        oil, outcome = (3, "complete" if n % 4 else "death") if n < 16 else (1, "complete" if n % 2 else "death")
        records += try_of(f"p{n}", 0, outcome, start={"oil": oil, "same": "x", "rare": int(n == 0), "many": n})
    page = measured(milepost, records, "level", "Mill Pond")
    by_name = {row["attribute"]: row["values"] for row in page["attributes"]}
    assert set(by_name) == {"start.oil", "start.many"}  # numbers of many values are cut into quarters
    usual, other = by_name["start.oil"]
    assert (usual["value"], usual["tries"], usual["clears"], usual["odds"], usual["odds_low"]) == ("3", 16, 12, 1.0, None)
    assert (other["value"], other["tries"], other["clears"]) == ("1", 8, 4) and other["odds"] == pytest.approx(1 / 3)
    assert other["odds_low"] < 1 / 3 < other["odds_high"]
    shown = milepost("level", "Mill Pond", *WORDS).stdout
    assert "What differed when it was tried" in shown and "1, the usual" in shown and "0.33 times" in shown
    assert milepost.json("report", *WORDS)["attributes"][0] == page["attributes"]


def test_odds_of_independent_tries():
    """With one try a player the variance is Woolf's, times n / (n - 1)."""
    before = np.arange(10), np.arange(10) < 7
    after = np.arange(10, 18), np.arange(8) < 2
    value, low, high = odds_ratio(before, after)
    assert value == pytest.approx((2 / 6) / (7 / 3))
    se = sqrt((1 / 7 + 1 / 3 + 1 / 2 + 1 / 6) * 18 / 17)
    assert (low, high) == pytest.approx((exp(log(value) - 1.959963984540054 * se), exp(log(value) + 1.959963984540054 * se)))


def test_odds_know_that_players_try_often():
    """Four tries of each player that all end alike say no more than one, and a player in both groups counts once."""
    once = odds_ratio((np.arange(10), np.arange(10) < 7), (np.arange(10, 18), np.arange(8) < 2))
    four = odds_ratio(
        (np.repeat(np.arange(10), 4), np.repeat(np.arange(10) < 7, 4)),
        (np.repeat(np.arange(10, 18), 4), np.repeat(np.arange(8) < 2, 4)),
    )
    assert four == pytest.approx(once)
    assert odds_ratio((np.array([0, 0]), np.array([True, False])), (np.array([0, 0]), np.array([True, False])))[1:] == (
        None,
        None,
    )
    assert odds_ratio((np.arange(4), np.ones(4, np.bool_)), (np.arange(4), np.arange(4) < 2)) == (None, None, None)
