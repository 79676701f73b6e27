"""The reader of whole columns and the line reader are one truth, on whatever is broken; see benchmarks/fuzz.py for many more."""

import random
import sys
from pathlib import Path

import pytest

from milepost.logs import read as reading
from milepost.logs.read import read
from random_logs import as_text, random_log, with_odd_players

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
import fuzz

LINE = '{{"session": "s{}", "time": {}, "event": "start", "level": "Mill Pond", "fps": 60}}\n'
LINES = [LINE.format(n % 7, n) for n in range(300)]
BROKEN = [
    '{"session": "s", "time": 7, "event": "hit",}',
    '{"session": "s", "time": 7, "event": "hit" , \t}',
    '{"session": "s", "time": 7, "event": "hit", "fps":nan}',
    '{"session": "s", "time": 7, "event": "hit", "fps": -Infinity}',
    '{"session": "s", "time": 7, "event": "hit", "fps": ' + "[" * 990 + "]" * 990 + "}",
    '{"session": "s", "time": "soon", "event": "hit"}',
    '{"session": "s", "time": 7, "event": "hit", "progress": "x"}',
    '{"session": "s"',
    "",
    '{"session": "s", "time": 7, "event": "hit"}\x0c',
    '{"session": "s", "time": 7, "event": "hit", "progress": {}}',
    '{"time": 9999-01-01}',
]


@pytest.mark.parametrize("broken", BROKEN)
@pytest.mark.parametrize("place", [1, 290])
def test_a_broken_line(tmp_path, broken, place):
    """A line that the one could take for good, or that the other falls over, reads the same by both, early in a file and late."""
    data = "".join([*LINES[:place], broken + "\n", *LINES[place:]]).encode()
    differ, _ = fuzz.readers_differ(data, tmp_path)
    assert not differ


@pytest.mark.parametrize(
    "line",
    [
        b"\xef\xbb\xbf",
        b'\xef\xbb\xbf{"session": "s", "time": 7, "event": "hit"}',
        b'{"session": "s\xff", "time": 7, "event": "hit"}',
        b'{"session": "s", "time": 7, "event": "hit"}\x00',
        b'{"session": "s", "time": ' + b"9" * 5000 + b', "event": "hit"}',
        b'{"session": "s", "time": "0x10", "event": "hit"}',
        b'{"session": {"a": null}, "time": 7, "event": "hit"}',
        b'{"session": "s", "time": null, "event": "' + b"x" * (1 << 21) + b'"}',
        b'{"time": null, "time": 7, "session": "s", "event": "hit"}',
        b"[" * 5000,
    ],
    ids=lambda line: repr(line[:40]),
)
@pytest.mark.parametrize("place", [0, 5])
def test_odd_bytes(tmp_path, line, place):
    """Bytes that are no text, marks, endless lines and numbers, at the beginning and among others."""
    lines = [one.encode() for one in LINES[:20]]
    assert not fuzz.readers_differ(b"".join([*lines[:place], line + b"\n", *lines[place:]]), tmp_path)[0]


def test_both_are_put_to_the_test(tmp_path):
    """What is sound is read by whole columns, so that the comparison compares something."""
    assert fuzz.readers_differ("".join(LINES).encode(), tmp_path) == (False, True)


def test_a_session_that_began_at_the_end_of_time(tmp_path):
    """Beyond what 64 bits of nanoseconds tell; its other records are of today, and too many for one chunk."""
    stamped = [f'{{"session": "s", "time": "2026-03-06T19:00:{n % 60:02d}Z", "event": "hit"}}\n' for n in range(9000)]
    first = '{"session": "s", "time": "9999-12-31T23:59:59Z", "event": "hit"}\n'
    assert not fuzz.readers_differ("".join([first, *stamped]).encode(), tmp_path)[0]


def test_mutated_logs(tmp_path):
    """Random logs, changed at random; a good part of them by whole columns."""
    by_columns, clean = 0, "".join(LINES[:20]).encode()
    for seed in range(24):
        rng = random.Random(seed)
        data = fuzz.mutated(clean if seed % 3 else as_text(with_odd_players(random_log(seed), seed)).encode(), rng)
        differ, taken = fuzz.readers_differ(data, tmp_path)
        assert not differ, data
        by_columns += taken
    assert by_columns > 5


def test_a_malformed_line_in_a_large_file(tmp_path, monkeypatch):
    """A file of many megabytes with a bad line after those that are looked at first is read, with the line refused."""
    (tmp_path / "log.jsonl").write_text("".join(LINES) * 200 + '{"session": "s", "time": {}}\nnot json\n' + "".join(LINES))
    monkeypatch.setattr(reading, "_STRICT", {form: one._replace(worthwhile=1 << 20) for form, one in reading._STRICT.items()})
    log = read([str(tmp_path / "log.jsonl")])
    assert len(log.records) == 201 * 300 and [one.place.line for one in log.refused] == [60001, 60002]
