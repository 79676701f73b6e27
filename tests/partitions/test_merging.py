"""What merges, merges rightly: sums over parts are those of the whole, and slim columns hold what they held."""

import gzip
from collections import Counter

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis.strategies import booleans, floats, integers, lists, none, one_of, sampled_from, tuples

import milepost as api
from milepost.cleaning.survey import Survey, coarse_builds, survey_of
from milepost.logs.interface import Place
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.store.pack_store import Layout
from milepost.memory import memory_of_whole, unpacked_size
from milepost.numerics.whole_numbers import narrow
from milepost.partitions.compressed_columns import compress, compress_table
from milepost.partitions.merging import NARROW, join_column
from milepost.playback.infer import count_precedence, infer_order
from milepost.playback.tallies import PLACES, Found

NUMBERS = lists(one_of(integers(-200, 200), integers(-(1 << 40), 1 << 40)), min_size=1, max_size=30)
FLOATS = lists(one_of(floats(), none().map(lambda _: float("nan"))), max_size=20)


@given(NUMBERS, FLOATS)
def test_slimmest(whole, real):
    """A narrower column has the very same values."""
    column = np.array(whole, dtype=np.int64)
    slim = narrow(column)
    assert slim.tolist() == whole and slim.itemsize <= column.itemsize
    assert np.array_equal(narrow(np.array(real)), np.array(real), equal_nan=True)


class Table:
    """Two columns, of a name that may stay narrow and of one that may not."""

    def __init__(self, level, outcome, active):
        self.level, self.outcome = np.array(level, dtype=np.int64), np.array(outcome, dtype=np.int64)
        self.active = np.array(active, dtype=np.float64)


@given(
    lists(
        lists(tuples(integers(0, 300), integers(0, 4), sampled_from([0.0, 1.5, float("nan")])), max_size=8),
        min_size=1,
        max_size=4,
    )
)
def test_slim_columns_joined(parts):
    """Put together again in another order, columns are what they were; those that are calculated with are of full width."""
    tables = [Table(*zip(*rows, strict=True)) if rows else Table([], [], []) for rows in parts]
    order = np.arange(sum(map(len, parts)))[::-1]
    slim = [compress_table(table) for table in tables]
    for name in ("level", "outcome", "active"):
        plain = np.concatenate([getattr(table, name) for table in tables])[order]
        ours = join_column(name, [columns[name] for columns in slim], order)
        assert np.array_equal(ours, plain, equal_nan=name == "active")
        assert name in NARROW or not len(order) or ours.dtype == plain.dtype


def test_columns_of_different_widths():
    """A tag of few values in one part and of many in another keeps all of them."""
    one, other = (compress(np.array(codes, kind)) for codes, kind in (([0, -1, 5], np.int8), ([300, -1], np.int16)))
    for columns, expected in (((one, other), [0, -1, 5, 300, -1]), ((other, one), [300, -1, 0, -1, 5])):
        assert join_column("tag boat", list(columns), np.arange(5)).tolist() == expected


RECORDS = lists(
    tuples(integers(0, 5), sampled_from(["Mill Pond", "mill pond", "Low Arch"]), integers(0, 40), booleans()),
    min_size=1,
    max_size=40,
)


def built(rows):
    """A log of starts: session, level, time, and whether that is a whole second."""
    builder = RecordBuilder()
    for line, (session, level, time, whole) in enumerate(rows, 1):
        record = {
            "session": f"s{session}",
            "time": time + (0.0 if whole else 0.5),
            "event": "start",
            "level": level,
            "build": f"b{session % 2}",
        }
        builder.add(record, Place(0, line), line)
    return builder.log()


