"""The strict reader gives what the line reader gives, or nothing."""

import json

import duckdb
import numpy as np
import pytest

from logs_alike import assert_same, clean
from milepost.logs import read as reading
from milepost.logs.columnar import chunks, strict
from milepost.logs.read import read
from milepost.vocabulary import NUMBER_FIELDS
from random_logs import random_log, with_odd_players

SPOILED = [
    '{"session": 1.5, "time": 1, "event": "start", "level": "a"}',
    '{"session": "s", "time": 1, "event": "hit", "mood": {"deep": 1}}',
    '{"session": "s", "time": "2026-03-01T10:00:00Z", "event": "hit"}',
    '{"session": "t", "time": "2026-03-01T10:00:00Z", "event": "hit"}',
    "",
    "   ",
]
NO_RECORDS = [
    '{"session": "s", "time": null, "event": "pause"}',
    '{"session": "s", "time": 1, "event": "start"}',
    '{"session": "only here", "time": 1, "event": "complete", "mood": "odd", "player": "Ada", "debug": true}',
    '{"session": "s", "time": "2026-03-01T10:00:00", "event": "hit"}',
    '{"session": "s", "time": "soon: at ten", "event": "hit", "mood": null}',
    '{"session": "s", "time": NaN, "event": "hit"}',
    '{"session": "s", "event": "hit", "debug": true}',
    '{"session": "u", "event": "hit", "debug": true, "mood": "wild"}',
    '{"time": 3, "event": "hit", "x": 1, "y": 2}',
    '{"session": "s", "time": 3, "level": "Mill Pond"}',
    '{"session": "s", "time": 3, "event": "com',
    '{"session": "s", "time": 3, "event": "hit"} {"session": "s", "time": 3, "event": "hit"}',
    "{broken",
    "[1]",
    "{}",
    "17",
    '"a text: null"',
]


def both(folder, text, monkeypatch):
    """The log read in both ways, and whether the strict reader took it."""
    path = folder / "log.jsonl"
    path.write_text(text, encoding="utf-8")
    return both_ways(path, "jsonl", monkeypatch)


def both_ways(path, form, monkeypatch):
    taken, plain = [], reading._STRICT[form].read
    spying = reading._Strict(lambda *given: taken.append(plain(*given)) or taken[-1], 0)
    monkeypatch.setattr(reading, "_STRICT", {form: spying})
    fast = read([str(path)])
    monkeypatch.setattr(reading, "_STRICT", {})
    monkeypatch.setattr(chunks, "LEAST", 1 << 60)
    slow = read([str(path)])
    monkeypatch.undo()
    return fast, slow, taken[0] is not None


def test_clean_logs_are_read_alike(tmp_path, monkeypatch):
    """Random logs without bad lines: the same columns, names, sessions and likeness; most of them strictly."""
    taken = 0
    for seed in range(30):
        lines = [
            line for line in with_odd_players(random_log(seed), seed, together=False) if isinstance(line, dict) and clean(line)
        ]
        fast, slow, strictly = both(tmp_path, "".join(json.dumps(line) + "\n" for line in lines or [START]), monkeypatch)
        assert_same(fast, slow)
        taken += strictly
    assert taken > 7


START = {"session": "s", "time": 0, "event": "start", "level": "Mill Pond"}


@pytest.mark.parametrize("line", SPOILED)
def test_a_spoiled_line_goes_to_the_line_reader(tmp_path, monkeypatch, line):
    """Anything out of the ordinary, and the file is read line by line."""
    fast, slow, strictly = both(tmp_path, json.dumps(START) + "\n" + line + "\n", monkeypatch)
    assert not strictly
    assert_same(fast, slow)
    assert fast.refused == slow.refused


@pytest.mark.parametrize("line", NO_RECORDS)
def test_lines_without_a_record_are_refused(tmp_path, monkeypatch, line):
    """What is no record does not slow the others down, wherever it stands, and is refused in the same words."""
    good = json.dumps(START) + "\n"
    fast, slow, strictly = both(tmp_path, good + line + "\n" + good + good + line + "\n" + good, monkeypatch)
    assert strictly and fast.records.line.tolist() == [1, 3, 4, 6]
    assert_same(fast, slow)
    assert fast.refused == slow.refused and [one.place.line for one in fast.refused] == [2, 5]


def test_progress_out_of_reach(tmp_path, monkeypatch):
    """It is not used, and its record is; the others are read by whole columns."""
    lines = [START | {"time": n, "progress": progress} for n, progress in enumerate([0.5, 2, -0.1, 1, 0])]
    fast, slow, strictly = both(tmp_path, "".join(json.dumps(line) + "\n" for line in lines), monkeypatch)
    assert strictly and np.isnan(fast.records.progress).tolist() == [False, True, True, False, False]
    assert_same(fast, slow)


