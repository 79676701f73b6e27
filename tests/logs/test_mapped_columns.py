"""Foreign logs by whole columns: the same records, words and counts as line by line, for whatever a map says."""

import csv
import io
import json
import random
import sys
from pathlib import Path

import pytest

from milepost.logs.columnar.chunks import chunk_stage
from milepost.logs.mapping.logmap import NO_MAP, read_map
from milepost.logs.read import read
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import RecordSink
from random_logs import random_log, with_odd_players
from thoroughness import some_always

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
import fuzz

THEIRS = {
    "session": "sid",
    "time": "ts_ms",
    "event": "type",
    "level": "stage",
    "to": "next_stage",
    "player": "who",
    "cause": "why",
    "progress": "done",
    "x": "pos_x",
    "seq": "n",
    "build": "ver:sion",
}
WORDS = {"start": "begin_level", "complete": "won", "death": "died", "reset": "again!", "session_end": "bye"}
MORE = {
    "a default": ('cause = { from = "why", default = "not said" }', "", ""),
    "a constant": ('platform = { value = "barge" }', "", ""),
    "a number as a name": ('lane = { from = "lane", format = "lane {n:02d}" }', "", ""),
    "another use of a column": ('crew = "who"', "", ""),
    "nothing of a name": ('build = "nowhere"', "", ""),
    "more words": ("", 'won = { event = "complete", cause = "by hand", mood = "glad" }', ""),
    "what goes by another column": (
        "",
        'died = [{ event = "reset", when = { lane = 3 } }, { event = "death", when = { lane = [1, "2"], mood = ["calm", 2.5] } }]',
        "",
    ),
    "by a column that is nowhere": ("", 'died = [{ event = "reset", when = { nowhere = true } }, { event = "death" }]', ""),
    "a zone": ("", "", 'zone = "Europe/Oslo"'),
    "joined": ('crew = { from = ["who", "inner.boat", "lane"], join = " + ", default = "alone" }', "", ""),
    "what stands in for nothing in an object": ('crew = { from = "inner.boat", default = "none", format = "boat {n}" }', "", ""),
    "paths": ('crew = "inner.boat.name"\nx = "inner.x"', 'died = [{ event = "reset", when = { "inner.boat" = 2 } }]', ""),
    "a path to the time": ('time = "inner.ts"', "", ""),
    "a time format": ("", "", 'format = "%H:%M"\nzone = "UTC"'),
}
COLUMNWISE = [
    name
    for name in MORE
    if name not in ("joined", "a time format", "paths", "a path to the time", "what stands in for nothing in an object")
]


def map_text(rng, more):
    fields, words, times = (list(lines) for lines in zip(*(MORE[name] for name in more), strict=True)) if more else ([], [], [])
    said = {line.partition(" = ")[0] for part in (*fields, *words) for line in part.splitlines()}
    mapped = [f'{ours} = "{theirs}"' for ours, theirs in THEIRS.items() if ours not in said]
    mapped_words = [f'"{theirs}" = "{ours}"' for ours, theirs in WORDS.items() if theirs not in said]
    unit = 'unit = "ms"\n' if rng.random() < 0.7 else ""
    return "\n".join(["[fields]", *mapped, *fields, "[events]", *mapped_words, *words, "[time]", unit, *times])


def foreign(line, rng, deep=False):
    """A record as another logger would have it."""
    if not isinstance(line, dict):
        return line
    record = {THEIRS.get(name, name): value for name, value in line.items()}
    record["type"] = WORDS.get(record.get("type"), record.get("type")) if isinstance(record.get("type"), str) else None
    record |= {"lane": rng.choice([1, 2, 3, "2", "x", None, True]), "mood": rng.choice(["calm", "", "wild", 1.5])}
    record |= {"stuff": rng.choice([[1], {"a": None}])} if rng.random() < 0.01 else {}
    record |= {"done": {"deep": 1}} if rng.random() < 0.005 else {}
    if deep:
        boat = rng.choice(["Heron", 2, {"name": "Otter"}, None, ""])
        record["inner"] = {"boat": boat, "x": rng.choice([1.5, -2, None, "3"]), "ts": record.get("ts_ms")}
    needed = ("sid", "ts_ms", "type", "stage")
    return json.dumps({name: value for name, value in record.items() if name in needed or rng.random() < 0.9})


def clean(line):
    return isinstance(line, dict) and type(line.get("progress", 0)) in (int, float) and 0 <= line.get("progress", 0) <= 1


@pytest.mark.parametrize("more", some_always(["", *MORE], 2))
def test_as_line_by_line(tmp_path, more):
    """Random logs under random names, with most of what a map may say."""
    by_columns = 0
    for seed in range(8 if more else 15):
        rng = random.Random(f"{seed} {more}")
        (tmp_path / "map.toml").write_text(map_text(rng, [more] if more else []))
        lines = [line for line in with_odd_players(random_log(seed), seed) if seed % 4 == 0 or clean(line)]
        text = "".join(f"{foreign(line, rng, more not in ['', *COLUMNWISE])}\n" for line in lines)
        differ, taken = fuzz.readers_differ(text.encode(), tmp_path, log_map=read_map(tmp_path / "map.toml"))
        assert not differ, (seed, text)
        by_columns += taken
    assert by_columns if more in ["", *COLUMNWISE] else not by_columns


