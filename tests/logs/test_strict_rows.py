"""Tables of SQLite, sheets of workbooks and Parquet files by whole columns give what they give row by row, or nothing."""

import random
import sqlite3
from datetime import datetime, timedelta

import duckdb
import openpyxl
import pandas as pd
import pytest

from logs_alike import clean, read_both_ways
from milepost.logs.columnar.column_builders import quoted
from milepost.logs.formats import database as formats
from milepost.logs.mapping.logmap import read_map
from random_logs import random_log, with_odd_players

NAMES = ["session", "time", "event", "level", "x", "mood", "seq"]
ROW = ["s", 1.5, "start", "Mill Pond", 3, "calm", 1]
MAP = """[fields]
session = "sid"
time = "ts"
event = "type"
level = "stage"
lane = { from = "lane", format = "lane {n:02d}" }
[time]
unit = "ms"
[events]
begin = "start"
died = [{ event = "reset", when = { lane = 3 } }, "death"]
"""


def database(folder, names, rows):
    """A table without types, as SQLite keeps whatever it is given."""
    (folder / "log.sqlite").unlink(missing_ok=True)
    with sqlite3.connect(folder / "log.sqlite") as base:
        base.execute("CREATE TABLE log ({})".format(", ".join(map(quoted, names))))
        base.executemany(f"INSERT INTO log VALUES ({', '.join('?' * len(names))})", rows)
    base.close()
    return folder / "log.sqlite"


def workbook(folder, names, rows):
    book = openpyxl.Workbook()
    for row in [names, *rows]:
        book.active.append(row)
    book.save(folder / "log.xlsx")
    return folder / "log.xlsx"


def parquet(folder, names, rows):
    frame = pd.DataFrame(rows, columns=names)
    with duckdb.connect() as base:
        base.from_df(frame).write_parquet(str(folder / "log.parquet"))
    return folder / "log.parquet"


@pytest.mark.parametrize("written", [database, workbook])
def test_random_logs(tmp_path, monkeypatch, written):
    """Most of them by whole columns."""
    taken = 0
    for seed in range(14):
        lines = with_odd_players(random_log(seed), seed, together=False)
        records = [one for one in lines if isinstance(one, dict) and clean(one)]
        names = list(dict.fromkeys(name for record in records for name in record))
        random.Random(seed).shuffle(names)
        rows = [[record.get(name) for name in names] for record in records]
        rows = [[cell if cell is None or type(cell) in (int, float, str) else str(cell) for cell in row] for row in rows]
        taken += read_both_ways(written(tmp_path, names, rows), monkeypatch)[1]
    assert taken > 4


GOOD = {
    "nothing": ["s", 2, "hit", None, None, None, None],
    "whole and not": ["s", 2.25, "hit", "Mill Pond", 0.5, "", 7],
    "other letters": ["s", -3, "hit", "Élan 渡し", 1 << 40, "so: so", None],
}
ODD = {
    "a number among texts": ["s", 2, "hit", 12, 1, "calm", 2],
    "a text among numbers": ["s", 2, "hit", "Mill Pond", "3", "calm", 2],
    "a time that is none": ["s", "soon", "hit", "Mill Pond", 1, "calm", 2],
    "no session": [None, 2, "hit", "Mill Pond", 1, "calm", 2],
    "no event": ["s", 2, None, "Mill Pond", 1, "calm", 2],
    "a start without a level": ["s", 2, "start", None, 1, "calm", 2],
    "a place too far to tell": ["s", 2, "hit", "Mill Pond", 1, "calm", (1 << 60) + 1],
    "a place between two": ["s", 2, "hit", "Mill Pond", 1, "calm", 2.5],
}


@pytest.mark.parametrize("written", [database, workbook])
@pytest.mark.parametrize("row", [*GOOD, *ODD])
def test_rows(tmp_path, monkeypatch, written, row):
    """A row that is out of the ordinary, and all are read one by one."""
    rows = [ROW, ROW, GOOD.get(row) or ODD[row], ROW]
    assert read_both_ways(written(tmp_path, NAMES, rows), monkeypatch)[1] == (row in GOOD)


@pytest.mark.parametrize("cell", [b"\xff\xfe", b"calm", "\x00"])
def test_bytes_in_a_database(tmp_path, monkeypatch, cell):
    """Bytes are no text of one type, but for a mark that a text may have."""
    _, strictly = read_both_ways(database(tmp_path, NAMES, [ROW, ["s", 2, "hit", "Mill Pond", 1, cell, 2]]), monkeypatch)
    assert strictly == isinstance(cell, str)


