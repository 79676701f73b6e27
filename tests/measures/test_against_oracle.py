"""The measures of random logs agree with naive ones."""

from dataclasses import replace

import pytest

from milepost.cleaning.selection import parse_condition, select_sessions
from milepost.course.course import read_course
from milepost.logs.read import read
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.deaths import Deaths
from milepost.measures.funnel import Funnel
from milepost.measures.moves import Moves
from milepost.measures.times import TimeInLevel
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules
from oracle import measures as naive
from oracle.comparing import same
from oracle.gate import fold, readable
from oracle.replay import Settings
from oracle.replay import replay as naive_replay
from random_logs import COURSE, as_text, as_toml, as_values, random_log, renamed, with_legs

MEASURES = {
    "funnel": (Funnel(), naive.funnel),
    "funnel with unknown ends cut off": (Funnel("censor"), lambda play: naive.funnel(play, censor=True)),
    "attempts": (AttemptsToClear(), naive.attempts),
    "times": (TimeInLevel(), naive.times),
    "deaths": (Deaths(), naive.deaths),
}


@pytest.fixture(scope="module")
def plays(tmp_path_factory):
    """Random logs, each replayed in both ways."""
    folder = tmp_path_factory.mktemp("measures")
    (folder / "course.toml").write_text(as_toml(COURSE))
    course = read_course(folder / "course.toml")
    still_open = replace(course, levels=tuple(replace(level, open=level.name == "Reed Gate") for level in course.levels))
    result = []
    for seed in range(24):
        lines = [line for part in range(4) for line in renamed(random_log(5000 + 4 * seed + part), part)]
        (folder / "log.jsonl").write_text(as_text(lines))
        expected = naive_replay(as_values(lines), COURSE if seed % 3 else None)
        play = replay_log(read([str(folder / "log.jsonl")]), (None, course, still_open)[seed % 3], ReplayRules())
        result.append((play, naive.Play(expected, ["Reed Gate"] if seed % 3 == 2 else [])))
    return result


@pytest.fixture(scope="module")
def plays_by_legs(tmp_path_factory):
    """Random logs of courses with random legs, each replayed in both ways."""
    folder, result = tmp_path_factory.mktemp("legs"), []
    for seed in range(24):
        own = with_legs(seed)
        (folder / "course.toml").write_text(as_toml(own))
        lines = [line for part in range(4) for line in renamed(random_log(250_000 + 4 * seed + part), part)]
        (folder / "log.jsonl").write_text(as_text(lines))
        expected = naive_replay(as_values(lines), own)
        play = replay_log(read([str(folder / "log.jsonl")]), read_course(folder / "course.toml"), ReplayRules())
        result.append((play, naive.Play(expected, course=own)))
    return result


@pytest.mark.parametrize("name", MEASURES)
def test_measure_by_legs(plays_by_legs, name):
    """Every figure of every level of a course that is no line is the naive one."""
    ours, theirs = MEASURES[name]
    for play, expected in plays_by_legs:
        by_level = {row["level"]: row for row in theirs(expected)}
        for row in ours(play).rows:
            assert same(row, by_level[row["level"]]), (row, by_level[row["level"]])
        if name == "funnel" and not play.gated.orders.is_line:
            rows = ours(play).totals["legs"]
            found = [(row["leg"], row["levels"], row["reached"], row["done"], row["first"]) for row in rows]
            assert found == naive.funnel_legs(expected)


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


def test_moves(plays):
    """Every kind of move, with its count, its players and what setbacks cost."""
    for play, expected in plays:
        rows = Moves()(play).totals["moves"]
        ours = {
            (row["from"], row["to"], row["kind"]): (
                row["count"],
                row["players"],
                None if row["cost"] is None else round(row["cost"], 6),
            )
            for row in rows
        }
        assert ours == naive.moves(expected)
        assert len(rows) == len(ours)


CUTS = [
    "player=Ada Wick/0,Ada Wick/1",
    "build!=b1",
    "level=Reed Gate",
    "progress>0.5",
    "mood=calm",
    "mood!=calm",
    "score<=2",
    "cause=quit",
    "build=",
]


@pytest.mark.parametrize("cut", CUTS)
def test_cuts(tmp_path, cut):
    """A cut is the same as a log that holds only the sessions that fit, found by plain search."""
    (tmp_path / "course.toml").write_text(as_toml(COURSE))
    course = read_course(tmp_path / "course.toml")
    for seed in range(6):
        lines = [
            line | {"mood": "calm", "score": seed % 5} if part % 2 else line | {"score": "3"}
            for part in range(4)
            for line in renamed(random_log(9000 + 4 * seed + part), part)
        ]
        lines = [line for line in lines if isinstance(line["session"], str) and line["session"]]
        fitting = {name for name in {line["session"] for line in lines} if naive_fits(lines, name, cut)}
        (tmp_path / "log.jsonl").write_text(as_text(lines))
        log = read([str(tmp_path / "log.jsonl")])
        if not fitting & set(log.sessions.name):
            continue
        play = replay_log(select_sessions(log, (parse_condition(cut),)), course, ReplayRules(keep_debug=True))
        kept = [line for line in as_values(lines) if line["session"] in fitting]
        expected = naive.Play(naive_replay(kept, COURSE, Settings(keep_debug=True)))
        assert same(Funnel()(play).rows, naive.funnel(expected))
        assert same(
            sorted(Deaths()(play).rows, key=lambda r: r["level"]), sorted(naive.deaths(expected), key=lambda r: r["level"])
        )


def naive_fits(lines, name, cut):
    """Whether a session fits a condition, by looking at its readable records one after the other."""
    kinds = {}
    records = [readable(line, kinds)[0] for line in as_values(lines) if line["session"] == name]
    records = [record for record in records if record]
    key = cut.replace("!", "=").replace("<", "=").replace(">", "=").split("=")[0]
    wanted = cut.split("=")[-1].split(",") if "=" in cut else []
    values = [record.get(key) for record in records if record.get(key) not in (None, "")]
    if key not in ("level", "progress", "cause"):
        values = values[:1]
    if "<=" in cut:
        return any(float(value) <= float(wanted[0]) for value in values)
    if ">" in cut:
        return any(value > 0.5 for value in values)
    hit = any(fold(str(value)) in map(fold, wanted) if key == "level" else str(value) in wanted for value in values)
    hit |= wanted == [""] and not values
    return not hit if "!=" in cut else hit


def test_the_comparison_can_fail(plays):
    """A figure that is off is noticed."""
    row = Funnel()(plays[1][0]).rows[0]
    assert not same(row, {**row, "reached": row["reached"] + 1})
    assert not same(row, {**row, "clear_rate": row["clear_rate"] * 1.001})
