"""Values at the edges: moments and numbers too large, types that tables have and JSON has not, names that tables mix up."""

import datetime
import decimal
import gzip
import json
import subprocess
import sys
import uuid

import pyarrow as pa
import pytest
from pyarrow import parquet

from driving import PROGRAM
from thoroughness import some_always

START = {"session": "s", "time": 0, "event": "start", "level": "Mill Pond"}


def figures(milepost, name, *more):
    return milepost.json("attempts", name, *more)["levels"], milepost.json("check", name, *more)["findings"]


@pytest.mark.parametrize("times", [[0, 1e18, 2e18], [-1e300, 1e300, 0], [0, 4294967295.5, 9], [1e-310, 0, 1e17]])
def test_times_beyond_all_measure(milepost, times):
    """Every command takes them, whole and by parts, and none says something else than another."""
    milepost.write(
        "log.jsonl",
        [
            START | {"time": t, "event": e, "session": s}
            for s in "ab"
            for t, e in zip(times, ("start", "death", "complete"), strict=True)
        ],
    )
    whole, parts = (milepost.json("report", "log.jsonl", *more) for more in ((), ("--memory", "1MB")))
    assert {**whole, "made": None} == {**parts, "made": None}
    for command in ("check", "funnel", "times", "spikes"):
        own = milepost.json(command, "log.jsonl")
        assert own == whole[command], "each command says what the report does"


def test_years_far_off(milepost):
    """Stamps of the years 1 and 9999 are packed, parted and put in order as any others."""
    lines = [
        {"session": f"s{y}", "player": "p", "time": f"{y}-03-01T00:0{m}:00Z", "event": e, "level": "Mill Pond"}
        for y in ("9999", "2300", "0001", "1677", "2026")
        for m, e in ((0, "start"), (1, "death"))
    ]
    milepost.write("log.jsonl", lines)
    assert milepost("pack", "log.jsonl", "-o", "kept").returncode == 0
    whole = milepost.json("trace", "p", "log.jsonl")
    assert [row["session"] for row in whole["levels"]] == ["s0001", "s1677", "s2026", "s2300", "s9999"]
    assert [row["try"] for row in milepost.json("trace", "p", "kept")["levels"]] == [1, 2, 3, 4, 5]
    assert (
        milepost.json("check", "kept")["longest_session"]
        == milepost.json("check", "log.jsonl", "--jobs", "2")["longest_session"]
        == 60
    )


def test_types_that_json_has_not(milepost):
    """Parquet columns of times, identifiers, decimals, bytes and nested dates are read, each as its text."""
    columns = {
        "session": ["s", "s"],
        "time": [0.0, 9.0],
        "event": ["start", "complete"],
        "level": ["Mill Pond"] * 2,
        "when": [datetime.time(10, 30)] * 2,
        "day": [datetime.date(2026, 3, 1)] * 2,
        "share": [decimal.Decimal("0.25")] * 2,
        "count": [decimal.Decimal(7)] * 2,
        "raw": [b"\xff\x00a"] * 2,
        "nested": [{"at": datetime.datetime(2026, 3, 1), "n": [decimal.Decimal("1.5")]}] * 2,
        "long": [datetime.timedelta(days=2)] * 2,
        "own": pa.array([uuid.UUID(int=7).bytes] * 2, pa.binary(16)),
        "seq": [1, 2],
        "id": ["a", "b"],
    }
    parquet.write_table(pa.table(columns), milepost.folder / "log.parquet")
    document = milepost.json("check", "log.parquet")
    assert (document["records"], document["used"], document["findings"]) == (2, 2, {"bad_field": 2, "no_session_end": 1})
    for where in ("share=0.25", "count=7", "day=2026-03-01", "when=10:30:00"):
        assert milepost.json("funnel", "log.parquet", "--where", where)["players"] == 1


ODD = [
    START
    | {
        "Role": "a",
        "role": "b",
        " role": "c",
        "big": 2**70,
        "half": "\ud800x",
        "two\nlines": "v",
        "=1+1": "z",
        "-x": "-1",
        "session": 1.0,
        "wide": 1e16,
    },
    START | {"time": 9, "event": "complete", "Role": "q", "session": 1.0, "big": -(2**63) - 1, "seq2": 2**60 + 1},
]


@pytest.mark.parametrize("form", ["jsonl", "csv", "parquet", "xes"])
def test_odd_names_and_numbers_survive(milepost, form):
    """Tags that differ by case or spaces, line breaks and formulas in names, whole numbers of any size, `1.0` for a name."""
    milepost.write("log.jsonl", ODD)
    assert milepost("convert", "log.jsonl", "-o", f"out.{form}").returncode == 0
    before, after = (milepost.json("trace", "1", name)["traced"][0] for name in ("log.jsonl", f"out.{form}"))
    for tags in (before["tags"], after["tags"]):
        tags.pop("big", None)  # in JSON a number of more than 64 bits is no tag, in a table it is a text
    escaped = {name: value.encode("utf-8", "backslashreplace").decode() for name, value in before["tags"].items()}
    assert after["session"] == "1" and after["tags"] in (before["tags"], escaped)