def test_a_text_that_is_none(tmp_path, monkeypatch):
    """Bytes that a database takes for a text."""
    path = database(tmp_path, NAMES, [ROW])
    with sqlite3.connect(path) as base:
        base.execute("INSERT INTO log VALUES ('s', 2, 'hit', CAST(x'4dff' AS TEXT), 1, 'calm', 2)")
    base.close()
    assert not read_both_ways(path, monkeypatch)[1]


def test_sheets_of_dates_and_blank_rows(tmp_path, monkeypatch):
    """Dates and durations are texts and seconds; below a title; a blank row between, and rows are read one by one."""
    when, lasted = datetime(2026, 3, 6, 19, 0, 5), timedelta(seconds=90)
    names, rows = ["session", "time", "event", "level", "when", "lasted"], [["s", 1, "hit", "Mill Pond", when, lasted]] * 3
    log, strictly = read_both_ways(workbook(tmp_path, ["An evening"], [names, *rows]), monkeypatch)
    assert strictly and log.records.line.tolist() == [3, 4, 5] and log.tags["when"] == ["2026-03-06T19:00:05"]
    assert not read_both_ways(workbook(tmp_path, names, [rows[0], [None] * 6, rows[1]]), monkeypatch)[1]


@pytest.mark.parametrize("written", [database, workbook, parquet])
def test_log_maps(tmp_path, monkeypatch, written):
    """A map is applied to distinct values, whatever their type."""
    (tmp_path / "map.toml").write_text(MAP)
    rng = random.Random(5)
    rows = [
        [
            f"s{n // 20}",
            500 * n,
            rng.choice(["begin", "died", "won"]),
            rng.choice(["a", "b"]),
            rng.choice([3, 4, 11]),
            rng.random() < 0.5,
        ]
        for n in range(300)
    ]
    rows = [[*row[:5], float(row[5])] for row in rows]
    path = written(tmp_path, ["sid", "ts", "type", "stage", "lane", "wet"], rows)
    log, strictly = read_both_ways(path, monkeypatch, read_map(tmp_path / "map.toml"))
    assert strictly and set(log.tags["lane"]) == {"lane 03", "lane 04", "lane 11"}


def test_a_query(milepost):
    """What a query selects is read by columns too, and what is wrong with it is said once."""
    path = database(milepost.folder, NAMES, [ROW, ["s", 9, "complete", "Mill Pond", 1, "calm", 2]] * 20_000)
    assert path.stat().st_size > 1 << 20
    select = "[input]\nquery = \"SELECT 'q' || seq AS session, time, event, level FROM log WHERE {}\"\n"
    milepost.write("map.toml", select.format("x < 9"))
    document = milepost.json("check", path, "--map", "map.toml")
    assert document["sessions"] == 2 and document["records"] == 40_000
    milepost.write("map.toml", select.format("y < 9"))
    done = milepost("check", path, "--map", "map.toml")
    assert done.returncode == 2 and done.stderr.count("no such column: y") == 1


def test_a_query_without_an_end(milepost, monkeypatch):
    """It is stopped once, after so many seconds, and not begun anew row by row."""
    path = database(milepost.folder, NAMES, [ROW, ["s", 9, "complete", "Mill Pond", 1, "calm", 2]] * 20_000)
    query = (
        "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT 's' AS session, i AS time, 'hit' AS event FROM n"
    )
    milepost.write("map.toml", f'[input]\nquery = "{query}"\nquery_seconds = 1\n')
    begun, watched = [], formats.stop_after
    monkeypatch.setattr(formats, "stop_after", lambda *given: begun.append(given) or watched(*given))
    done = milepost("check", path, "--map", "map.toml")
    assert done.returncode == 2 and "stopped after 1 s" in done.stderr and len(begun) == 1


@pytest.mark.parametrize("written", [database, workbook])
def test_columns_that_hold_nothing(tmp_path, monkeypatch, written):
    """Of texts, of numbers and of none: as if they were not there, and a map that names one is told so."""
    rows = [["s", 1.5 * n, "hit", "Mill Pond", None, None, None] for n in range(20)]
    log, strictly = read_both_ways(written(tmp_path, NAMES, rows), monkeypatch)
    assert strictly and not log.tags and "x" not in log.tags
    (tmp_path / "map.toml").write_text('[fields]\nlane = "mood"\nx = "x"\n')
    log, strictly = read_both_ways(written(tmp_path, NAMES, rows), monkeypatch, read_map(tmp_path / "map.toml"))
    assert strictly and {one["column"] for one in log.map_use["missing_column"]} == {"mood", "x"}
