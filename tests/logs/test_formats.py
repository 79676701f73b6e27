"""The same log in every format, and through a map of foreign names and frames, gives the same figures."""

import csv
import gzip
import json
import sqlite3

import duckdb
import pytest

from random_logs import on_own_clocks
from thoroughness import some_always

COURSE = ("--course", "wickwater/course.toml")
COMMANDS = ("funnel", "attempts", "times", "spikes", "check")
PLACED = ("details", "suspects", "promises")  # where a finding stands differs from file to file


def records(program):
    """The demo's records that are JSON, on the sessions' own clocks."""
    lines = []
    for name in ("evening-1", "evening-2"):
        lines += (program.folder / f"wickwater/logs/{name}.jsonl").read_text(encoding="utf-8").splitlines()
    return on_own_clocks([json.loads(line) for line in lines if line.endswith("}")])


def figures(program, log, *more):
    """Every command's document, without places."""
    result = {}
    for command in COMMANDS:
        document = program.json(command, log, *COURSE, *more)
        found = [{k: v for k, v in row.items() if k not in ("places", "at")} for kind in PLACED for row in document.get(kind, [])]
        result[command] = {k: v for k, v in document.items() if k not in {"files", *PLACED}} | {"found": found}
    return result


@pytest.fixture(scope="module")
def expected(wickwater):
    """The figures of the demo's records as JSON Lines."""
    wickwater.write("plain.jsonl", records(wickwater))
    return figures(wickwater, "plain.jsonl")


@pytest.mark.parametrize("name", some_always(["out.xes", "out.jsonl", "out.csv", "out.parquet", "out.jsonl.gz"], 2))
def test_converted_log(wickwater, expected, name):
    """A converted log gives the same figures, from every format."""
    done = wickwater("convert", "plain.jsonl", "--output", name, "--to", name.split(".")[1])
    assert done.returncode == 0, done.stderr
    if name.endswith(".gz"):
        path = wickwater.folder / name
        path.write_bytes(gzip.compress(path.read_bytes()))
    assert figures(wickwater, name) == expected


def as_tsv(program):
    rows = records(program)
    names = list(dict.fromkeys(name for row in rows for name in row))
    with (program.folder / "log.tsv").open("w", encoding="utf-8-sig", newline="") as stream:
        writer = csv.DictWriter(stream, names, delimiter="\t", lineterminator="\r\n")
        writer.writeheader()
        writer.writerows(rows)
    return "log.tsv"


def as_array(program):
    return program.write("array.json", json.dumps(records(program), indent=1))


def as_sqlite(program):
    rows = records(program)
    names = list(dict.fromkeys(name for row in rows for name in row))
    (program.folder / "log.sqlite").unlink(missing_ok=True)
    with sqlite3.connect(program.folder / "log.sqlite") as base:
        quoted = ", ".join('"' + name + '"' for name in names)
        base.execute(f"CREATE TABLE records ({quoted})")
        base.execute("CREATE TABLE other (n)")
        marks = ", ".join("?" * len(names))
        base.executemany(f"INSERT INTO records VALUES ({marks})", [[row.get(name) for name in names] for row in rows])
    base.close()
    return "log.sqlite::records"


def as_cloud_events(program):
    envelopes = [
        {
            "specversion": "1.0",
            "type": f"example.wickwater.{row['event']}",
            "source": "/ferry",
            "id": str(number),
            "subject": row["session"],
            "data": {k: v for k, v in row.items() if k not in ("session", "event")} | {"id": None},
        }
        for number, row in enumerate(records(program))
    ]
    for envelope in envelopes:
        if envelope["type"].endswith("lantern_flicker"):
            envelope["data"]["event"] = "lantern_flicker"
    return program.write("cloud.jsonl", envelopes)


def as_partitions(program):
    path = program.folder / "parts"
    with duckdb.connect() as base:
        base.execute(
            f"COPY (SELECT * FROM read_json('{program.folder}/plain.jsonl', format='newline_delimited', "
            f"sample_size=-1)) TO '{path}' (FORMAT parquet, PARTITION_BY (session), OVERWRITE)"
        )
    return "parts"


@pytest.mark.parametrize("write", [as_tsv, as_array, as_sqlite])
def test_other_formats(wickwater, expected, write):
    """TSV with a byte order mark and CRLF, a JSON array, a table in a database: the same figures."""
    assert figures(wickwater, write(wickwater)) == expected


