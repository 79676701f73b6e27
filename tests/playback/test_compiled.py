"""The compiled machine against the plain one: the same columns, findings and ends, to the last bit."""

import json
from dataclasses import replace
from itertools import product

import numpy as np
import pytest

from milepost.compiling import Compiled, is_available
from milepost.course.course import Course, Level
from milepost.logs.read import read
from milepost.playback import replay
from milepost.playback.replay import replay_log
from milepost.progress import Silent
from milepost.rules import ReplayRules
from random_logs import COURSE, random_log, with_runs

pytestmark = pytest.mark.skipif(not is_available(), reason="Numba is not installed")


@pytest.fixture(scope="module")
def many_logs(tmp_path_factory):
    """Many random logs in one, each with sessions and players of its own."""
    path = tmp_path_factory.mktemp("many") / "log.jsonl"
    lines = []
    for seed in range(200):
        for record in with_runs(random_log(seed), seed) if seed % 3 == 0 else random_log(seed):
            if isinstance(record, dict):
                named = {key: f"{seed}-{record[key]}" for key in ("session", "player") if isinstance(record.get(key), str)}
                lines.append(json.dumps(record | named))
    path.write_text("".join(line + "\n" for line in lines), encoding="utf-8")
    return read([str(path)])


def columns(play):
    """All that a replay gives, as named arrays."""
    attempts = {f"attempts.{name}": value for name, value in vars(play.attempts).items()}
    moves = {f"moves.{name}": value for name, value in vars(play.moves).items()}
    return attempts | moves | {"end": play.end.codes, "endless": play.endless, "marks": play.gated.log.records.marks}


def test_same_replay(many_logs, monkeypatch):
    """Every column of attempts and moves, every finding and every end, with and without a course, by two sets of rules."""
    levels = tuple(Level(level["name"], tuple(level.get("aliases", ()))) for level in COURSE["level"])
    by_legs = (replace(levels[0], optional=True), levels[1], *(replace(own, leg="docks") for own in levels[2:]))
    routes = tuple(replace(own, leg="fork", route=("over", "under")[n % 2]) for n, own in enumerate(levels))
    courses = (None, *(Course(COURSE["name"], own, tuple(COURSE["places"])) for own in (levels, by_legs, routes)))
    monkeypatch.setattr(replay._Compiled, "step", 50)  # it begins many times
    rules = (ReplayRules(), ReplayRules(implied_complete=True, keep_shortcuts=True, repeat_window=1.0))
    for course, by in product(courses, rules):
        monkeypatch.setattr(replay, "_pays", lambda _: False)
        plain = columns(replay_log(many_logs, course, by))
        monkeypatch.setattr(replay, "_pays", lambda _: True)
        fast = columns(replay_log(many_logs, course, by))
        assert len(plain["attempts.level"]) > 1000 and plain.keys() == fast.keys()
        for name, values in plain.items():
            assert values.dtype == fast[name].dtype, name
            assert np.array_equal(values, fast[name], equal_nan=values.dtype.kind == "f"), name


@pytest.mark.parametrize(
    ("records", "waits", "compiles"),
    [(9_999, False, False), (10_000, False, True), (10_000, True, False), (199_999, True, False), (200_000, True, True)],
)
def test_when_it_pays(monkeypatch, records, waits, compiles):
    """Compiled code is loaded from ten thousand records on; what must be compiled first, from two hundred thousand."""
    monkeypatch.setattr(Compiled, "waits", lambda _: waits)
    assert replay._pays(records) == compiles


@pytest.mark.parametrize("waits", [True, False])
def test_whoever_waits_for_the_compiler_is_told(many_logs, monkeypatch, waits):
    """Before the first word of a replay, also where the order of the levels is inferred first."""
    machine = type("Waiting", (replay._Plain,), {"waits": lambda _: waits})
    monkeypatch.setattr(replay, "_Compiled", machine)
    monkeypatch.setattr(replay, "_pays", lambda _: True)
    told, progress = [], Silent()
    progress.step = lambda what, of=None: told.append(what.partition(",")[0])
    replay_log(many_logs, None, ReplayRules(), progress)
    assert told[0] == "inferring the order of the levels" and told[-1] == "replaying"
    assert ("compiling the replay" in told) == waits and (told[1] == "compiling the replay") == waits
