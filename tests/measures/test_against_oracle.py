"""The measures of random logs agree with naive ones."""

import pytest

from milepost.logs.course import read_course
from milepost.logs.read import read
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel
from milepost.measures.times import TimeInLevel
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules
from oracle import measures as naive
from oracle.replay import replay as naive_replay
from random_logs import COURSE, as_text, as_toml, as_values, random_log

MEASURES = {
    "funnel": (Funnel(), naive.funnel),
    "funnel with unknown ends cut off": (Funnel(censor_unknown=True), lambda play: naive.funnel(play, censor=True)),
    "attempts": (AttemptsToClear(), naive.attempts),
    "times": (TimeInLevel(), naive.times),
}


def same(ours, theirs):
    """Whether our value is theirs, floats to nine digits; dictionaries by the keys that they have."""
    if isinstance(theirs, dict):
        return all(same(ours[key], value) for key, value in theirs.items())
    if isinstance(theirs, list):
        return len(ours) == len(theirs) and all(map(same, ours, theirs))
    if isinstance(theirs, float) and ours is not None:
        return ours == pytest.approx(theirs, rel=1e-9, abs=1e-9)
    return ours == theirs


@pytest.fixture(scope="module")
def plays(tmp_path_factory):
    """Random logs, each replayed in both ways."""
    folder = tmp_path_factory.mktemp("measures")
    (folder / "course.toml").write_text(as_toml(COURSE))
    course = read_course(folder / "course.toml")
    result = []
    for seed in range(250):
        lines = [line for part in range(4) for line in renamed(random_log(5000 + 4 * seed + part), part)]
        (folder / "log.jsonl").write_text(as_text(lines))
        expected = naive_replay(as_values(lines), COURSE if seed % 3 else None)
        play = replay_log(read([str(folder / "log.jsonl")]), course if seed % 3 else None, ReplayRules())
        result.append((play, naive.Play(expected)))
    return result


def renamed(lines, part):
    """The log with sessions and players of its own, so that several make one larger log."""
    for line in lines:
        if isinstance(line, dict):
            yield line | {key: f"{line[key]}/{part}" for key in ("session", "player") if line.get(key)}


@pytest.mark.parametrize("name", MEASURES)
def test_measure(plays, name):
    """Every figure of every level is the naive one."""
    ours, theirs = MEASURES[name]
    for play, expected in plays:
        rows, naive_rows = ours(play).rows, theirs(expected)
        by_level = {row["level"]: row for row in naive_rows}
        assert [row["level"] for row in rows[: play.n_levels]] == expected.names
        assert {row["level"] for row in rows} == set(by_level)
        for row in rows:
            assert same(row, by_level[row["level"]]), (row, by_level[row["level"]])


def test_the_comparison_can_fail(plays):
    """A figure that is off is noticed."""
    row = Funnel()(plays[1][0]).rows[0]
    assert not same(row, {**row, "reached": row["reached"] + 1})
    assert not same(row, {**row, "clear_rate": row["clear_rate"] * 1.001})
