"""The strict reader gives what the line reader gives, or nothing."""

import json

import numpy as np
import pytest

from milepost.logs import strict
from milepost.logs.read import read
from milepost.vocabulary import EVENTS
from random_logs import random_log

SPOILED = [
    '{"session": 1.5, "time": 1, "event": "start", "level": "a"}', '{"session": "s", "time": null, "event": "pause"}',
    '{"session": "s", "time": 1, "event": "start"}', '{"session": "s", "time": 1, "event": "hit", "progress": 2}',
    "{broken", "[1]", '{"session": "s", "time": 1, "event": "hit", "mood": {"deep": 1}}',
    '{"session": "s", "time": "2026-03-01T10:00:00", "event": "hit"}', '{"session": "s", "time": NaN, "event": "hit"}',
]  # fmt: skip


def both(folder, text, monkeypatch):
    """The log read in both ways, and whether the strict reader took it."""
    path = folder / "log.jsonl"
    path.write_text(text, encoding="utf-8")
    monkeypatch.setattr(strict, "WORTHWHILE", 0)
    taken, plain = [], strict.read_strict
    monkeypatch.setattr(strict, "read_strict", lambda source: taken.append(plain(source)) or taken[-1])
    fast = read([str(path)])
    monkeypatch.setattr(strict, "WORTHWHILE", 1 << 60)
    return fast, read([str(path)]), taken[0] is not None


NAMED = {"level": "stops", "to": "stops", "cause": "causes", "layout": "layouts", "rating": "ratings"}


def assert_same(fast, slow):
    for name in vars(slow.records):
        ours, theirs = getattr(fast.records, name), getattr(slow.records, name)
        if name in NAMED:
            ours, theirs = (
                np.array([*getattr(log, NAMED[name]), ""])[column] for log, column in ((fast, ours), (slow, theirs))
            )
        if name == "event":
            ours, theirs = (
                np.array([log.unknown_words[-1 - code] if code < 0 else EVENTS[code] for code in column.tolist()])
                for log, column in ((fast, ours), (slow, theirs))
            )
        assert (
            ours.tolist() == pytest.approx(theirs.tolist(), nan_ok=True)
            if ours.dtype.kind == "f"
            else (ours == theirs).all()
        )
    assert vars(fast.sessions) == vars(slow.sessions)
    assert sorted(fast.unknown_words) == sorted(slow.unknown_words)


def test_clean_logs_are_read_alike(tmp_path, monkeypatch):
    """Random logs without bad lines: the same columns, names, sessions and likeness; most of them strictly."""
    taken = 0
    for seed in range(60):
        lines = [line for line in random_log(seed) if isinstance(line, dict) and clean(line)]
        fast, slow, strictly = both(tmp_path, "".join(json.dumps(line) + "\n" for line in lines or [START]), monkeypatch)
        assert_same(fast, slow)
        taken += strictly
        monkeypatch.undo()
    assert taken > 15


START = {"session": "s", "time": 0, "event": "start", "level": "Mill Pond"}


def clean(line):
    return type(line.get("progress", 0)) in (int, float) and line.get("progress", 0) <= 1 and "mood" not in line


@pytest.mark.parametrize("line", SPOILED)
def test_a_spoiled_line_goes_to_the_line_reader(tmp_path, monkeypatch, line):
    """Anything out of the ordinary, and the file is read line by line."""
    fast, slow, strictly = both(tmp_path, json.dumps(START) + "\n" + line + "\n", monkeypatch)
    assert not strictly
    assert_same(fast, slow)
    assert fast.refused == slow.refused


BEYOND = [
    '"event": "hit", "mood": "calm"', '"event": "hit", "level": 7', '"event": "hit", "build": 0.7', '"event": "hit", "progress": "0.5"',
    '"event": "hit", "progress": 0.5', '"event": "hit", "seq": 1.5', '"event": "hit", "seq": 3', '"event": "hit", "debug": true',
    '"event": "hit", "build": null', '"event": "hit", "build" : "1"', '"event": "hit", "build":"1"', '"event": "hit", "id": 12',
    '"event": "say \\": this", "level": "a"', '"event": "hit", "level": "a", "level": "b"', '"event": "hit", "x": 1e3',
    '"event": "hit", "level": true', '"event": "hit", "seq": 12345678901234567890', '"event": "hit", "mood": null, "build" : 1',
]  # fmt: skip


@pytest.mark.parametrize("fields", BEYOND)
@pytest.mark.parametrize("first", ['"build": "1", "seq": 1', '"progress": 0, "id": 5', '"mood": "wild"'])
def test_what_the_first_lines_do_not_show(tmp_path, monkeypatch, first, fields):
    """Fields and types that only come after the lines that were looked at first are read as ever, or line by line."""
    monkeypatch.setattr(strict, "_SAMPLE", 2)
    begin = f'{{"session": "s", "time": 0, "event": "start", "level": "Mill Pond", {first}}}\n'
    text = begin * 3 + f'{{"session": "s", "time": 4, {fields}}}\n' + begin.replace('"time": 0', '"time": 5')
    fast, slow, _ = both(tmp_path, text, monkeypatch)
    assert_same(fast, slow)
    assert fast.refused == slow.refused


def test_plain_logs_are_taken_at_their_first_lines(tmp_path, monkeypatch):
    """Where all lines are like the first ones, the types of every line are not asked for."""
    monkeypatch.setattr(strict, "_SAMPLE", 2)
    asked, plain = [], strict._fields
    monkeypatch.setattr(strict, "_fields", lambda base, path, limit: asked.append(limit) or plain(base, path, limit))
    lines = [START | {"time": n, "build": "1.0", "progress": n / 10} for n in range(9)]
    _, _, strictly = both(tmp_path, "".join(json.dumps(line) + "\n" for line in lines), monkeypatch)
    assert strictly and asked == ["LIMIT 2"]
