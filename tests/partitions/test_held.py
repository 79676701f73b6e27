"""A log that is held in memory in few bytes and replayed block by block: the same figures as of the whole."""

import gc
import json
import time
import weakref

import numpy as np
import pyarrow
import pytest
from hypothesis import given
from hypothesis.strategies import booleans, floats, integers, lists, none, one_of, permutations
from pyarrow import parquet

from milepost import memory
from milepost.cli.main import main
from milepost.course.course import read_course
from milepost.errors import LogError, RecordsGoneError
from milepost.logs.columnar import chunks
from milepost.logs.read import read
from milepost.logs.records import builder
from milepost.partitions import execution, memory_parts, partitioned_log
from milepost.partitions.compressed_columns import Same, compress, decompress
from milepost.partitions.execution import LogRequest, Work
from milepost.partitions.executors import InProcess, Workers, workers
from milepost.partitions.memory_parts import hold
from milepost.partitions.partitioned_log import PartedLog
from milepost.partitions.tasks import PartRequest
from milepost.playback.replay import replay_log
from milepost.progress import SILENT
from milepost.reports.full_report import whole_report
from milepost.rules import ReplayRules
from random_logs import COURSE, as_text, as_toml, random_log, with_odd_players
from thoroughness import some_always, some_rows_always

REAL = one_of(floats(), integers(-9, 9).map(float), integers(0, 99_999).map(lambda n: n / 1000), none().map(lambda _: np.nan))
COLUMNS = one_of(
    lists(REAL, max_size=30).map(lambda values: np.array(values, np.float64)),
    lists(one_of(integers(-3, 3), integers(-(1 << 62), 1 << 62)), max_size=30).map(lambda values: np.array(values, np.int64)),
    lists(booleans(), max_size=30).map(lambda values: np.array(values, np.bool_)),
)


def bits(column):
    """A column to the last bit, with one kind of nothing."""
    return np.where(np.isnan(column), np.nan, column).view(np.int64).tolist() if column.dtype.kind == "f" else column.tolist()


@given(COLUMNS)
def test_packed_columns(column):
    """Of the same type, to the last bit, zeros of both signs included."""
    again = decompress(compress(column))
    assert again.dtype == column.dtype and bits(again) == bits(column)