def test_order_by_seq_beyond_what_floats_hold(milepost):
    """`seq` of more than 53 bits keeps its order through every format."""
    first = 2**60
    milepost.write(
        "log.jsonl",
        [
            START | {"seq": first + 1},
            START | {"seq": first + 3, "time": 5, "event": "complete"},
            START | {"seq": first + 2, "time": 7, "event": "death"},
        ],
    )
    expected = figures(milepost, "log.jsonl")
    for form in ("csv", "parquet", "xes"):
        milepost("convert", "log.jsonl", "-o", f"out.{form}")
        assert figures(milepost, f"out.{form}") == expected


def test_nested_fields_are_not_lost_in_silence(milepost):
    """What a table has no room for is named when a log is converted."""
    milepost.write("log.jsonl", [START | {"pos": {"x": 1}, "list": [1]}])
    done = milepost("convert", "log.jsonl", "-o", "out.csv")
    assert done.returncode == 0 and "no room for objects and lists: pos, list." in done.stderr
    assert "no room" not in milepost("convert", "log.jsonl", "-o", "out.jsonl").stderr


@pytest.mark.parametrize("array", some_always([False, True]))
def test_little_that_unpacks_to_much(milepost, array):
    """Very many records of nothing in a few kilobytes are counted in bounded memory."""
    count = 150_000
    text = b"[" + b"{}," * (count - 1) + b"{}]" if array else b"{}\n" * count
    milepost.write("log.jsonl.gz" if not array else "log.json.gz", gzip.compress(text))
    milepost.write("good.jsonl", [START])
    code = (
        "import re, sys; from milepost.cli.main import main; status = main(sys.argv[1:]); "
        "print(re.search(r'VmHWM:\\s+(\\d+)', open('/proc/self/status').read())[1], file=sys.stderr); sys.exit(status)"
    )
    words = [sys.executable, "-c", code, "check", "good.jsonl", "log.json.gz" if array else "log.jsonl.gz", "--format", "json"]
    done = subprocess.run(words, cwd=milepost.folder, capture_output=True, text=True, timeout=120)
    document = json.loads(done.stdout)
    assert (
        document["findings"]["unreadable_record"] == count
        and document["records"] == count + 1 == document["used"] + document["reported"]
    )
    assert int(done.stderr) < 250_000  # KiB


def test_ratings_of_very_many_pick_ups(milepost):
    """What bands can be reached is worked out, not tried one number of pick-ups after the other."""
    milepost.write(
        "course.toml",
        "".join(
            f'[[band]]\nname = "{n}"\nfrom = {a}\nto = {b}\n'
            for n, a, b in (("few", 0, 0.5), ("never", 0.5001, 0.5002), ("all", 0.6, 1))
        )
        + '[[level]]\nname = "Mill Pond"\n',
    )
    for available, out_of_reach in ((4294967295, []), (7, ["never"]), (1, ["never"]), (3, ["never"]), (10_000, [])):
        milepost.write("log.jsonl", [START, START | {"time": 9, "event": "complete", "collected": 1, "available": available}])
        assert milepost.json("ratings", "log.jsonl", "--course", "course.toml")["levels"][0]["unreachable"] == out_of_reach


def test_an_unheard_of_encoding(milepost):
    """XML that declares an encoding which nobody knows."""
    milepost.write("log.xes", '<?xml version="1.0" encoding="nosuch"?><log/>')
    done = milepost("funnel", "log.xes")
    assert (done.returncode, done.stderr.count("\n")) == (2, 1) and "unknown encoding" in done.stderr


@pytest.mark.parametrize("address", some_always(["nonsense", "tcp://[::1", "foo://x:1", "tcp://1.2.3.4:65536", "", "tcp://"]))
def test_odd_addresses_of_a_cluster(milepost, address):
    """An address that is none is refused at once, in a line."""
    pytest.importorskip("distributed")
    milepost.write("log.jsonl", [START])
    done = subprocess.run(
        [PROGRAM, "funnel", "log.jsonl", "--cluster", address], cwd=milepost.folder, capture_output=True, text=True, timeout=60
    )
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1) and "tcp://host:8786" in done.stderr


def test_marks_that_are_not_seen(milepost):
    """Characters that turn or hide text are escaped wherever a name is shown."""
    milepost.write("log.jsonl", [START | {"level": "a\u061c\u200b\U000e0041"}])
    assert "a\\u061c\\u200b\\U000e0041" in milepost("funnel", "log.jsonl", COLUMNS="200").stdout