def test_cloud_events(wickwater, expected):
    """Events in envelopes are unpacked; their ids tell repeats apart, so only what the ids say is a duplicate."""
    found = wickwater.json("funnel", as_cloud_events(wickwater), *COURSE)
    assert found["sessions"] == expected["funnel"]["sessions"]
    assert [row["reached"] for row in found["levels"]] == [row["reached"] for row in expected["funnel"]["levels"]]


def test_partitioned_parquet(wickwater, expected):
    """A folder of Parquet partitioned by session is one log; only the order of the players' sessions is the folder's."""
    found = wickwater.json("attempts", as_partitions(wickwater), *COURSE)
    assert [row["reached"] for row in found["levels"]] == [row["reached"] for row in expected["attempts"]["levels"]]


def test_foreign_names_and_frames(wickwater, expected):
    """Through a map of foreign names, words, nested fields, level numbers and frames: the same figures."""
    levels = expected["funnel"]["course"]["levels"]
    numbers = {level: number for number, level in enumerate(levels)}
    foreign = []
    for row in records(wickwater):
        row = {k: round(v * 1000) if k == "time" else v for k, v in row.items()}
        word = {"complete": "ended", "death": "ended"}.get(row["event"], f"on_{row['event']}")
        other = {"tick": row.pop("time"), "who": {"run": row.pop("session")}, "verb": word}
        if word == "ended":
            other["won"] = row["event"] == "complete"
        other["place"] = row.pop("level", None)
        foreign.append(other | {k: v for k, v in row.items() if k != "event"})
    wickwater.write("foreign.jsonl", foreign)
    words = "\n".join(
        f'on_{word} = "{word}"'
        for word in (
            "session_start",
            "start",
            "first_input",
            "checkpoint",
            "reset",
            "retry",
            "transition",
            "pause",
            "resume",
            "session_end",
        )
    )
    wickwater.write(
        "map.toml",
        f"""
[fields]
session = "who.run"
time = "tick"
event = "verb"
level = {{ from = "place" }}
[time]
unit = "frames"
rate = 1000
[events]
ended = [{{ event = "complete", when = {{ won = true }} }}, {{ event = "death" }}]
{words}
""",
    )
    assert numbers
    found = figures(wickwater, "foreign.jsonl", "--map", "map.toml")
    for command, document in found.items():
        assert document["levels"] == expected[command]["levels"], command


LOCAL = [
    {"who": "Ada", "day": "01.03.2026", "at": "01.03.2026 10:00:00", "verb": "start", "n": 1},
    {"who": "Ada", "day": "01.03.2026", "at": "01.03.2026 10:00:20", "verb": "complete", "n": 1},
    {"who": "Ada", "day": "01.03.2026", "at": "01.03.2026 12:00:00", "verb": "start", "n": 2},
    {"who": "Bo", "day": "01.03.2026", "at": "01.03.2026 10:00:05", "verb": "start"},
]
LOCAL_MAP = """
[fields]
player = "who"
time = "at"
event = "verb"
level = { from = "n", format = "level-{n:02d}", default = 7 }
cohort = { value = "evening" }
label = { from = ["who", "day"], join = "@" }
[time]
zone = "Europe/Oslo"
format = "%d.%m.%Y %H:%M:%S"
[session]
gap_minutes = 30
"""


def test_local_times_and_sessions_from_gaps(milepost):
    """Local date-times with a zone, level names made of numbers, defaults, and sessions where a log has none."""
    milepost.write("log.jsonl", LOCAL)
    milepost.write("map.toml", LOCAL_MAP)
    document = milepost.json("times", "log.jsonl", "--map", "map.toml")
    assert document["course"]["levels"] == ["level-01", "level-02", "level-07"]
    assert (document["players"], document["sessions"]) == (2, 3)
    assert document["levels"][0]["p50"] == 20.0
    milepost("convert", "log.jsonl", "--map", "map.toml", "--output", "out.jsonl")
    first = json.loads((milepost.folder / "out.jsonl").read_text().splitlines()[0])
    assert first["time"] == "2026-03-01T09:00:00+00:00"
    assert (first["cohort"], first["label"], first["session"]) == ("evening", "Ada@01.03.2026", "Ada#1")


