"""Targets by hand: met, missed, undecided, how many players would tell, and the statuses for a build server."""

from xml.etree import ElementTree

import numpy as np
import pytest

from folder.test_answers import played
from milepost.numerics.intervals import median_interval
from milepost.numerics.survival import kaplan_meier
from milepost.planning.targets import Goal, Measured, judge_target, players_needed

COURSE = """
[[level]]
name = "Mill Pond"
target_clear = 0.5
par_seconds = 20
target_tries = 2
target_kept = 0.9
[[level]]
name = "Swan Bend"
target_clear = [0.7, 0.9]
target_tries = 1
"""
PLAN = '[targets]\nkept_at_end = 0.95\ntotal_minutes = 1\nstrong_spikes = 0\nfindings = "high"\n'


@pytest.fixture
def folder(milepost):
    """Twelve players: all fail once at the first level, and often at the second; two give up there."""
    log = [one for n in range(10) for one in played(f"p{n:02d}", [1, 4])] + [
        one for n in (10, 11) for one in played(f"p{n}", [1, 3])[:-2]
    ]
    milepost.write("log.jsonl", log)
    milepost.write("course.toml", COURSE)
    milepost.write("milepost.toml", f'logs = ["log.jsonl"]\ncourse = "course.toml"\n{PLAN}')
    return milepost


def test_by_hand(folder):
    """Each target against its figure: shares within five points or their range, medians and minutes at most, who is kept at least."""
    document = folder.json("targets")
    rows = {(row["level"], row["target"]): row for row in document["targets"]}
    pond = rows["Mill Pond", "target_clear"]
    assert (pond["measured"], pond["verdict"], pond["planned_low"], pond["planned_high"]) == (0.5, "met", 0.45, 0.55)
    assert (rows["Mill Pond", "par_seconds"]["measured"], rows["Mill Pond", "par_seconds"]["verdict"]) == (18.0, "met")
    assert (rows["Mill Pond", "target_tries"]["measured"], rows["Mill Pond", "target_tries"]["verdict"]) == (2.0, "met")
    assert (rows["Mill Pond", "target_kept"]["measured"], rows["Mill Pond", "target_kept"]["verdict"]) == (1.0, "met")
    bend = rows["Swan Bend", "target_clear"]
    assert (
        bend["verdict"] == "missed"
        and bend["measured"] == pytest.approx(10 / 56)
        and bend["high"] < 0.7
        and bend["planned"] == 0.8
    )
    assert (rows["Swan Bend", "target_tries"]["measured"], rows["Swan Bend", "target_tries"]["verdict"]) == (5.0, "missed")
    kept = rows[None, "kept_at_end"]
    assert kept["measured"] == pytest.approx(10 / 12) and kept["verdict"] == "no_telling" and kept["players_needed"] > 12
    minutes = rows[None, "total_minutes"]
    assert minutes["measured"] == pytest.approx(7 * 9 / 60) and minutes["players"] == 10
    assert (minutes["low"], minutes["high"], minutes["verdict"]) == (pytest.approx(1.05), pytest.approx(1.05), "missed")
    assert (rows[None, "strong_spikes"]["measured"], rows[None, "findings"]["verdict"]) == (0.0, "met")
    counts = [sum(row["verdict"] == verdict for row in document["targets"]) for verdict in ("met", "missed", "no_telling")]
    assert counts == [document["met"], document["missed"], document["no_telling"]] and sum(counts) == len(rows) == 10
    assert folder.json("targets", "--memory", "1MB")["targets"] == document["targets"]


def test_ranges_and_par(folder):
    """Times and tries may be planned as ranges, whose middle the median is held against; a range is refused the wrong way round."""
    ranged = COURSE.replace("par_seconds = 20", "par_seconds = [20, 40]").replace("target_tries = 1", "target_tries = [4, 6]")
    folder.write("course.toml", ranged)
    rows = {(row["level"], row["target"]): row for row in folder.json("targets")["targets"]}
    par, tries = rows["Mill Pond", "par_seconds"], rows["Swan Bend", "target_tries"]
    assert (par["planned"], par["planned_low"], par["planned_high"], par["verdict"]) == (30, 20, 40, "missed")
    assert (tries["planned"], tries["verdict"]) == (5, "met")
    row = folder.json("times")["levels"][0]
    assert (row["par"], row["par_ratio"]) == (30, 18 / 30) and row["par_ratio_low"] <= row["par_ratio"] <= row["par_ratio_high"]
    assert (
        "times par" in folder("times", "--columns", "all").stdout
        and "0.6 (0.6–0.6) times par" in folder("level", "Mill Pond").stdout
    )
    folder.write("course.toml", COURSE.replace("par_seconds = 20", "par_seconds = [40, 20]"))
    done = folder("targets")
    assert done.returncode == 2 and "Mill Pond" in done.stderr and "the lower first" in done.stderr


