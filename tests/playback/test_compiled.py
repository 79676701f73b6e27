"""The compiled machine against the plain one: the same columns, findings and ends, to the last bit."""

import json

import numpy as np
import pytest

from milepost.compiling import available, cache_folder, is_kept
from milepost.course.course import Course, Level
from milepost.logs.read import read
from milepost.playback import compiled, engine
from milepost.playback.replay import replay_log
from milepost.progress import Silent
from milepost.rules import ReplayRules
from random_logs import COURSE, random_log, with_runs

pytestmark = pytest.mark.skipif(not available(), reason="Numba is not installed")


@pytest.fixture(scope="module")
def many_logs(tmp_path_factory):
    """Many random logs in one, each with sessions and players of its own."""
    path = tmp_path_factory.mktemp("many") / "log.jsonl"
    lines = []
    for seed in range(400):
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


@pytest.mark.parametrize("rules", [ReplayRules(), ReplayRules(implied_complete=True, keep_shortcuts=True, repeat_window=1.0)])
@pytest.mark.parametrize("with_course", [True, False])
def test_same_replay(many_logs, monkeypatch, rules, with_course):
    """Every column of attempts and moves, every finding and every end."""
    course = None
    if with_course:
        levels = tuple(Level(level["name"], tuple(level.get("aliases", ()))) for level in COURSE["level"])
        course = Course(COURSE["name"], levels, tuple(COURSE["places"]))
    plain = columns(replay_log(many_logs, course, rules))
    monkeypatch.setattr(engine, "WORTHWHILE", 1)
    monkeypatch.setattr(engine._Compiled, "step", 50)  # it begins many times
    fast = columns(replay_log(many_logs, course, rules))
    assert len(plain["attempts.level"]) > 1000 and plain.keys() == fast.keys()
    for name, values in plain.items():
        assert values.dtype == fast[name].dtype, name
        assert np.array_equal(values, fast[name], equal_nan=values.dtype.kind == "f"), name


def test_small_logs_do_without(many_logs, monkeypatch):
    """A log of a few thousand records does not load the compiler."""
    monkeypatch.setattr(compiled, "run_sessions", lambda: pytest.fail("compiled"))
    assert len(replay_log(many_logs, None, ReplayRules()).attempts) > 1000


def test_nowhere_to_keep_it(monkeypatch, tmp_path):
    """Where the cache cannot be written the code is compiled without it; where it can, it lies under the source's own name."""
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "file"))
    assert cache_folder(compiled.MODULES) is None
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    folder = cache_folder(compiled.MODULES)
    assert folder is not None and folder.parent == tmp_path / "milepost"


@pytest.mark.parametrize("waits", [True, False])
def test_whoever_waits_for_the_compiler_is_told(many_logs, monkeypatch, waits):
    """Before the first word of a replay, also where the order of the levels is inferred first."""
    monkeypatch.setattr(compiled, "waits", lambda: waits)
    monkeypatch.setattr(engine, "WORTHWHILE", 1)
    told, progress = [], Silent()
    progress.step = lambda what, of=None: told.append(what.partition(",")[0])
    replay_log(many_logs, None, ReplayRules(), progress)
    assert told[0] == "inferring the order of the levels" and told[-1] == "replaying"
    assert ("compiling the replay" in told) == waits and (told[1] == "compiling the replay") == waits


def test_what_is_compiled_already(monkeypatch, tmp_path):
    """Code in the user's cache that was made of these sources."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    assert not is_kept(compiled.MODULES)
    (cache_folder(compiled.MODULES) / "deep").mkdir()
    (cache_folder(compiled.MODULES) / "deep/machine.nbi").touch()
    assert is_kept(compiled.MODULES) and not is_kept(compiled.MODULES[:1])
