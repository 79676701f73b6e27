"""Tables by whole columns give what they give row by row, or nothing."""

import csv
import io
import random
import sys
from pathlib import Path

import pytest

from logs_alike import clean, read_both_ways
from milepost.logs.mapping.logmap import read_map
from random_logs import random_log, with_odd_players

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
import fuzz

HEAD = ["session", "time", "event", "level", "x", "mood"]
ROW = ["s", "1.5", "start", "Mill Pond", "3", "calm"]
MAP = """[fields]
session = "sid"
time = "ts"
event = "type"
level = "stage"
lane = {{ from = "lane", format = "lane {{n:02d}}" }}
[time]
unit = "ms"
[events]
begin = "start"
died = [{{ event = "reset", when = {{ lane = 3 }} }}, "death"]
"""


def written(folder, rows, end="\r\n", **how):
    """A CSV file of rows."""
    out = io.StringIO()
    csv.writer(out, lineterminator=end, **how).writerows(rows)
    (folder / "log.csv").write_bytes(out.getvalue().encode())
    return folder / "log.csv"


@pytest.mark.parametrize("seed", range(8))
def test_random_logs(tmp_path, monkeypatch, seed):
    """Whatever the marks between cells and lines, and whether all cells are quoted."""
    rng = random.Random(seed)
    records = [one for one in with_odd_players(random_log(seed), seed, together=False) if isinstance(one, dict) and clean(one)]
    names = list(dict.fromkeys(name for record in records for name in record))
    rng.shuffle(names)
    how = {
        "delimiter": rng.choice(",;\t|"),
        "quoting": rng.choice([csv.QUOTE_MINIMAL, csv.QUOTE_ALL]),
        "end": rng.choice(["\n", "\r\n"]),
    }
    rows = [[record.get(name) for name in names] for record in records]
    read_both_ways(written(tmp_path, [names, *rows], **how), monkeypatch)


GOOD = {
    "a quote in a cell": ["s", "2", "hit", 'the "Weir" House', "", "so, so"],
    "an apostrophe before a formula": ["s", "2", "hit", "Mill Pond", "", "'=1+1"],
    "an apostrophe of its own": ["s", "2", "hit", "Miller's", "", "'t is"],
    "a number with blanks": ["s", " 2 ", "hit", "Mill Pond", "+.5e1", ""],
    "other letters": ["s", "2", "hit", "Élan 渡し", "", ""],
    "no time": ["s", "", "hit", "Mill Pond", "", ""],
    "a start without a level": ["t", "2", "start", "", "", "odd"],
    "no session": ["", "2", "hit", "Mill Pond", "", ""],
    "a time that is none": ["s", "soon", "hit", "Mill Pond", "", "wild"],
    "only empty cells": [""] * 6,
    "a whole number in a text": ["7", "2", "hit", "12", "", "007"],
}
ODD = {
    "a number that is none": ["s", "2", "hit", "Mill Pond", "far", ""],
    "a line break in a cell": ["s", "2", "hit", "Mill Pond", "", "two\nlines"],
    "fewer cells": ["s", "2", "hit", "Mill Pond"],
    "more cells": ["s", "2", "hit", "Mill Pond", "", "", "more"],
    "more cells with nothing in them": ["s", "2", "hit", "Mill Pond", "", "", ""],
    "no cell": [],
    "a stamp among numbers": ["s", "2026-03-06T19:00:00Z", "hit", "Mill Pond", "", ""],
    "too large a number": ["s", "2", "hit", "Mill Pond", "1e999", ""],
}


@pytest.mark.parametrize("row", [*GOOD, *ODD])
def test_rows(tmp_path, monkeypatch, row):
    """A row that is no record costs itself; anything else out of the ordinary, and all are read one by one."""
    rows = [HEAD, ROW, ROW, GOOD.get(row) or ODD[row], ROW, ROW]
    _, strictly = read_both_ways(written(tmp_path, rows), monkeypatch)
    assert strictly == (row in GOOD)


@pytest.mark.parametrize(
    "text",
    [
        'session,time,event,level\ns,1,start,"Mill" Pond\ns,2,hit,a\n',
        'session,time,event,level\ns,1,start,Mill "Pond"\ns,2,hit,a\n',
        'session,time,event,level\ns,1,start, "Mill, Pond\ns,2,hit,a\n',
        'session,time,event,level\ns,1,start,"Mill Pond\ns,2,hit,a\n',
        "session,time,event,level\ns,1,start,a\r\ns,2,hit,a\n",
        "session,time,event,level\ns,1,start,a\rs,2,hit,a\n",
        "session,time,event,level\n\ns,1,start,a\ns,2,hit,a\n",
    ],
)
def test_marks_out_of_place(tmp_path, monkeypatch, text):
    """Quotes within cells and other line ends than the first: as Python's reader has it."""
    (tmp_path / "log.csv").write_bytes(text.encode())
    assert not read_both_ways(tmp_path / "log.csv", monkeypatch)[1]