@given(RECORDS)
@settings(max_examples=60)
def test_surveys_add_up(rows):
    """Counted in two parts, and counted at once."""
    whole = built(rows)
    parts = []
    for part in range(2):
        own = whole.records.session % 2 == part
        records = type(whole.records).of(whole.records.rows(own))
        parts.append(survey_of(type(whole)(**{**vars(whole), "records": records})))
    both, once = parts[0] + parts[1], survey_of(whole)
    for name in vars(once):
        assert np.array_equal(getattr(both, name), getattr(once, name))
    assert once.names.sum() == len(rows) == once.records and coarse_builds(both) == coarse_builds(once)


@pytest.mark.parametrize(("clocked", "whole", "coarse"), [(9, 9, False), (10, 10, True), (100, 99, True), (100, 98, False)])
def test_coarse_builds(clocked, whole, coarse):
    """A clock counts whole seconds where nearly all of at least ten records say so."""
    assert coarse_builds(Survey(np.zeros(1), Counter({"0.9": clocked}), Counter({"0.9": whole}))) == (
        {"0.9"} if coarse else set()
    )


@given(lists(tuples(integers(0, 6), integers(0, 5)), max_size=50))
def test_precedence_adds_up(tries):
    """Who was where first, over all players and over two lots of them; the order of the levels is the same."""
    tries = sorted(tries, key=lambda pair: pair[0])
    player, level = (np.array([pair[n] for pair in tries], dtype=np.int64) for n in range(2))
    early = player < 3
    both = count_precedence(player[early], level[early]) + count_precedence(player[~early], level[~early])
    once = count_precedence(player, level)
    assert both.levels.tolist() == once.levels.tolist() and both.before.tolist() == once.before.tolist()
    names = [f"Level {n}" for n in range(6)]
    assert infer_order(both, names) == infer_order(once, names)


def test_first_places():
    """Of a finding in two parts: the sums, and the first places of both."""
    one = Found(4, 2, tuple(Place(0, line) for line in (3, 8, 9)))
    other = Found(2, 1, (Place(0, 5), Place(1, 1)))
    assert one + other == Found(6, 3, (Place(0, 3), Place(0, 5), Place(0, 8))) and PLACES == 3


@pytest.mark.parametrize(
    ("size", "memory", "jobs", "parts"),
    [
        (1 << 30, None, 1, 16),
        (10 << 30, None, 1, 106),
        (1 << 40, None, 1, 128),
        (1 << 30, None, 12, 24),
        (1 << 30, 1 << 30, 1, 16),
        (1 << 30, 1 << 30, 2, 49),
        (1 << 40, 1 << 30, 1, 4096),
        (100, 1 << 20, 1, 2),
    ],
)
def test_layout(size, memory, jobs, parts):
    """Less memory for each thread, more and smaller parts; of a large log more, too."""
    assert Layout.of(size, memory, jobs).parts == parts


@pytest.mark.parametrize(
    ("name", "times"), [("log.jsonl", 1), ("log.CSV", 1), ("log.jsonl.gz", 10), ("log.parquet", 10), ("log.zst", 10)]
)
def test_packed_files_count_as_what_they_hold(name, times):
    """A packed log makes as many parts as the same log that is not packed."""
    assert unpacked_size(name, 1000) == 1000 * times
    assert memory_of_whole(unpacked_size(name, 1 << 30)) > times * 4 << 30


def test_a_packed_log_is_divided_as_finely(tmp_path, monkeypatch):
    """Its parts are as many as those of the log that it unpacks to, not as those of so small a file."""
    seen = []
    monkeypatch.setattr(Layout, "of", classmethod(lambda cls, size, memory, jobs: seen.append(size) or cls()))
    lines = "".join(f'{{"session": "s{n}", "time": 0, "event": "start", "level": "Weir"}}\n' for n in range(2000)).encode()
    for name, content in (("plain.jsonl", lines), ("packed.jsonl.gz", gzip.compress(lines, mtime=0))):
        (tmp_path / name).write_bytes(content)
        api.replay(tmp_path / name, memory=1)
    assert seen == [len(lines), 10 * (tmp_path / "packed.jsonl.gz").stat().st_size]
