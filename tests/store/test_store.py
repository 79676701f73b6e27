"""The packed store: the same figures as from the logs, whole whatever happens, and grown without touching what is there."""

import fcntl
import json
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis.strategies import integers

from milepost.errors import LogError, OutputError
from milepost.logs.interface import TAG
from milepost.logs.read import read
from milepost.logs.store import store
from milepost.logs.store.manifest import PARTS, read_manifest
from milepost.logs.store.pack_store import Into, pack
from random_logs import random_log, with_odd_players

COURSE = ("--course", "wickwater/course.toml")


def packed(names, folder, add=False, force=False):
    """Pack in this process."""
    return pack([str(name) for name in names], Into(folder, "add" if add else "replace" if force else "refuse"))


def same(one, other):
    """Two logs are equal in every column, session, name and refusal."""
    ours, theirs = one.records.columns(), other.records.columns()
    assert ours.keys() == theirs.keys() and one.tags == other.tags
    for name, a in ours.items():
        b = theirs[name]
        alike = a.dtype == b.dtype or name.startswith(TAG)
        assert alike and np.array_equal(a, b, equal_nan=a.dtype.kind == "f"), name
    assert vars(one.sessions) == vars(other.sessions)
    for name in ("stops", "causes", "layouts", "ratings", "unknown_words", "files", "refused"):
        assert list(getattr(one, name)) == list(getattr(other, name)), name


def bytes_of(folder):
    """Every file of a store with its content, but for the lock."""
    return {
        path.relative_to(folder): path.read_bytes()
        for path in sorted(folder.rglob("*"))
        if path.is_file() and path.name != "lock"
    }


def test_same_figures(wickwater):
    """Every measure says of the store what it says of the logs, findings and places included."""
    assert wickwater("pack", "wickwater/logs", "-o", "w.store").returncode == 0
    for source, name in (("w.store", "stored.json"), ("wickwater/logs", "logged.json")):
        assert wickwater("report", source, *COURSE, "-o", name).returncode == 0
    stored, logged = (json.loads((wickwater.folder / name).read_text()) for name in ("stored.json", "logged.json"))
    assert stored.pop("made") != logged.pop("made")
    assert stored == logged
    parts = list((wickwater.folder / "w.store" / "records").iterdir())
    assert 2 < len(parts) <= PARTS


@given(integers(0, 10**6))
@settings(max_examples=25, deadline=None)
def test_same_log(seed):
    """Whatever is in a log, the log out of the store is the log that was packed."""
    with TemporaryDirectory() as name:
        folder = Path(name)
        lines = [
            line if isinstance(line, str) else json.dumps(line)
            for line in with_odd_players(random_log(seed), seed, together=False)
        ]
        (folder / "a.jsonl").write_text("".join(line + "\n" for line in lines) + "not JSON\n", encoding="utf-8")
        try:
            whole = read([str(folder / "a.jsonl")])
        except LogError:
            return
        packed([folder / "a.jsonl"], folder / "s")
        same(read([str(folder / "s")]), whole)


def test_adding(wickwater):
    """Evening by evening it becomes the store of both at once; what was there is not touched, and nothing goes in twice."""
    first, second = (wickwater.folder / "wickwater" / "logs" / f"evening-{n}.jsonl" for n in (1, 2))
    folder = wickwater.folder / "grown.store"
    packed([first], folder)
    before = {path: path.read_bytes() for path in folder.rglob("records/*/*.parquet")}
    done = packed([first, second], folder, add=True)
    assert done.skipped == [str(first)] and done.added > 1000
    assert all(path.read_bytes() == content for path, content in before.items())
    same(read([str(folder)]), read([str(first), str(second)]))


def test_one_session_in_two_logs(milepost, small_log):
    """A session that goes on in tonight's log is one session, also where its player is only named tonight."""
    later = [
        {"session": "a", "time": 50, "event": "start", "level": "Low Arch", "tester": "yes"},
        {"session": "c", "time": "2024-05-01T10:00:00Z", "event": "start", "level": "Low Arch", "player": "Cy"},
        {"session": "c", "time": 3, "event": "death", "level": "Low Arch"},
    ]
    names = [milepost.folder / milepost.write("one.jsonl", small_log), milepost.folder / milepost.write("two.jsonl", later)]
    packed(names[:1], milepost.folder / "s")
    packed(names[1:], milepost.folder / "s", add=True)
    same(read([str(milepost.folder / "s")]), read([str(name) for name in names]))


def test_a_pack_that_breaks_off(milepost, small_log, monkeypatch):
    """Where the last step fails the store is as it was; the next pack goes on, and clears away what was left."""
    one, two = (
        milepost.folder / milepost.write(f"{n}.jsonl", [{**r, "session": f"{n}{r['session']}"} for r in small_log]) for n in "ab"
    )
    folder = milepost.folder / "s"
    packed([one], folder)
    before = bytes_of(folder)

    def fails(text, target):
        raise OutputError("no room")

    with monkeypatch.context() as broken:
        broken.setattr(store, "write_text", fails)
        for force in (False, True):
            with pytest.raises(OutputError):
                packed([two], folder, add=not force, force=force)
    assert before.items() <= bytes_of(folder).items()
    same(read([str(folder)]), read([str(one)]))
    packed([one, two], folder, add=True)
    same(read([str(folder)]), read([str(one), str(two)]))
    named = read_manifest(folder)
    assert len(list(folder.rglob("*.parquet"))) == len(named.records) + 2 * len(
        named.tables
    )  # those of before stay for who reads
    packed([two], folder, force=True)
    same(read([str(folder)]), read([str(two)]))
    (folder / "store.json").unlink()  # as if the first pack had broken off before its manifest
    packed([two], folder)
    same(read([str(folder)]), read([str(two)]))


def test_two_at_once(milepost, small_log):
    """While one writes, another is told to wait."""
    milepost.write("log.jsonl", small_log)
    assert milepost("pack", "log.jsonl", "-o", "s").returncode == 0
    with (milepost.folder / "s" / "lock").open("a") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        done = milepost("pack", "log.jsonl", "-o", "s", "--add")
    assert done.returncode == 2 and "another pack is writing to it" in done.stderr and done.stderr.count("\n") == 1


def test_refusals(milepost, small_log):
    """A store is not overwritten unasked, other folders never; damage, and uses that a store has not, are one line each."""
    milepost.write("log.jsonl", small_log)
    milepost.write("other/notes.txt", "mine")
    assert milepost("pack", "log.jsonl", "-o", "s").returncode == 0
    part = next((milepost.folder / "s").rglob("records/*/*.parquet"))
    for words, said in (
        (["pack", "log.jsonl", "-o", "s"], "is a store already"),
        (["pack", "log.jsonl", "-o", "other"], "is no store"),
        (["pack", "-", "-o", "t"], "not standard input"),
        (["pack", "gone.jsonl", "-o", "t"], "no such file"),
        (["convert", "s", "--output", "x.csv"], "holds no records as they were logged"),
        (["funnel", "log.jsonl", "s"], "a packed store comes first"),
    ):
        done = milepost(*words)
        assert done.returncode == 2 and said in done.stderr and done.stderr.count("\n") == 1, done.stderr
    assert milepost("funnel", "s", "log.jsonl").returncode == 0
    part.write_bytes(part.read_bytes()[:-10])
    done = milepost("funnel", "s")
    assert done.returncode == 2 and "not as it was written" in done.stderr
    (milepost.folder / "s" / "store.json").write_text("{}")
    done = milepost("funnel", "s")
    assert done.returncode == 2 and "is no manifest of a store" in done.stderr