@pytest.mark.parametrize("begin", ["\ufeff", "\n", "Played on Friday\n\n", "# by the collector,,\n"])
def test_what_stands_before_the_names(tmp_path, monkeypatch, begin):
    """A mark of the encoding, blank lines, a title: rows have the numbers of their lines."""
    text = begin + "session,time,event,level,mood\ns,1,start,a,calm\ns,2,complete,a,calm\n"
    (tmp_path / "log.csv").write_text(text, encoding="utf-8")
    log, _ = read_both_ways(tmp_path / "log.csv", monkeypatch)
    assert log.records.line.tolist() == [begin.count("\n") + 2, begin.count("\n") + 3]


def test_columns_without_a_name(tmp_path, monkeypatch):
    """As spreadsheets leave them beside a table: nothing in them counts."""
    rows = [[*HEAD, "", ""], [*ROW, "", "a remark"], [*ROW, "", ""]]
    log, strictly = read_both_ways(written(tmp_path, rows), monkeypatch)
    assert strictly and len(log.records) == 2 and list(log.tags) == ["mood"]


def test_stamps_and_what_was_written_twice(tmp_path, monkeypatch):
    """Times as stamps; equal rows are equal, and cells that are written otherwise are not."""
    stamp = "2026-03-06T19:00:0{}Z"
    rows = [[ROW[0], stamp.format(n // 2), *ROW[2:4], x, "calm"] for n, x in enumerate(["1", "1", "1", "1.0", "", ""])]
    log, strictly = read_both_ways(written(tmp_path, [HEAD, *rows]), monkeypatch)
    alike = log.records.likeness
    assert strictly and alike[0] == alike[1] and alike[2] != alike[3] and alike[4] == alike[5]


@pytest.mark.parametrize("quoting", [csv.QUOTE_MINIMAL, csv.QUOTE_ALL])
def test_with_a_map(tmp_path, monkeypatch, quoting):
    """Columns by other names, another unit, words that go by another column, numbers as names."""
    (tmp_path / "map.toml").write_text(MAP.format())
    random_rows = random.Random(1)
    words, lanes, stages = ("begin", "died", "other"), ("3", "4", "", "x"), ("Low Arch", "Mill Pond")
    rows = [
        [f"p{n % 7}", str(n * 1500), random_rows.choice(words), random_rows.choice(stages), random_rows.choice(lanes)]
        for n in range(300)
    ]
    path = written(tmp_path, [["sid", "ts", "type", "stage", "lane"], *rows], quoting=quoting)
    log, strictly = read_both_ways(path, monkeypatch, read_map(tmp_path / "map.toml"))
    assert strictly and log.map_use and log.map_use["missing_column"] == []


def test_mutated_tables(tmp_path):
    """Random tables, changed at random: by whole columns, in chunks and row by row they say the same."""
    taken = 0
    for seed in range(30):
        rng = random.Random(seed)
        records = [one for one in with_odd_players(random_log(seed), seed, together=False) if isinstance(one, dict)][:40]
        names = list(dict.fromkeys(name for record in records for name in record)) or HEAD
        rows = [[record.get(name) for name in names] for record in records]
        data = written(tmp_path, [names, *rows], quoting=rng.choice([csv.QUOTE_MINIMAL, csv.QUOTE_ALL])).read_bytes()
        if seed % 3:
            place = rng.randrange(len(data))
            data = data[:place] + rng.choice([b'"', b"\n", b"'=", b"\0", b",", b"\xff"]) + data[place:]
        differ, strictly = fuzz.readers_differ(data, tmp_path, "csv")
        assert not differ, data
        taken += strictly
    assert taken > 5


def test_a_line_break_in_a_number(tmp_path, monkeypatch):
    """In a chunk of numbers that are written alike, it is none."""
    rows = [
        ["s", "1", "start", "Mill Pond", "3\n4", "calm"],
        *[["s", str(n), "hit", "Mill Pond", str(n), ""] for n in range(2, 90)],
    ]
    log, _ = read_both_ways(written(tmp_path, [HEAD, *rows]), monkeypatch)
    assert len(log.records) == 89 and log.records.x[1] == 2


@pytest.mark.thorough
def test_from_the_command_line(milepost, small_log):
    """A large table, plain and packed, says what its records say as JSON Lines."""
    records = [{**one, "session": f"{one['session']}{n}", "player": f"p{n}"} for n in range(4000) for one in small_log]
    milepost.write("log.jsonl", records)
    assert milepost("convert", "log.jsonl", "-o", "log.csv").returncode == 0
    assert (milepost.folder / "log.csv").stat().st_size > 1 << 20
    plain, table = (milepost.json("funnel", name) for name in ("log.jsonl", "log.csv"))
    assert plain["levels"] == table["levels"] and plain["findings"] == table["findings"]