def test_many_lines_without_a_record(tmp_path, monkeypatch):
    """As many as are not kept one by one: they stand together by session, as line by line."""
    lines = [json.dumps(START | {"session": f"s{n % 7}", "time": n}) for n in range(3000)]
    spoiled = [line.replace('"time"', '"tim"') if n % 2 else line for n, line in enumerate(lines)]
    fast, slow, strictly = both(tmp_path, "\n".join(spoiled) + "\n", monkeypatch)
    assert strictly and fast.refused == slow.refused and sum(one.times for one in fast.refused) == 1500
    assert_same(fast, slow)


def test_mostly_no_records(tmp_path, monkeypatch):
    """Where most lines are none, something is wrong with the reading, and it is done line by line."""
    text = (json.dumps(START) + "\n") * 4 + '{"session": "s"}\n' * 5
    fast, slow, strictly = both(tmp_path, text, monkeypatch)
    assert not strictly and fast.refused == slow.refused


BEYOND = [
    '"event": "hit", "mood": "calm"',
    '"event": "hit", "level": 7',
    '"event": "hit", "build": 0.7',
    '"event": "hit", "progress": "0.5"',
    '"event": "hit", "progress": 0.5',
    '"event": "hit", "seq": 1.5',
    '"event": "hit", "seq": 3',
    '"event": "hit", "debug": true',
    '"event": "hit", "build": null',
    '"event": "hit", "build" : "1"',
    '"event": "hit", "build":"1"',
    '"event": "hit", "id": 12',
    '"event": "say \\": this", "level": "a"',
    '"event": "hit", "level": "a", "level": "b"',
    '"event": "hit", "x": 1e3',
    '"event": "hit", "mood": null',
    '"event": "hit", "mood": "null"',
    '"event": "hit", "nullable": 5',
    '"event": "hit", "mood":": null"',
    '"event": "hit", "Level": "b"',
    '"event": "hit", "LEVEL": "b", "build":  null',
    '"event": "hit", "le\\u0076el": "b"',
    '"event": "hit", "mood": "a: b, null"',
    '"event": "hit", "mood": "a\\u003a b"',
    '"event": "hit", "mood:": 1',
    '"event": "hit", "mood": 1e400',
    '"event": "hit", "specversion": "1.0", "type": "x.death", "source": "y", "level": "a"',
    '"event": "hit", "level": true',
    '"event": "hit", "seq": 12345678901234567890',
    '"event": "hit", "mood": null, "build" : 1',
    '"event": "hit", "level": "a", "level": null',
    '"event": "hit", "level": "a", "le\\u0076el" : null',
    '"event": "hit", "level": null, "level": "a"',
]


@pytest.mark.parametrize("fields", BEYOND)
@pytest.mark.parametrize("first", ['"build": "1", "seq": 1', '"progress": 0, "id": 5', '"mood": "wild"'])
def test_what_the_first_lines_do_not_show(tmp_path, monkeypatch, first, fields):
    """Fields and types that only come after the lines that were looked at first are read as ever, or line by line."""
    monkeypatch.setattr(strict, "_SAMPLE", 8)
    begin = f'{{"session": "s", "time": 0, "event": "start", "level": "Mill Pond", {first}}}\n'
    text = begin * 3 + f'{{"session": "s", "time": 4, {fields}}}\n' + begin.replace('"time": 0', '"time": 5')
    fast, slow, _ = both(tmp_path, text, monkeypatch)
    assert_same(fast, slow)
    assert fast.refused == slow.refused


def test_plain_logs_are_taken_at_their_first_lines(tmp_path, monkeypatch):
    """Where all lines are like the first ones, the types of every line are not asked for."""
    monkeypatch.setattr(strict, "_SAMPLE", 8)
    asked, plain = [], strict._fields
    monkeypatch.setattr(strict, "_fields", lambda base, path, limit, time: asked.append(limit) or plain(base, path, limit, time))
    lines = [START | {"time": n, "build": "1.0", "progress": n / 10} for n in range(9)]
    _, _, strictly = both(tmp_path, "".join(json.dumps(line) + "\n" for line in lines), monkeypatch)
    assert strictly and asked == ["LIMIT 2"]


def test_explicit_nothings_are_read_strictly(tmp_path, monkeypatch):
    """Fields that are there and null, in every line: as if they were not there."""
    lines = [START | {"time": n, "build": None, "x": None, "mood": "null: void"} for n in range(9)]
    fast, slow, strictly = both(tmp_path, "".join(json.dumps(line) + "\n" for line in lines), monkeypatch)
    assert strictly
    assert_same(fast, slow)


