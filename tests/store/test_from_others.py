"""Stores that somebody else made: values that none can have, links, and texts to the last code unit."""

import json
from hashlib import sha256

import numpy as np
import pyarrow as pa
import pytest
from pyarrow import parquet

LINE = {"session": "s", "event": "start", "level": "Mill Pond"}


@pytest.fixture
def store(milepost, small_log):
    """The program in a folder with a store, large enough to be replayed in parts where that is asked for."""
    milepost.write("log.jsonl", [{**line, "lamp": "lit"} for line in small_log] + [{"session": "a"}])
    assert milepost("pack", "log.jsonl", "-o", "kept").returncode == 0
    return milepost


def forged(milepost, name, column, value):
    """Put a value into a column of a file of the store, with a checksum that fits."""
    folder = milepost.folder / "kept"
    manifest = json.loads((folder / "store.json").read_text())
    entry = manifest["records"][0] if name == "records" else manifest["tables"][name]
    table = parquet.read_table(folder / entry["file"])
    values = table[column].to_pylist()
    values = [value] * len(values) if isinstance(value, list) else [value, *values[1:]]
    table = table.set_column(
        table.column_names.index(column), column, pa.array([one[0] if isinstance(one, list) else one for one in values])
    )
    parquet.write_table(table, folder / entry["file"])
    entry["sha256"] = sha256((folder / entry["file"]).read_bytes()).hexdigest()
    for place in ("store.json", f"store-{manifest['additions']:06d}.json"):
        (folder / place).write_text(json.dumps(manifest, indent=1) + "\n")


@pytest.mark.parametrize(
    ("name", "column", "value"),
    [
        ("records", "session", 1 << 30),
        ("records", "session", -1),
        ("records", "line", -1),
        ("records", "file", 7),
        ("records", "level", 99),
        ("records", "cause", -5),
        ("records", "event", 77),
        ("records", "event", -3),
        ("records", "progress", 1e300),
        ("records", "time", float("nan")),
        ("records", "time", float("inf")),
        ("records", "x", float("inf")),
        ("records", "tag lamp", 50),
        ("records", "row", ["first"]),
        ("sessions", "epoch", "soon"),
        ("sessions", "tags", "{"),
        ("sessions", "name", None),
        ("sessions", "name", "b"),
        ("sessions", "player", [5]),
        ("sessions", "first_clock", float("nan")),
        ("sessions", "part", -9),
        ("names", "text", None),
        ("names", "kind", [3]),
        ("refused", "file", 9),
        ("refused", "times", -1),
        ("refused", "reason", None),
    ],
)
def test_values_that_none_can_have(store, name, column, value):
    """Each is found when the store is opened, whatever is asked of it: one line, and no traceback."""
    forged(store, name, column, value)
    adding = [] if name == "records" else [("pack", "log.jsonl", "--add", "-o", "kept")]  # which reads no records
    for words in (("funnel", "kept"), ("funnel", "kept", "--jobs", "2"), ("check", "kept"), *adding):
        done = store(*words)
        assert done.returncode == 2 and len(done.stderr.splitlines()) == 1 and "Traceback" not in done.stderr, (
            words,
            done.stderr,
        )
        assert "damaged" in done.stderr or "no manifest" in done.stderr


@pytest.mark.parametrize("link", ["records", "records/part=00", "replayed", "lock", "store-000001.json", "names-000009.parquet"])
def test_links(store, link):
    """A link in a store has nothing written or taken away elsewhere, and the store refused."""
    outside = store.folder / "outside"
    outside.mkdir()
    for name in ("000001.parquet", "keep.txt"):
        (outside / name).write_text("precious")
    place = store.folder / "kept" / link
    if place.is_dir():
        place.rename(store.folder / "moved")
    place.unlink(missing_ok=True)
    place.symlink_to(outside if "." not in link and link != "lock" else outside / "keep.txt")
    for words in (
        ("funnel", "kept"),
        ("pack", "log.jsonl", "--force", "-o", "kept"),
        ("pack", "log.jsonl", "--add", "-o", "kept"),
    ):
        done = store(*words)
        assert done.returncode == 2 and "is a link" in done.stderr and len(done.stderr.splitlines()) == 1
    assert {path.name: path.read_text() for path in outside.iterdir()} == {"000001.parquet": "precious", "keep.txt": "precious"}


def test_texts_to_the_last_code_unit(milepost):
    """Names with lone surrogates stay two players, two levels and two tags in a store."""
    lines = []
    for n, odd in enumerate((r"\ud800", r"\ud801", r"\\ud800", "\U0010ffffd800")):
        odd = odd if odd.startswith("\\") else json.dumps(odd)[1:-1]
        for event in ("start", "complete"):
            lines.append(
                f'{{"session": "s{n}{odd}", "player": "p{odd}", "time": {n}, "event": "{event}", "level": "L{odd}", "lamp": "{odd}"}}'
            )
    milepost.write("log.jsonl", "\n".join(lines) + "\n")
    whole = milepost.json("funnel", "log.jsonl")
    assert whole["players"] == 4 and len(whole["levels"]) == 4
    assert milepost("pack", "log.jsonl", "-o", "kept").returncode == 0
    for jobs in ((), ("--jobs", "2")):
        assert milepost.json("funnel", "kept", *jobs)["levels"] == whole["levels"]
    grouped = milepost("funnel", "kept", "--by", "lamp")
    assert grouped.returncode == 0 and grouped.stdout == milepost("funnel", "log.jsonl", "--by", "lamp").stdout
    np.testing.assert_equal(len(grouped.stdout.splitlines()) > 3, True)