def test_query_and_table_choice(milepost, small_log):
    """A map can hold the query; without it a database with several tables asks which."""
    with sqlite3.connect(milepost.folder / "log.db") as base:
        base.execute("CREATE TABLE a (session, time, event, level)")
        base.execute("CREATE TABLE b (n)")
        base.execute("INSERT INTO a VALUES ('s', '0.5', 'start', 'Mill Pond'), ('s', 9, 'complete', 'Mill Pond')")
    base.close()
    done = milepost("funnel", "log.db")
    assert (done.returncode, done.stdout) == (2, "")
    assert "its tables are: a, b" in done.stderr
    milepost.write("map.toml", "[input]\nquery = \"SELECT * FROM a WHERE event <> 'pause'\"\n")
    assert milepost.json("times", "log.db", "--map", "map.toml")["levels"][0]["p50"] == 8.5


MAP_MISTAKES = {
    "fields.session must be a column": "[fields]\nsession = 5\n",
    "fields.level.format must be": '[fields]\nlevel = { from = "n", format = "{x.__class__}" }\n',
    "time.unit must be one of s, ms, us, ns, min, h, days, frames, not 'fortnights'": '[time]\nunit = "fortnights"\n',
    "time.rate must be": '[time]\nunit = "frames"\n',
    "time.zone must be": '[time]\nzone = "Wickwater/Lock"\n',
    "events.begin must be one of": '[events]\nbegin = "begins"\n',
    "cannot set time": '[events]\nbegin = { event = "start", time = 5 }\n',
    "[feilds] is no part of a log map": '[feilds]\na = "b"\n',
    "replay.windows is no setting": "[replay]\nwindows = 1\n",
    "replay.instant must be seconds": "[replay]\ninstant = true\n",
    "session.gap_minutes must be": "[session]\ngap_minutes = 0\n",
    "input.format must be one of": '[input]\nformat = "xlsx"\n',
}


@pytest.mark.parametrize("message", MAP_MISTAKES)
def test_mistakes_in_a_map(milepost, small_log, message):
    """A mistake in a map is shown with the key, what was found and what would do."""
    milepost.write("log.jsonl", small_log)
    milepost.write("map.toml", MAP_MISTAKES[message])
    done = milepost("funnel", "log.jsonl", "--map", "map.toml")
    assert (done.returncode, done.stdout, len(done.stderr.splitlines())) == (2, "", 1)
    assert message in done.stderr


def test_draft_of_a_map(milepost):
    """A draft names its evidence and what it could not guess, and the log can be read with it."""
    rows = ["run_id;tick;what;stage;user;hp"]
    words = ["stage_begin", "fell", "stage_begin", "stageCleared"]
    rows += [
        f"r{run};{700 * (8 * level + n)};{word};{1 + level};u{run};3"
        for run in range(6)
        for level in range(3)
        for n, word in enumerate(["wobble", *words] if (run, level) == (1, 1) else words)
    ]
    milepost.write("log.csv", "\n".join(rows))
    draft = milepost("map", "log.csv").stdout
    for line in (
        'session = "run_id"',
        'time = "tick"',
        'unit = "frames"',
        '"stageCleared" = "complete"',
        '# "wobble" = "?"  # NOT GUESSED, 1 record',
        "#   hp: in 100 % of records",
    ):
        assert line in draft
    milepost.write("map.toml", draft)
    document = milepost.json("funnel", "log.csv", "--map", "map.toml")
    assert (document["players"], document["levels"][0]["cleared"]) == (6, 6)
    bare = milepost.write("bare.csv", "a,b\n1,2\n")
    done = milepost("map", bare)
    assert done.returncode == 2 and "no way was found to read this log" in done.stderr


@pytest.mark.parametrize("chosen", some_always(["* REPLACE (x::VARCHAR AS x), 7 AS wave", "*", "* REPLACE (x::FLOAT AS x)"]))
def test_large_parquet(wickwater, expected, chosen):
    """Parquet large enough to be read as whole columns, in types that let that be and in one that does not."""
    wickwater("convert", "plain.jsonl", "-o", "whole.parquet")
    columns = duckdb.read_parquet(str(wickwater.folder / "whole.parquet"))
    padding = "md5(concat_ws(',', session, time, event, level)) AS padding"  # alike where records are alike
    columns.project(f"{chosen}, {padding}").write_parquet(str(wickwater.folder / "large.parquet"), compression="uncompressed")
    assert (wickwater.folder / "large.parquet").stat().st_size > 256 << 10
    assert figures(wickwater, "large.parquet") == expected
    if "wave" in chosen:
        assert wickwater.json("funnel", "large.parquet", *COURSE, "--where", "wave=7")["levels"] == expected["funnel"]["levels"]