def parquet(folder, lines, **kinds):
    """Records as a Parquet file, in which each column has a type."""
    (folder / "log.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines), encoding="utf-8")
    with duckdb.connect() as base:
        base.execute("SET TimeZone = 'UTC'")
        names = list(dict.fromkeys(name for line in lines for name in line))
        columns = {name: kinds.get(name, "DOUBLE" if name in NUMBER_FIELDS | {"time"} else "VARCHAR") for name in names}
        table = base.read_json(str(folder / "log.jsonl"), format="newline_delimited", columns=columns)
        table.write_parquet(str(folder / "log.parquet"))
    return folder / "log.parquet"


def test_parquet_is_read_alike(tmp_path, monkeypatch):
    """Random logs as Parquet: the same columns, names, sessions and likeness as row by row; most of them strictly."""
    taken = 0
    for seed in range(16):
        lines = [
            line
            for line in with_odd_players(random_log(seed), seed, together=False)
            if isinstance(line, dict) and clean(line) and not isinstance(line.get("seq"), str)
        ]
        times = {type(line.get("time")) is str for line in lines}
        path = parquet(tmp_path, lines or [START], seq="BIGINT", time="VARCHAR" if True in times else "DOUBLE")
        fast, slow, strictly = both_ways(path, "parquet", monkeypatch)
        assert_same(fast, slow)
        taken += strictly
    assert taken > 4


@pytest.mark.parametrize(
    ("more", "kinds", "strictly"),
    [
        ({"level": 7, "debug": True, "mood": 0.5}, {"level": "INTEGER", "debug": "BOOLEAN", "mood": "DOUBLE"}, True),
        ({"time": "2026-03-01T10:00:00.5+02:00"}, {"time": "VARCHAR"}, True),
        ({"seq": 3, "x": 1}, {"seq": "UBIGINT", "x": "FLOAT"}, True),
        ({"seq": 1 << 60}, {"seq": "BIGINT"}, False),
        ({"x": "3"}, {"x": "VARCHAR"}, False),
        ({"progress": 1.5}, {}, True),
        ({"level": None}, {}, False),
        ({"time": "2026-03-01 10:00:00Z"}, {"time": "TIMESTAMPTZ"}, False),
        ({"x": 1}, {"x": "DECIMAL(4,1)"}, False),
        ({"time": "2026-03-01T10:00:00"}, {"time": "VARCHAR"}, False),
        ({"seq": 1.5}, {"seq": "DOUBLE"}, False),
    ],
)
def test_types_of_parquet(tmp_path, monkeypatch, more, kinds, strictly):
    """What a column's type allows is read as whole columns; all else row by row, and alike in either case."""
    first = {"time": "2026-03-01T09:00:00Z"} if isinstance(more.get("time"), str) else {}
    path = parquet(tmp_path, [START | {"mood": "calm"} | more | first, START | {"event": "hit"} | more], **kinds)
    fast, slow, taken = both_ways(path, "parquet", monkeypatch)
    assert taken == strictly
    assert_same(fast, slow)
    assert fast.refused == slow.refused


@pytest.mark.parametrize(
    ("spoiled", "strictly"),
    [
        ({"mood": 5}, True),
        ({"mood": True}, True),
        ({"mood": 'so "so": null'}, True),
        ({"mood": "caf\u00e9:"}, True),
        ({"mood": {"a": "b"}}, False),
        ({"mood": ["x"]}, False),
        ({"cause": 7}, True),
        ({"cause": None}, True),
        ({"mood": ":", "nowhere else": 5}, True),
        ({"mood": "CODED", "nowhere else": 5}, False),
    ],
)
@pytest.mark.parametrize("coded", [True, False])
def test_texts_are_texts(tmp_path, monkeypatch, spoiled, strictly, coded):
    """A field of texts that is something else in one record is read as that, and no field is lost where marks are coded."""
    monkeypatch.setattr(strict, "_SAMPLE", 20)
    lines = [
        {"session": f"s{n % 9}", "time": n, "event": "death", "level": "Low Arch", "cause": "reeds", "mood": "calm"}
        for n in range(60)
    ]
    lines[40] |= spoiled
    written = "".join(json.dumps(line, ensure_ascii=coded) + "\n" for line in lines)
    written = written.replace('"CODED"', '"\\u003a"')  # a colon less, where the field is one more
    fast, slow, strictly_read = both(tmp_path, written, monkeypatch)
    assert strictly_read == strictly
    assert_same(fast, slow)