def as_table(records, rng):
    """Records as a table of cells, some of them odd."""
    names = list(dict.fromkeys(name for record in records for name in record))
    lines = [names]
    for record in records:
        odd = {"ts_ms": ["", "1e3", " 12 ", "soon"], "done": ["0,5", "2", "'=1"], "n": ["3.0", "x", ""], "stage": ["", "'+"]}
        cells = {name: "" if value is None else str(value) for name, value in record.items()}
        cells |= {name: rng.choice(values) for name, values in odd.items() if rng.random() < 0.02}
        lines.append([cells.get(name, "") for name in names])
    text = io.StringIO()
    csv.writer(text, delimiter=rng.choice([",", ";", "\t"])).writerows(lines)
    return text.getvalue()


@pytest.mark.parametrize("more", some_always(["", *MORE], 2))
def test_tables_as_row_by_row(tmp_path, more):
    """The same of tables, whose cells know no types, with and without a map."""
    for seed in range(8 if more else 15):
        rng = random.Random(f"{seed} {more}")
        (tmp_path / "map.toml").write_text(map_text(rng, [more] if more else []))
        foreign_too = [
            json.loads(foreign(line, rng)) for line in with_odd_players(random_log(seed), seed) if isinstance(line, dict)
        ]
        ours = [line for line in with_odd_players(random_log(seed), seed) if isinstance(line, dict)]
        for records, log_map in ((foreign_too, read_map(tmp_path / "map.toml")), (ours, NO_MAP)):
            data = (as_table(records, rng) + rng.choice(["", "a,b\n", "\n\n"])).encode()
            assert not fuzz.readers_differ(data, tmp_path, "csv", log_map)[0], (seed, data)


def test_a_broken_line_among_good_ones(tmp_path):
    """It is refused; a line that the map may say more of has the file read line by line."""
    rng = random.Random(1)
    (tmp_path / "map.toml").write_text(map_text(rng, []))
    good = '{"sid": "s", "ts_ms": 1000, "type": "begin_level", "stage": "Mill Pond"}\n' * 4
    for broken, whole in (('{"sid": "s", "ts_', True), ("{}", False), ('{"sid": "s", "type": "won", "stage": "A"}', False)):
        differ, taken = fuzz.readers_differ(
            (good + broken + "\n" + good).encode(), tmp_path, log_map=read_map(tmp_path / "map.toml")
        )
        assert not differ and taken == whole


def test_large_foreign_logs_in_pieces(milepost, tmp_path):
    """Held in memory piece by piece, and packed: the same figures."""
    rng = random.Random(2)
    milepost.write("map.toml", map_text(rng, []))
    lines = [
        foreign(line, rng)
        for seed in range(40)
        for line in with_odd_players(random_log(seed), seed, together=False)
        if clean(line)
    ]
    milepost.write("log.jsonl", "\n".join(line for line in lines if '"sid"' in line and "ts_ms" in line) + "\n")
    words = ("--map", "map.toml")
    whole = milepost.json("funnel", "log.jsonl", *words)
    assert milepost.json("funnel", "log.jsonl", *words, "--jobs", "2") == whole
    assert milepost("pack", "log.jsonl", *words, "-o", "log.store").returncode == 0
    assert milepost.json("funnel", "log.store") == whole


@pytest.mark.parametrize("more", ["joined", "paths", "a path to the time", "a time format"])
def test_not_one_by_one(tmp_path, monkeypatch, more):
    """What lies in objects, or is made of several columns, is no reason to take each record by itself."""
    rng = random.Random(3)
    (tmp_path / "map.toml").write_text(map_text(rng, [more]))
    time = {"a time format": "10:00"}.get(more, 7)
    record = {"sid": "s", "ts_ms": time, "type": "begin_level", "stage": "Weir", "who": "Ada", "lane": "1", "inner": {"ts": 5}}
    (tmp_path / "log.jsonl").write_text(f"{json.dumps(record)}\n" * 300)
    monkeypatch.setattr(RecordSink, "add", lambda *given: pytest.fail("one by one"))
    assert len(read([str(tmp_path / "log.jsonl")], read_map(tmp_path / "map.toml")).records) == 300


def test_ever_new_columns(tmp_path):
    """Records that each have columns of their own are taken one by one."""
    lines = [json.dumps({"session": "s", "time": n, "event": "hit", f"mood {n}": "calm"}) for n in range(600)]
    assert fuzz.readers_differ("\n".join(lines).encode(), tmp_path) == (False, True)


def test_little_is_kept_waiting(tmp_path):
    """Millions of lines that are no records, and records of any size, take little memory."""
    builder = RecordBuilder()
    sink = chunk_stage(RecordSink(builder, 0, None, cells=False), NO_MAP)
    for line in range(1, 100_000):
        sink.refuse(line, "not JSON")
    assert len(sink._taken) < 20_000 and builder.refusals.count >= 80_000
    for line in range(2000):
        sink.add({"session": "s", "time": line, "event": "hit", "mood": "x" * 200_000}, line)
    assert len(sink._taken) < 500
