"""Hostile and broken input: never a traceback, never a hang, memory bounded, and every record accounted for."""

import gzip
import io
import json
import random
import sqlite3
import subprocess
import sys

import pyarrow
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pyarrow import parquet

from milepost.audit.audit import count_contents
from milepost.errors import LogError, MilePostError
from milepost.logs.columnar.parquet_pieces import read_strict_parquet
from milepost.logs.read import read
from milepost.logs.sources.files import Source
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules
from random_logs import as_text, random_log

START = {"session": "s", "time": 0, "event": "start", "level": "Mill Pond"}
GOOD = json.dumps(START) + "\n"


def outcome(program, *words, **more):
    """What a run came to: its status, or a failure with what it printed."""
    done = program(*words, **more)
    assert "Traceback" not in done.stderr, done.stderr
    assert done.returncode in (0, 2)
    return done


@pytest.mark.skipif(sys.platform != "linux", reason="reads the peak of memory from /proc")
def test_one_huge_line(milepost):
    """A line of 50 MB is refused, with memory bounded, and what follows is read."""
    with (milepost.folder / "log.jsonl").open("w") as stream:
        stream.write(GOOD + '{"session": "' + "x" * 50_000_000 + '"}\n' + GOOD.replace("0", "1", 1))
    code = (
        "import re, sys; from milepost.cli.main import main; status = main(sys.argv[1:]); "
        "print(re.search(r'VmHWM:\\s+(\\d+)', open('/proc/self/status').read())[1], file=sys.stderr); sys.exit(status)"
    )
    words = [sys.executable, "-c", code, "funnel", "log.jsonl", "--input-format", "jsonl", "--format", "json"]
    done = subprocess.run(words, cwd=milepost.folder, capture_output=True, text=True, timeout=120)
    assert json.loads(done.stdout)["findings"]["unreadable_record"] == 1
    assert int(done.stderr) < 220_000  # KiB at the most; newer versions of Python take some 10,000 more by themselves


def test_a_packed_file_that_unpacks_to_too_much(milepost):
    """The limit is stated in the message; a file within it is read."""
    milepost.write("log.jsonl.gz", gzip.compress(GOOD.encode() + b"\n" * 3_000_000))
    done = milepost("funnel", "log.jsonl.gz", "--max-bytes", "1MB")
    assert (done.returncode, done.stdout) == (2, "")
    assert "unpacks to more than 1,048,576 bytes" in done.stderr
    assert milepost("funnel", "log.jsonl.gz").returncode == 0


def test_too_many_levels_to_put_in_order(milepost):
    """A log with a name for every record is told apart from a course; with a course it is read."""
    milepost.write("log.jsonl", [START | {"time": n, "level": f"n{n}"} for n in range(5000)])
    done = milepost("funnel", "log.jsonl")
    assert (done.returncode, len(done.stderr.splitlines())) == (2, 1)
    assert "Is `level` the right field?" in done.stderr
    milepost.write("course.toml", '[[level]]\nname = "n0"\n')
    assert milepost.json("funnel", "log.jsonl", "--course", "course.toml")["findings"]["unknown_level"] == 4999


ODD_LINES = [
    "[" * 100_000,
    '{"a":' * 50_000,
    '{"session": "s", "time": 1e308, "event": "hit"}',
    '{"time": 1e999}',
    "\x00" * 50,
    '{"session": "s", "time": -1e308, "event": "start", "level": "b"}',
    '{"session": "s", "time": NaN, "event": "hit"}',
    '{"session": "s", "time": ' + "9" * 5000 + ', "event": "hit"}',
    '{"session": "\\ud800", "time": 1, "event": "hit"}',
    '{"session": "s", "time": 2, "event": "complete", "level": "Mill Pond", "collected": 1e400}',
    "\ufeff{}",
    '"',
]


