"""Several commands in one process read and replay a log once, and never one that has changed."""

import json
import os

import pytest

from milepost import engine, process_cache
from milepost.cli.main import main
from milepost.process_cache import read_once


@pytest.fixture
def counted(tmp_path, monkeypatch, small_log, capsys):
    """A log; what a command says of it, and how often the log was read and replayed for that."""
    done = []
    for room, name in ((engine, "read"), (process_cache, "replay_log")):
        call = getattr(room, name)
        monkeypatch.setattr(room, name, lambda *given, name=name, call=call: done.append(name) or call(*given))
    monkeypatch.setattr(process_cache, "_known", None)

    def run(*words):
        done.clear()
        assert main([*words, "--format", "json"]) == 0
        return json.loads(capsys.readouterr().out), (done.count("read"), done.count("replay_log"))

    run.log = tmp_path / "log.jsonl"
    run.log.write_text("".join(json.dumps(record) + "\n" for record in small_log))
    return run


def test_once_for_two(counted):
    """Other measures of the same log are measured from what is there; other rules replay it; outside, everything is done anew."""
    log = str(counted.log)
    alone, times = counted("funnel", log)
    assert times == (1, 1)
    with read_once():
        assert counted("funnel", log) == (alone, (1, 1))
        assert counted("funnel", log) == (alone, (0, 0))
        assert counted("attempts", log)[1] == (0, 0)
        assert counted("attempts", log, "--repeat-window", "9")[1] == (0, 1)
        assert counted("funnel", log, "--where", "player=Ada")[0]["players"] == 1
        assert counted("funnel", log, "--where", "player=Ada")[1] == (0, 1)  # which sessions are kept is asked anew
    assert counted("funnel", log) == (alone, (1, 1))


def test_a_log_that_changes(counted, small_log):
    """Written to, or replaced by another one of the same size and time."""
    log = counted.log
    with read_once():
        assert counted("funnel", str(log))[0]["players"] == 2
        with log.open("a") as stream:
            stream.write(json.dumps(small_log[0] | {"session": "c", "player": "Cy"}) + "\n")
        assert counted("funnel", str(log))[0]["players"] == 3
        state, other = log.stat(), log.with_name("other.jsonl")
        other.write_text(log.read_text().replace('"Cy"', '"Bo"'))
        os.utime(other, ns=(state.st_atime_ns, state.st_mtime_ns))
        other.replace(log)
        assert counted("funnel", str(log))[0]["players"] == 2


def test_no_more_than_so_many(counted, monkeypatch):
    """What was kept is let go when it gets too much."""
    monkeypatch.setattr(process_cache, "_MOST", 4)
    with read_once():
        for window in range(4):
            counted("funnel", str(counted.log), "--repeat-window", str(window))
        assert len(process_cache._known) <= 4
        assert counted("funnel", str(counted.log), "--repeat-window", "0")[0]["players"] == 2