@given(COLUMNS.flatmap(lambda column: permutations(range(len(column))).map(lambda order: (column, np.array(order, np.int64)))))
def test_packed_columns_in_another_order(given):
    """Its rows reordered, and some that lie together."""
    column, order = given
    ordered = compress(column).ordered(order)
    assert bits(decompress(ordered)) == bits(column[order])
    room = np.empty(len(column) // 2, column.dtype)
    ordered.fill(room, len(column) // 3)
    assert bits(room) == bits(column[order][len(column) // 3 :][: len(room)])


@pytest.mark.parametrize(
    ("values", "most"),
    [
        (np.zeros(1000), 0),
        (np.full(1000, np.nan), 0),
        (np.arange(1000) / 1000, 2),
        (np.arange(1000) * 1000.0, 4),
        (np.arange(1000) / 7, 8),
        (np.where(np.arange(1000) % 10, np.nan, np.arange(1000) / 4), 1.2),
        (np.arange(1000) % 50, 1),
    ],
)
def test_packed_columns_are_small(values, most):
    """So many bytes a row at most, and none of what they were cut out of."""

    def size(column):
        own = [value for value in vars(column).values() if isinstance(value, np.ndarray) and value.ndim]
        assert all(one.base is None for one in own)
        return sum(one.nbytes for one in own) + sum(size(value) for value in vars(column).values() if hasattr(value, "ordered"))

    kept = compress(values[:])
    assert (0 if isinstance(kept, Same) else size(kept)) <= most * len(values)


@pytest.fixture
def log(tmp_path):
    """Random logs of many players in one file, faults, unreadable lines and tags of single records among them."""
    lines = []
    for seed in range(30):
        for record in with_odd_players(random_log(seed), seed, together=False):
            own = (
                {"session": f"{seed}-{record['session']}", "boat": seed % 3}
                if isinstance(record, dict) and "session" in record
                else {}
            )
            lines.append(record | own if own else record)
    late = [
        {"session": "late", "time": 1, "event": "start", "level": "Low Arch"},
        {"session": "late", "time": 2, "event": "death"},
    ]
    lines += [late[0], *random_log(99)[:20], late[1] | {"level": "Low Arch", "player": "p1", "lamp": "green"}]
    (tmp_path / "log.jsonl").write_text(as_text(lines), encoding="utf-8")
    (tmp_path / "course.toml").write_text(as_toml(COURSE))
    return str(tmp_path / "log.jsonl"), read_course(tmp_path / "course.toml")


def document(play):
    """All that is said of a play."""
    return json.loads(json.dumps(whole_report(play, 5, {})))


@pytest.mark.parametrize("given", [True, False])
@pytest.mark.parametrize(("piece", "block", "jobs"), some_rows_always([(5_000, 50, 2), (20_000, 300, 1), (1 << 20, 1, 3)]))
def test_same_figures(log, monkeypatch, piece, block, jobs, given):
    """In pieces and blocks of whatever size, by as many threads as there are."""
    monkeypatch.setattr(memory_parts, "_PIECE", piece)
    monkeypatch.setattr(memory_parts, "_BLOCK", block)
    monkeypatch.setattr(memory_parts, "_BLOCKS", 1 << 20)
    course, rules = log[1] if given else None, ReplayRules()
    blocks = PartedLog(*hold(LogRequest([log[0]], course, rules, work=Work(jobs=jobs)), SILENT))
    whole = read([log[0]])
    assert len(blocks.parts) > 2 and sum(len(part.log().records) for part in blocks.parts) == len(whole.records)
    with workers(jobs, None) as who:
        ours = document(blocks.play(PartRequest(course, rules), who))
    assert ours == document(replay_log(whole, course, rules))


def test_records_as_they_were_read(log, monkeypatch):
    """All columns, those of tags that came up late included; a session is in one block, as are all of a player."""
    monkeypatch.setattr(memory_parts, "_PIECE", 20_000)
    monkeypatch.setattr(memory_parts, "_BLOCK", 200)
    parts, opened, *_ = hold(LogRequest([log[0]], None, ReplayRules()), SILENT)
    bare = opened()
    whole = read([log[0]])
    blocks = [part.log() for part in parts]
    order = np.argsort(np.concatenate([block.records.line for block in blocks]))
    texts = {"session": (bare.sessions.name, whole.sessions.name), "level": (bare.stops, whole.stops)}
    for name, column in whole.records.columns().items():
        ours = np.concatenate([block.records.columns()[name] for block in blocks])[order]
        if name in texts:
            own, theirs = texts[name]
            assert [own[code] for code in ours if code >= 0] == [theirs[code] for code in column if code >= 0]
        elif name not in ("event", "to", "cause", "layout", "rating", "tag boat", "tag lamp"):  # codes, as they came up
            assert bits(ours) == bits(column), name
    players = [{bare.sessions.player[code] or code for code in np.unique(block.records.session)} for block in blocks]
    assert len(blocks) > 3 and sum(map(len, players)) == len(set().union(*players))


def test_records_that_are_read_one_by_one(log, tmp_path, monkeypatch):
    """A log that is no JSON Lines is taken away bit by bit, too, and says the same."""
    assert main(["convert", log[0], "-o", str(tmp_path / "log.csv")]) == 0
    monkeypatch.setattr(builder, "AT_ONCE", 100)
    monkeypatch.setattr(chunks, "AT_ONCE", 100)
    monkeypatch.setattr(chunks, "_AT_ONCE", 500)
    pieces = []
    monkeypatch.setattr(
        memory_parts, "_packed_piece", lambda *given, real=memory_parts._packed_piece: pieces.append(real(*given)) or pieces[-1]
    )
    blocks = PartedLog(*hold(LogRequest([str(tmp_path / "log.csv")], log[1], ReplayRules()), SILENT))
    assert len(pieces) > 5
    whole = document(replay_log(read([str(tmp_path / "log.csv")]), log[1], ReplayRules()))
    assert document(blocks.play(PartRequest(log[1], ReplayRules()), Workers(InProcess()))) == whole


def test_an_error_in_a_thread():
    """It is the error of the whole, and what has not begun is not begun."""
    begun = []

    def double(number):
        begun.append(number)
        if number == 2:
            raise LogError("broken")
        time.sleep(0.001 * (number > 5))
        return 2 * number

    assert Workers(InProcess()).map(double, [(0,), (1,)], SILENT) == [0, 2]
    with workers(2, None) as who:
        assert who.map(double, [(5,), (4,), (3,)], SILENT) == [10, 8, 6]
        begun.clear()
        with pytest.raises(LogError, match="broken"):
            who.map(double, [(2,), *((number,) for number in range(3, 10_000))], SILENT)
    assert len(begun) < 9_000
    with pytest.raises(LogError, match="broken"):
        Workers(InProcess()).map(double, [(2,), (1 << 20,)], SILENT)
    assert begun[-1] == 2


COMMANDS = (
    "check",
    "check --exclude untagged_skip",
    "funnel --by build",
    "funnel --per run",
    "funnel --exclude instant_clear",
    "attempts --where level=Low_Arch",
    "times --idle-cap 5 --clock input",
    "deaths --by build",
    "sections",
    "compare",
    "level Low_Arch",
    "targets",
    "report --anonymous",
)


@pytest.mark.parametrize("words", some_always(COMMANDS, 2))
def test_every_command_on_a_large_log(wickwater, monkeypatch, capsys, words):
    """What a log is that goes beyond the comfortable is nobody's business: each says the same of it in blocks."""
    monkeypatch.chdir(wickwater.folder / "wickwater")
    monkeypatch.setattr(memory_parts, "_BLOCK", 500)
    said, blocks = [], []
    monkeypatch.setattr(
        memory_parts, "hold_in_blocks", lambda *given, real=memory_parts.hold_in_blocks: blocks.append(1) or real(*given)
    )
    for comfort in (1 << 40, 0):
        monkeypatch.setattr(execution, "COMFORT", comfort)
        assert main([*(word.replace("_Arch", " Arch") for word in words.split()), "--format", "json"]) == 0
        said.append(json.loads(capsys.readouterr().out))
    assert {**said[0], "made": None} == {**said[1], "made": None} and blocks


def test_records_that_were_let_go(log, monkeypatch):
    """Of a large log that nobody will ask again nothing stays in memory; of a small one, some players may be replayed once more."""
    for most, gone in ((1 << 40, False), (0, True)):
        monkeypatch.setattr(partitioned_log, "MOST_RECORDS", most)
        whole = PartedLog(*hold(LogRequest([log[0]], None, ReplayRules()), SILENT))
        column = weakref.ref(whole.parts[0].pieces[0].columns["line"])
        gc.disable()
        play = whole.play(PartRequest(None, ReplayRules()), Workers(InProcess()), last=True)
        assert play.counts.any() and (column() is None) == gone
        gc.enable()
        if gone:
            with pytest.raises(RecordsGoneError):
                whole.parts[0].log()
        else:
            assert len(whole.parts[0].log().records)


@pytest.mark.parametrize("bad", [False, True])
def test_parquet_in_pieces(tmp_path, monkeypatch, bad):
    """By groups of rows; from a piece on that is not as it should be, row by row, each at its row."""
    rows = [
        {"session": f"s{n // 10}", "time": float(n % 10), "event": "start" if n % 2 else "death", "level": f"Lock {n % 3}"}
        | ({"progress": 0.5} if n > 200 else {})
        | ({"level": None} if bad and n == 333 else {})
        for n in range(600)
    ]
    table = {name: [row.get(name) for row in rows] for name in ("session", "time", "event", "level", "progress")}
    parquet.write_table(pyarrow.table(table), tmp_path / "log.parquet", row_group_size=50)
    pieces, name = [], str(tmp_path / "log.parquet")
    monkeypatch.setattr(memory_parts, "_PIECE", 96 * 100)
    monkeypatch.setattr(
        memory_parts, "_packed_piece", lambda *given, real=memory_parts._packed_piece: pieces.append(given[1]) or real(*given)
    )
    monkeypatch.setattr(memory, "_UNPACKS", 1000)
    blocks = PartedLog(*hold(LogRequest([name], None, ReplayRules()), SILENT))
    assert pieces == ([100, 100, 100, 299] if bad else [100] * 6)
    whole = document(replay_log(read([name]), None, ReplayRules()))
    assert document(blocks.play(PartRequest(None, ReplayRules()), Workers(InProcess()))) == whole
    assert not bad or "log.parquet:334" in json.dumps(whole["check"])