def test_odd_lines(milepost):
    """Deep nesting, numbers beyond all measure, lone surrogates: findings, not failures."""
    milepost.write("log.jsonl", GOOD + "\n".join(ODD_LINES) + "\n" + GOOD.replace("0", "1", 1))
    for command in ("funnel", "times", "check"):
        for form in ("json", "table", "csv"):
            assert outcome(milepost, command, "log.jsonl", "--format", form).returncode == 0
    document = milepost.json("check", "log.jsonl")
    assert document["records"] == len(ODD_LINES) + 2 == document["used"] + document["reported"]


XML = '<?xml version="1.0"?>{}<log><trace><string key="concept:name" value="s"/>{}</trace></log>'
EVENT = '<event><string key="concept:name" value="start"/><string key="level" value="{}"/><float key="time" value="1"/></event>'


def test_xml_tricks(milepost):
    """Entities are refused before they are expanded; a cut file names its line; values are only values."""
    bomb = '<!DOCTYPE log [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>'
    milepost.write("bomb.xes", XML.format(bomb, EVENT.format("&b;")))
    milepost.write("outside.xes", XML.format('<!DOCTYPE log [<!ENTITY a SYSTEM "file:///etc/passwd">]>', EVENT.format("&a;")))
    milepost.write("cut.xes", XML.format("", EVENT.format("x"))[:-20])
    for name, message in (
        ("bomb.xes", "declares XML entities"),
        ("outside.xes", "declares XML entities"),
        ("cut.xes", "not XML"),
    ):
        done = outcome(milepost, "funnel", name)
        assert (done.returncode, len(done.stderr.splitlines())) == (2, 1)
        assert message in done.stderr
    milepost.write("fine.xes", XML.format("", EVENT.format("&lt;b&gt;")))
    assert milepost.json("funnel", "fine.xes")["course"]["levels"] == ["<b>"]


def test_formulas_in_csv(milepost):
    """What a spreadsheet would run is written as text, and read back as it was."""
    level = '=HYPERLINK("x")'
    milepost.write("log.jsonl", [START | {"level": level}])
    milepost("convert", "log.jsonl", "--output", "out.csv")
    assert "\"'=HYPERLINK" in (milepost.folder / "out.csv").read_text()
    assert milepost.json("funnel", "out.csv")["course"]["levels"] == [level]


def test_csv_oddities(milepost):
    """Quoted line breaks, rows too long, a second header name, cells beyond all size: read, refused or said."""
    text = 'session,time,event,level\ns,0,start,"Mill\nPond"\ns,1,complete,"Mill\nPond",extra\n\ns,2,complete,"Mill\nPond"\n'
    milepost.write("log.csv", text)
    document = milepost.json("check", "log.csv")
    assert (document["records"], document["used"]) == (3, 2)
    assert document["details"][0]["places"] == ["log.csv:4 (5 cells under a header of 4)"]
    milepost.write("twice.csv", "session,time,time\n")
    assert "the column 'time' is there twice" in outcome(milepost, "funnel", "twice.csv").stderr
    milepost.write("huge.csv", "session,time,event,level\ns,0,start,a\ns,1,start," + "x" * 3_000_000 + "\ns,9,complete,a\n")
    assert milepost.json("funnel", "huge.csv")["levels"][0]["cleared"] == 1


def test_forced_formats_on_the_wrong_file(milepost):
    """Any format forced on any other is one line, or a log of refused records."""
    milepost.write("log.jsonl", GOOD)
    milepost.write("log.csv", "session,time,event,level\ns,0,start,a\n")
    for form in ("jsonl", "json", "csv", "tsv", "parquet", "sqlite", "xes"):
        for name in ("log.jsonl", "log.csv"):
            done = outcome(milepost, "funnel", name, "--input-format", form)
            assert done.returncode == 0 or len(done.stderr.splitlines()) == 1


