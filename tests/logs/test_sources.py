"""What a log's name stands for: packed files, pipes, names that look like patterns, folders with stores in them."""

import bz2
import gzip
import json
import lzma
import os
import subprocess
import threading

import duckdb
import pytest
import zstandard

from driving import PROGRAM
from milepost.logs import read as reading
from milepost.logs.sources import files as sources
from milepost.logs.sources.files import Source

PACKERS = {"gz": gzip.compress, "zst": zstandard.ZstdCompressor().compress, "bz2": bz2.compress, "xz": lzma.compress}


def a_log(count=400):
    """A log that is long enough to be cut in the middle of its packing."""
    return [
        {
            "session": f"s{n % 9}",
            "time": n + n % 7 / 8,
            "event": ("start", "death", "hit")[n % 3],
            "level": f"l{n % 5}",
            "x": (n * 2654435761) % 1000003,
        }
        for n in range(count)
    ]


@pytest.mark.parametrize("ending", PACKERS)
def test_packed_files_whole_and_cut(milepost, ending):
    """Each packing is read, also several pieces one after the other; one that is cut anywhere is refused, never read as if whole."""
    text = "".join(json.dumps(line) + "\n" for line in a_log()).encode()
    milepost.write("log.jsonl", text)
    whole, packed = milepost.json("check", "log.jsonl"), PACKERS[ending](text)
    milepost.write(f"log.jsonl.{ending}", packed)
    assert milepost.json("check", f"log.jsonl.{ending}") == whole | {
        "files": [f"log.jsonl.{ending}"],
        "details": milepost.json("check", f"log.jsonl.{ending}")["details"],
    }
    milepost.write(f"two.jsonl.{ending}", PACKERS[ending](text[:5000]) + PACKERS[ending](text[5000:]))
    assert milepost.json("funnel", f"two.jsonl.{ending}")["levels"] == milepost.json("funnel", "log.jsonl")["levels"]
    for share in (0.3, 0.66, 0.99):
        milepost.write(f"cut.jsonl.{ending}", packed[: int(len(packed) * share)])
        done = milepost("funnel", f"cut.jsonl.{ending}")
        assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1), share
        assert "Is the file whole?" in done.stderr


def test_little_that_unpacks_to_much():
    """A frame that unpacks to thousands of times its size is unpacked bit by bit, up to the limit."""
    packed = zstandard.ZstdCompressor(level=19).compress(b"\n" * (64 << 20))
    assert len(packed) < 20_000

    import io

    stream = sources._Zstandard(io.BytesIO(packed))
    assert sum(len(piece) for piece in iter(lambda: stream.read(1 << 16), b"")) == 64 << 20


def test_a_pipe_is_read_once(milepost, small_log):
    """What comes out of a pipe comes once: nothing of its head is lost, whatever looks at it first, alone or beside other files."""
    milepost.write("log.jsonl", small_log)
    expected = milepost.json("funnel", "log.jsonl")["levels"]
    os.mkfifo(milepost.folder / "pipe")
    text = (milepost.folder / "log.jsonl").read_text()
    writer = threading.Thread(target=lambda: (milepost.folder / "pipe").write_text(text))
    writer.start()
    assert milepost.json("funnel", "pipe")["levels"] == expected
    writer.join()
    shell = f"'{PROGRAM}' report <(cat log.jsonl) --format json"
    done = subprocess.run(["bash", "-c", shell], cwd=milepost.folder, capture_output=True, text=True, timeout=100)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["funnel"]["levels"] == expected


def test_devices_and_names_that_are_none(milepost):
    """A device, an empty name, one of 300 characters, one with a null character: a line each."""
    for name in ("/dev/null", "", "x" * 300, "nothing/at/all"):
        done = milepost("funnel", name)
        assert (done.returncode, done.stderr.count("\n")) == (2, 1), name


@pytest.mark.parametrize("form", ["parquet", "jsonl", "csv"])
@pytest.mark.parametrize("name", ["run[1]", "run*", "what?", "~"])
def test_names_that_look_like_patterns(milepost, monkeypatch, form, name):
    """A file is read by its own name, never as a pattern that fits another file; large ones, too."""
    for own, session in ((name, "right"), ("run1", "wrong"), ("runs", "wrong"), ("whats", "wrong")):
        rows = [{"session": session, "time": n, "event": "start", "level": "Mill Pond"} for n in range(3)]
        milepost.write("log.jsonl", rows)
        path = milepost.folder / f"{own}.{form}"
        if form == "parquet":
            with duckdb.connect() as base:
                base.read_json(str(milepost.folder / "log.jsonl")).write_parquet(str(milepost.folder / "log.parquet"))
            (milepost.folder / "log.parquet").replace(path)
        elif form == "jsonl":
            (milepost.folder / "log.jsonl").replace(path)
        else:
            path.write_text("session,time,event,level\n" + "".join(f"{session},{n},start,Mill Pond\n" for n in range(3)))
    monkeypatch.chdir(milepost.folder)
    from milepost.logs import read as reading

    for size in (1, 1 << 40):
        monkeypatch.setattr(reading, "_STRICT", {key: one._replace(worthwhile=size) for key, one in reading._STRICT.items()})
        assert reading.read([f"{name}.{form}"]).sessions.name == ["right"]


def test_a_store_inside_a_folder_of_logs(milepost, small_log):
    """A store among the logs is no log of theirs: it is neither read twice nor packed into itself."""
    milepost.write("logs/a.jsonl", small_log)
    expected = milepost.json("funnel", "logs")
    assert milepost("pack", "logs", "-o", "logs/kept.store").returncode == 0
    assert milepost.json("funnel", "logs") == expected
    assert milepost.json("funnel", "logs/**/*") == expected
    done = milepost("pack", "logs", "-o", "logs/kept.store", "--add")
    assert done.returncode == 0 and "0 records packed" in done.stderr
    assert milepost.json("funnel", "logs/kept.store")["levels"] == expected["levels"]
    assert milepost.json("watch", "logs", "--once")["levels"] == expected["levels"]


def test_how_many_records_there_will_be(tmp_path, monkeypatch):
    """It is told by the first lines of a large log; of one that is small, packed or no text nothing is told."""
    log = tmp_path / "log.jsonl"
    log.write_text("".join(f'{{"session": "s", "time": {n}, "event": "start", "level": "A"}}\n' for n in range(5000)))
    monkeypatch.setattr(reading, "_LONG", 1 << 16)
    assert 4500 < reading.estimate_records([Source(log)]) < 5500
    (tmp_path / "log.gz").write_bytes(gzip.compress(bytes(range(256)) * 2000, 0))
    assert reading.estimate_records([Source(tmp_path / "log.gz")]) is None and reading.estimate_records([Source(None)]) is None
    monkeypatch.undo()
    assert reading.estimate_records([Source(log)]) is None