def test_what_matters_comes_last(folder):
    """A terminal lists the undecided and then the missed; met ones with --columns all, in a file, and in other forms."""
    shown = folder("targets").stdout
    assert "✓" not in shown and shown.index("? undecided") < shown.index("✗ missed")
    assert f"{folder.json('targets')['met']} met (--columns all lists them)" in shown
    every = folder("targets", "--columns", "all").stdout
    assert every.index("✓ met") < every.index("? undecided") < every.index("✗ missed")
    folder("targets", "--output", "targets.txt")
    for text in (every, folder("targets", "--format", "markdown").stdout, (folder.folder / "targets.txt").read_text()):
        assert sum(text.count(mark) for mark in "✓?✗") == 10 and "lists them" not in text


def test_for_a_build_server(folder):
    """--strict ends with status 1 where one is missed; JUnit has a case each, with failures and skips."""
    assert folder("targets").returncode == 0 and folder("targets", "--strict").returncode == 1
    done = folder("targets", "--format", "junit", "--output", "targets.xml", "--strict")
    assert done.returncode == 1 and "Taken from milepost.toml" in done.stderr
    suite = ElementTree.parse(folder.folder / "targets.xml").getroot()[0]
    document = folder.json("targets")
    assert [int(suite.get(key)) for key in ("tests", "failures", "skipped")] == [10, document["missed"], document["no_telling"]]
    assert len(suite.findall("testcase")) == 10 and len(suite.findall(".//failure")) == document["missed"]
    (skipped,) = suite.findall(".//skipped")
    assert "players would tell" in skipped.get("message")
    folder.write("course.toml", '[[level]]\nname = "Mill Pond"\n[[level]]\nname = "Swan Bend"\n')
    folder.write("milepost.toml", 'logs = ["log.jsonl"]\ncourse = "course.toml"\n')
    done = folder("targets", "--strict")
    assert done.returncode == 0 and "plans anything" in done.stdout


@pytest.mark.parametrize(
    ("goal", "measured", "verdict"),
    [
        (Goal(high=2), Measured(2.0, (1.0, 3.0), 9), "met"),
        (Goal(high=2), Measured(2.1, (1.9, 3.0), 9), "no_telling"),
        (Goal(high=2), Measured(2.5, (2.1, 3.0), 9), "missed"),
        (Goal(high=2), Measured(None, (3.0, None), 9, True), "missed"),
        (Goal(high=2), Measured(None, (1.0, None), 9, True), "no_telling"),
        (Goal(low=0.6), Measured(0.5, (0.4, 0.7), 9), "no_telling"),
        (Goal(low=0.6), Measured(0.5, (0.4, 0.55), 9), "missed"),
        (Goal(0.45, 0.55), Measured(0.7, (0.5, 0.8), 9), "no_telling"),
        (Goal(0.45, 0.55), Measured(0.7, (0.6, 0.8), 9), "missed"),
        (Goal(high=0), Measured(1.0), "missed"),
        (Goal(high=0), Measured(None), "no_telling"),
    ],
)
def test_verdicts(goal, measured, verdict):
    """Met by the figure; missed by all of the interval; undecided in between, or of nothing."""
    assert judge_target(goal, measured) == verdict


def test_players_needed():
    """Half the distance to the plan takes four times the players; none are named where it is told, or never will be."""
    assert players_needed(Goal(high=2), Measured(3.0, (1.0, 5.0), 10)) == 40
    assert players_needed(Goal(low=0.6), Measured(0.5, (0.3, 0.7), 10)) == 40
    assert players_needed(Goal(high=2), Measured(1.0, (0.5, 3.0), 10)) is None
    assert players_needed(Goal(high=2), Measured(2.0001, (1.0, 5.0), 10)) is None
    assert players_needed(Goal(high=2), Measured(None, (1.0, None), 10, True)) is None


def test_intervals_of_medians():
    """Order statistics hold the median in 95 of 100 samples or more; so does the interval of a survival curve."""
    assert median_interval(np.arange(1.0, 7.0)) == (1.0, 6.0) and median_interval(np.arange(5.0)) == (None, None)
    assert median_interval(np.arange(1.0, 101.0)) == (40.0, 61.0), "as tables of the binomial have it"
    rng, held = np.random.default_rng(11), 0
    for _ in range(400):
        true, cut = rng.exponential(1.0, 40), rng.exponential(2.5, 40)
        low, high = kaplan_meier(np.minimum(true, cut), true <= cut).quantile_interval(0.5)
        held += low <= np.log(2) and (high is None or high >= np.log(2))
    assert 0.92 <= held / 400 <= 1.0
    curve = kaplan_meier(np.array([1.0, 2.0, 3.0]), np.array([False, False, False]))
    assert curve.quantile(0.5) is None and curve.quantile_interval(0.5) == (3.0, None)