@pytest.fixture(scope="module")
def demo_bytes(wickwater):
    """The head of the demo's log in several formats."""
    head = "".join((wickwater.folder / "wickwater/logs/evening-1.jsonl").read_text().splitlines(True)[:120])
    wickwater.write("head.jsonl", head)
    for ending in ("csv", "xes", "parquet"):
        assert wickwater("convert", "head.jsonl", "--output", f"head.{ending}").returncode == 0
    return {ending: (wickwater.folder / f"head.{ending}").read_bytes() for ending in ("jsonl", "csv", "xes", "parquet")}


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.sampled_from(["jsonl", "csv", "xes", "parquet"]), st.integers(0, 10**9), st.integers(1, 12))
def test_mutated_logs(demo_bytes, tmp_path, ending, seed, cuts):
    """Whatever is cut, doubled or overwritten in a log, it is read or refused, and the counts add up."""
    rng = random.Random(seed)
    data = bytearray(demo_bytes[ending])
    for _ in range(cuts):
        at, length = rng.randrange(len(data)), rng.randrange(1, 40)
        piece = rng.choice([b"", rng.randbytes(length), data[at : at + length] * 2, b"\n", b'"', b"{", b"\xff"])
        data[at : at + length] = piece
    path = tmp_path / f"log.{ending}"
    path.write_bytes(data)
    assert_accounted([str(path)])


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(st.one_of(st.binary(max_size=60), st.integers(0, 10**6).map(lambda seed: as_text(random_log(seed)[:3]).encode())))
)
def test_arbitrary_lines(tmp_path, pieces):
    """Arbitrary bytes between good records."""
    path = tmp_path / "log.jsonl"
    path.write_bytes(b"\n".join(pieces))
    assert_accounted([str(path)])


def assert_accounted(names):
    try:
        play = replay_log(read(names), None, ReplayRules(keep_debug=True))
    except MilePostError:
        return
    counts = count_contents(play)
    assert counts["records"] == counts["used"] + counts["reported"] >= sum(counts["events"].values())


def test_lines_are_counted_as_a_line_reader_counts_them(tmp_path):
    """Records in = records used + records reported, whatever the log."""
    for seed in range(150):
        text = as_text(random_log(seed))
        (tmp_path / "log.jsonl").write_text(text)
        try:
            log = read([str(tmp_path / "log.jsonl")])
        except MilePostError:
            continue
        counts = count_contents(replay_log(log, None, ReplayRules(keep_debug=True)))
        assert counts["records"] == sum(1 for line in io.StringIO(text) if line.strip())
        assert counts["records"] == counts["used"] + counts["reported"]


def test_a_library_s_words_are_one_line_too(milepost):
    """SQLite quotes what it cannot read, with every line of it."""
    with sqlite3.connect(milepost.folder / "log.sqlite") as database:
        database.execute("CREATE TABLE log (session TEXT, time REAL)")
        database.execute("PRAGMA writable_schema = ON")
        database.execute("UPDATE sqlite_master SET sql = ?", ('CREATE TABLE log ("se\nss\x0b',))
    database.close()
    with pytest.raises(LogError) as caught:
        read([str(milepost.folder / "log.sqlite")])
    assert len(str(caught.value).splitlines()) == 1
    refused = milepost("check", "log.sqlite")
    assert refused.returncode == 2 and refused.stderr.count("\n") == 1 and "\x0b" not in refused.stderr


def test_a_parquet_column_whose_name_is_no_text(milepost):
    """By whole columns it is not read, and one clear line is said of it."""
    path = milepost.folder / "log.parquet"
    parquet.write_table(pyarrow.table({"session": ["s"], "time": [1.0], "event": ["hit"]}), path)
    path.write_bytes(path.read_bytes().replace(b"\x18\x07session", b"\x18\x07se\xffsion"))
    assert read_strict_parquet(Source(path)) is None
    done = milepost("funnel", "log.parquet")
    assert done.returncode == 2 and done.stderr.count("\n") == 1 and "log.parquet" in done.stderr
