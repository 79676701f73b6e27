"""The state machine and the naive replay come to the same play on random logs."""

import math
import os

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from milepost.course.course import read_course
from milepost.logs.read import read
from milepost.playback.replay import replay_log
from milepost.playback.tallies import finding_counts
from milepost.rules import ReplayRules
from milepost.vocabulary import MOVE_KINDS, OUTCOMES
from oracle.replay import Settings
from oracle.replay import replay as naive
from random_logs import COURSE, as_text, as_toml, as_values, past_midnight, random_log, with_legs, with_odd_players, with_runs

LOGS = int(os.environ.get("MILEPOST_RANDOM_LOGS", "100"))
VARIANTS = [
    {},
    {"implied": True},
    {"keep_shortcuts": True},
    {"keep_debug": True},
    {"w": 0.0, "instant": 0.0},
    {"w": 1.0, "instant": 2.0},
]


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A folder with the course."""
    path = tmp_path_factory.mktemp("oracle")
    (path / "course.toml").write_text(as_toml(COURSE))
    return path


def rules(variant):
    names = {"w": "repeat_window", "implied": "implied_complete"}
    return ReplayRules(**{names.get(name, name): value for name, value in variant.items() if name != "run_opens"})


def compare(folder, lines, with_course, variant, own=COURSE):
    expected = naive(as_values(lines), own if with_course else None, Settings(**variant))
    if not expected["sessions"]:
        return
    (folder / "log.jsonl").write_text(as_text(lines))
    course = read_course(folder / "course.toml") if with_course else None
    play = replay_log(read([str(folder / "log.jsonl")]), course, rules(variant))
    assert finding_counts(play) == expected["findings"]
    assert play.stops[: play.n_levels] == expected["names"]
    assert play.gated.debug_sessions == expected["debug"]
    assert [row(play, k) for k in range(len(play.attempts))] == [naive_row(a) for a in expected["attempts"]]
    moves = play.moves
    assert [
        (play.gated.players[p], play.stops[o], None if t < 0 else play.stops[t], MOVE_KINDS[kind])
        for p, o, t, kind in zip(moves.player, moves.origin, moves.target, moves.kind, strict=True)
    ] == [(m["player"], m["from"], m["to"], m["kind"]) for m in expected["moves"]]


def row(play, k):
    a = play.attempts
    numbers = (a.opened[k], a.closed[k], a.active[k], a.paused[k], a.settling[k], a.progress[k])
    return (
        play.gated.players[a.player[k]],
        play.gated.log.sessions.name[a.session[k]],
        play.stops[a.level[k]],
        OUTCOMES[a.outcome[k]],
        int(a.number[k]),
        bool(a.rerun[k]),
        int(a.hits[k]),
        *(None if math.isnan(value) else round(float(value), 7) for value in numbers),
    )


def naive_row(a):
    numbers = (
        a["opened"],
        a["closed"],
        a["active"],
        a["paused"] if a["active"] is not None else 0.0,
        a["settling"],
        a["progress"],
    )
    return (
        a["player"],
        a["session"],
        a["level"],
        a["outcome"],
        a["number"],
        a["rerun"],
        a["hits"],
        *(None if value is None else round(float(value), 7) for value in numbers),
    )


@pytest.mark.parametrize("opens", ["records", "anywhere", "Mill Pond", "Reed Gate"])
def test_random_logs_of_runs(folder, opens):
    """Runs end what is open, and what comes after one is no play until the next begins, wherever that is."""
    at = opens if opens in ("Mill Pond", "Reed Gate") else None
    (folder / "course.toml").write_text((f'run_starts_at = "{at}"\n' if at else "") + as_toml(COURSE))
    for seed in range(LOGS // 2):
        lines = with_runs(random_log(50_000 + seed), seed, starts=opens == "records")
        compare(folder, lines, True, VARIANTS[seed % len(VARIANTS)] | {"run_opens": at})
    (folder / "course.toml").write_text(as_toml(COURSE))


def test_random_logs(folder):
    """Attempts, moves, findings and the inferred order agree on every random log."""
    for seed in range(LOGS):
        compare(folder, random_log(seed), seed % 4 > 0, VARIANTS[seed // 4 % len(VARIANTS)])


def test_random_legs(folder):
    """They agree on courses with legs drawn at random: any order, routes, levels off the way, needs."""
    for seed in range(LOGS):
        course = with_legs(seed)
        (folder / "course.toml").write_text(as_toml(course))
        compare(folder, random_log(130_000 + seed), True, VARIANTS[seed % len(VARIANTS)], course)
    (folder / "course.toml").write_text(as_toml(COURSE))


def test_random_players_and_midnights(folder):
    """They agree on who plays a session, on spellings of players, and on clocks that pass midnight."""
    for seed in range(LOGS):
        lines = random_log(90_000 + seed)
        lines = with_odd_players(lines, seed) if seed % 2 else past_midnight(lines, seed)
        compare(folder, lines, seed % 4 > 1, VARIANTS[seed // 4 % len(VARIANTS)])


@settings(max_examples=100, deadline=None)
@given(st.integers(10**6, 10**9), st.booleans(), st.sampled_from(VARIANTS), st.data())
def test_shortened_logs(folder, seed, with_course, variant, data):
    """They agree on any part of a random log too, which is what a mismatch is shortened to."""
    lines = random_log(seed)
    kept = data.draw(st.lists(st.booleans(), min_size=len(lines), max_size=len(lines)))
    lines = [line for line, keep in zip(lines, kept, strict=True) if keep]
    compare(folder, lines, with_course, variant)
