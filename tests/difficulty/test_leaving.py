"""Who left after a failure, as the model of tries is told: what the simulation knows, read back from its log."""

import json

import numpy as np
import pytest

from conftest import COURSE
from milepost.course.course import read_course
from milepost.difficulty.responses import gather_tries
from milepost.logs.read import read
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules
from milepost.simulate.population import Population
from milepost.simulate.records import Scenery, simulate_sessions
from milepost.simulate.simulated_players import play_course
from milepost.vocabulary import CLEARED, CRASH, N_SETTLED, TIME_UP

NAMES = ["Mill Pond", "Swan Bend", "Reed Gate", "Lantern Row"]


@pytest.fixture
def course(tmp_path):
    (tmp_path / "course.toml").write_text("".join(f'[[level]]\nname = "{name}"\n' for name in NAMES))
    return read_course(tmp_path / "course.toml")


@pytest.mark.parametrize("seed", range(4))
def test_leaving_is_what_the_simulation_did(tmp_path, course, seed):
    """Of every settled try, whether the player gave up after it; whose time was up, or whose game crashed, did not give up."""
    rng = np.random.default_rng(seed)
    population = Population(players=60, quit_base=0.12, quit_growth=1.3, minutes=6, crash_hourly=2.0, sessions=1)
    tries, _ = play_course(np.array([-0.5, 0.5, 1.0, 0.5]), population, rng)
    scenery = Scenery(NAMES, [["reeds"]] * 4, [f"p{n:02d}" for n in range(60)], [{}] * 60, [["1"] * 9] * 60)
    lines = [json.dumps(record) for records in simulate_sessions(tries, scenery, rng) for record in records]
    (tmp_path / "log.jsonl").write_text("\n".join(lines))
    found = gather_tries(replay_log(read([str(tmp_path / "log.jsonl")]), course, ReplayRules()))
    order = np.lexsort((tries.opened, tries.session, tries.player))
    order = order[tries.outcome[order] < N_SETTLED]
    assert len(found.item) == len(order) > 100
    assert found.success.tolist() == (tries.outcome[order] == CLEARED).tolist()
    failed = ~found.success
    cut = np.isin(tries.outcome, (TIME_UP, CRASH))
    cut_short = {player for player, ended in zip(tries.player, cut, strict=True) if ended}
    gave_up = tries.ends[order][failed]
    assert gave_up.sum() > 5 and len(cut_short) > 5
    assert found.left[failed].tolist() == gave_up.tolist() or _only_after_a_failure(found, tries, order, failed, cut_short)


def _only_after_a_failure(found, tries, order, failed, cut_short):
    """The log cannot tell giving up after a failure from giving up in the try after it; the last failure then counts for both."""
    own = set(zip(tries.player[order][failed][tries.ends[order][failed]].tolist(), strict=True))
    told = {(player,) for player in tries.player[order][failed][found.left[failed]].tolist()}
    return own <= told and not any(player in cut_short for (player,) in told)


LEFT = [("quit", True), ("time_up", False), ("crash", False), ("finished", False), ("unheard of", True), (None, True)]


@pytest.mark.parametrize(("cause", "left"), LEFT)
def test_by_the_cause_of_the_end(tmp_path, cause, left):
    """A player who failed and then quit, or whose end is not known, left; all others did not."""
    lines = [
        {"session": "a", "time": 0, "event": "start", "level": "Mill Pond"},
        {"session": "a", "time": 9, "event": "death", "level": "Mill Pond"},
        {"session": "a", "time": 20, "event": "session_end", "cause": cause},
    ]
    (tmp_path / "log.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines))
    play = replay_log(read([str(tmp_path / "log.jsonl")]), None, ReplayRules())
    assert gather_tries(play).left.tolist() == [left]


def test_the_demo(wickwater):
    """The players that the model takes for lost are about those that the funnel has, not one of fifteen."""
    document = wickwater.json("spikes", "wickwater/logs", "--course", "wickwater/course.toml")
    folder = wickwater.folder / "wickwater"
    play = replay_log(read([str(folder / "logs")]), read_course(folder / "course.toml"), ReplayRules())
    tries = gather_tries(play)
    assert abs(int((tries.left & ~tries.success).sum()) - document["model"]["lost"]) <= 3
    assert document["model"]["lost"] > 10


def test_a_level_that_cannot_be_cleared_yet(tmp_path):
    """Its tries say nothing of difficulty, and who stops there has not given up; it gets no verdict."""
    (tmp_path / "course.toml").write_text(COURSE + "open = true\n")
    lines = []
    for n in range(12):
        at = {"session": f"s{n}"}
        lines += [
            {**at, "time": 0, "event": "start", "level": "Mill Pond"},
            {**at, "time": 9, "event": "complete" if n else "death", "level": "Mill Pond"},
        ]
        lines += [{**at, "time": 10 + k, "event": e, "level": "Low Arch"} for k in (0, 9, 18) for e in ("start",)] if n else []
        lines += [{**at, "time": 40, "event": "death", "level": "Low Arch"}] if n else []
        lines += [{**at, "time": 60, "event": "session_end", "cause": "quit"}]
    (tmp_path / "log.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines))
    play = replay_log(read([str(tmp_path / "log.jsonl")]), read_course(tmp_path / "course.toml"), ReplayRules())
    tries = gather_tries(play)
    assert set(tries.item.tolist()) == {0} and int(tries.left.sum()) == 1
