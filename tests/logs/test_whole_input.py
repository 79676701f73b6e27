"""Maps that look at all files as one log, in the order of time; rows whose end and duration are known; totals; limits of queries."""

import json
import random
import sqlite3

import pytest

from thoroughness import some_always

MAP = '[fields]\nplayer = "who"\n[session]\ngap_minutes = 10\n'


def evenings(players=8):
    """Players with three sittings each, an hour apart."""
    rows = []
    for player in range(players):
        for sitting in range(3):
            for n, level in enumerate(("Mill Pond", "Low Arch", "Long Lock")):
                at = 3600 * sitting + 100 * n + player
                rows.append({"who": f"p{player}", "time": at, "event": "start", "level": level})
                rows.append(
                    {
                        "who": f"p{player}",
                        "time": at + 50,
                        "event": "complete" if (player + n + sitting) % 3 else "death",
                        "level": level,
                    }
                )
    return rows


@pytest.mark.parametrize("seed", some_always(range(6)))
def test_gaps_in_any_order(milepost, seed):
    """The same records in whatever order, in one file or several, whole or packed, part into the same sessions."""
    rows = sorted(evenings(), key=lambda row: row["time"])
    milepost.write("map.toml", MAP)
    milepost.write("log.jsonl", rows)
    expected = milepost.json("funnel", "log.jsonl", "--map", "map.toml")
    assert expected["players"] == 8 and expected["sessions"] == 24
    random.Random(seed).shuffle(rows)
    for n in range(3):
        milepost.write(f"logs/{n}.jsonl", rows[n::3])
    shuffled = milepost.json("funnel", "logs", "--map", "map.toml")
    assert (shuffled["levels"], shuffled["sessions"]) == (expected["levels"], 24)
    assert milepost.json("funnel", "logs", "--map", "map.toml", "--jobs", "2") == shuffled
    assert milepost("pack", "logs", "--map", "map.toml", "-o", "log.store").returncode == 0
    assert milepost.json("funnel", "log.store")["levels"] == expected["levels"]
    done = milepost("pack", "log.jsonl", "--map", "map.toml", "--add", "-o", "log.store")
    assert done.returncode == 2 and "look at all files at once" in done.stderr


def test_a_select_sees_all_files(milepost):
    """A query over several files sees one log, in the order given."""
    rows = evenings(4)
    for n in range(2):
        milepost.write(f"{n}.jsonl", [{"n": k, **row} for k, row in enumerate(rows)][n * 12 : (n + 1) * 12])
    query = "SELECT (SELECT count(*) FROM log) AS total, row_number() OVER (ORDER BY n) AS place, who AS session, * FROM log"
    milepost.write("map.toml", f'[input]\nselect = "{query}"\n')
    document = milepost.json("check", "0.jsonl", "1.jsonl", "--map", "map.toml")
    assert document["records"] == 24
    done = milepost("trace", "0.jsonl", "1.jsonl", "--map", "map.toml", "--format", "json", "--where", "total=24")
    assert done.returncode == 0, done.stderr


@pytest.mark.parametrize("begins", [0, 1_772_000_000])
def test_an_end_and_a_duration(milepost, begins):
    """Rows with an end and a duration begin where these say; with an end alone, where the one before ended."""
    lines = ["who,level,ended,took,result"]
    lines += [
        f"p{n},Mill Pond,{begins + 100 * k + 30},{20 + n},{'complete' if k == 2 else 'death'}" for n in range(6) for k in range(3)
    ]
    milepost.write("log.csv", "\n".join(lines) + "\n")
    rows = '[fields]\nplayer = "who"\n[rows]\neach = "attempt"\nended = "ended"\nresult = "result"\n'
    milepost.write("map.toml", rows + 'lasted = "took"\n')
    (row,) = milepost.json("times", "log.csv", "--map", "map.toml")["levels"]
    assert row["run_p50"] == 22.5 and row["p50"] == 66
    milepost.write("map.toml", rows)
    (row,) = milepost.json("times", "log.csv", "--map", "map.toml")["levels"]
    assert row["run_p50"] == 100 and row["untimed"] == 6


def test_totals_are_nobody(milepost):
    """A row and a column of totals are no player and no level."""
    milepost.write(
        "log.csv", "player,Level 1 tries,Level 2 tries,Total tries\nAda,1,2,3\nBo,2,4,6\nTotal,3,6,9\nDurchschnitt:,1,3,4\n"
    )
    milepost.write("map.toml", '[fields]\nplayer = "player"\n[rows]\neach = "player"\ntries = "* tries"\n')
    document = milepost.json("check", "log.csv", "--map", "map.toml")
    assert document["players"] == 2 and document["findings"]["unreadable_record"] == 2 and document["levels_seen"] == 2
    assert all(row["session_share"] <= 1 for row in document["details"])


@pytest.mark.parametrize(
    "query",
    [
        "VACUUM INTO 'out.db'",
        "ATTACH 'out.db' AS other",
        "CREATE TABLE t (a)",
        "PRAGMA journal_mode = DELETE",
        "SELECT load_extension('evil')",
        "DELETE FROM log",
    ],
)
def test_a_query_only_reads(milepost, query):
    """A query of SQLite's own can neither write nor reach another file."""
    with sqlite3.connect(milepost.folder / "log.sqlite") as base:
        base.execute("CREATE TABLE log (session, time, event, level)")
        base.execute("INSERT INTO log VALUES ('a', 1, 'start', 'Mill Pond')")
    base.close()
    before = (milepost.folder / "log.sqlite").read_bytes()
    milepost.write("map.toml", f"[input]\nquery = {json.dumps(query)}\n")
    done = milepost("funnel", "log.sqlite", "--map", "map.toml")
    assert done.returncode == 2 and len(done.stderr.splitlines()) == 1 and "Traceback" not in done.stderr
    assert (milepost.folder / "log.sqlite").read_bytes() == before and not (milepost.folder / "out.db").exists()


ENDLESS = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT 'a' AS session, count(*) AS time, 'start' AS event FROM n"


@pytest.mark.parametrize("key", ["query", "select"])
def test_a_query_without_an_end_is_stopped(milepost, key):
    """A time limit stops a query that never ends."""
    with sqlite3.connect(milepost.folder / "log.sqlite") as base:
        base.execute("CREATE TABLE log (session, time, event, level)")
        base.execute("INSERT INTO log VALUES ('a', 1, 'session_start', 'Mill Pond')")
    base.close()
    milepost.write("map.toml", f"[input]\n{key} = {json.dumps(ENDLESS)}\nquery_seconds = 0.3\n")
    done = milepost("funnel", "log.sqlite", "--map", "map.toml")
    assert done.returncode == 2 and "stopped after 0.3 s" in done.stderr, done.stderr
    milepost.write("map.toml", "[input]\nquery_seconds = 0\n")
    assert "input.query_seconds must be" in milepost("funnel", "log.sqlite", "--map", "map.toml").stderr
