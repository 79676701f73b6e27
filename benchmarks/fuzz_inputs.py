"""Broken stores, log maps, courses, folders and tables: one line and status 2, or an answer; never a traceback or a hang."""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import tempfile
import traceback
from collections import Counter
from contextlib import chdir, redirect_stderr
from hashlib import sha256
from io import StringIO
from pathlib import Path
from typing import Any, Final

from milepost.cli.main import main
from milepost.demo.unpack import unpack

SECONDS: Final = 60
MAP: Final = """
[fields]
session = "session"
time = "time"
level = { from = ["level"], join = "-" }
[time]
unit = "ms"
[events]
start = "start"
complete = { event = "complete", cause = "won" }
death = [{ event = "death", when = { cause = "reeds" } }, { event = "reset" }]
[session]
gap_minutes = 30
[rows]
carry = ["level"]
[input]
select = "SELECT * FROM log WHERE event <> 'menu'"
query_seconds = 5
[replay]
repeat_window = 0.25
"""
_TEXTS: Final = (
    b"",
    b"\x00",
    b"\xff\xfe",
    b"[",
    b"]]",
    b'"',
    b"'''",
    b"=",
    b"nan",
    b"-inf",
    b"1e999",
    b"true",
    b"[[level]]\n",
    b"\n",
    b",",
    b";",
    b"{}",
    b"9" * 40,
)
_TABLES: Final = ("players.csv", "answers.csv", "notes.csv", "recordings.csv")


def broken(data: bytes, rng: random.Random) -> bytes:
    """The data with some bytes cut, doubled, moved or overwritten."""
    out = bytearray(data)
    for _ in range(rng.choice([1, 1, 2, 5])):
        at, length = rng.randrange(len(out) + 1), rng.choice([0, 1, 3, 20])
        how = rng.random()
        if how < 0.4:
            out[at : at + length] = rng.choice(_TEXTS)
        elif how < 0.6:
            out[at : at + length] = rng.randbytes(length)
        elif how < 0.8:
            lines = bytes(out).splitlines(True)
            rng.shuffle(lines)
            out = bytearray(b"".join(lines))
        else:
            out[at : at + length] *= 2
    return bytes(out)


def _prepared(folder: Path) -> Path:
    """A small playtest folder with a store and a map, to be broken."""
    root = unpack(folder / "demo", True)
    lines = (root / "logs" / "evening-1.jsonl").read_text().splitlines(True)
    for path in (root / "logs").iterdir():
        path.unlink()
    (root / "logs" / "evening-1.jsonl").write_text("".join(lines[:400]))
    (root / "map.toml").write_text(MAP)
    with chdir(root):
        main(["pack", "logs", "-o", "kept", "--no-folder", "--quiet"])
    return root


def _break_store(root: Path, rng: random.Random) -> list[str]:
    manifest = json.loads((root / "kept" / "store.json").read_text())
    entries = [*manifest["records"], *manifest["tables"].values()]
    entry = rng.choice(entries)
    if rng.random() < 0.7:
        data = broken((root / "kept" / entry["file"]).read_bytes(), rng)
        (root / "kept" / entry["file"]).write_bytes(data)
        entry["sha256"] = sha256(data).hexdigest()
    text = json.dumps(manifest, indent=1) + "\n"
    data = text.encode() if rng.random() < 0.7 else broken(text.encode(), rng)
    for name in ("store.json", f"store-{manifest['additions']:06d}.json"):
        (root / "kept" / name).write_bytes(data)
    return ["funnel", "kept", *rng.choice([[], ["--jobs", "2"]])]


def _break_file(name: str, commands: list[list[str]]) -> Any:
    def act(root: Path, rng: random.Random) -> list[str]:
        (root / name).write_bytes(broken((root / name).read_bytes(), rng))
        return rng.choice(commands)

    return act


KINDS: Final = {
    "store": _break_store,
    "map": _break_file(
        "map.toml",
        [["funnel", "logs", "--map", "map.toml", "--no-folder"], ["check", "logs", "--map", "map.toml", "--no-folder"]],
    ),
    "course": _break_file("course.toml", [["check"], ["spikes"], ["targets"]]),
    "folder": _break_file("milepost.toml", [["funnel"], ["targets"], ["answers"]]),
} | {
    name: _break_file(name, [["funnel"], ["answers"], ["trace"], ["report", "--only", "check"], ["note", "x"]])
    for name in _TABLES
}


def _alarm(*_: object) -> None:
    raise TimeoutError


def try_inputs(job: tuple[int, int, str]) -> Counter[str]:
    """Some broken inputs; whatever must not be is kept beside, and told."""
    first, count, keep = job
    found: Counter[str] = Counter()
    signal.signal(signal.SIGALRM, _alarm)
    with tempfile.TemporaryDirectory() as name:
        whole = _prepared(Path(name))
        for number in range(first, first + count):
            rng = random.Random(number)
            kind = rng.choice(list(KINDS))
            root = Path(name) / f"case-{number}"
            shutil.copytree(whole, root)
            came = _outcome(KINDS[kind](root, rng), root)
            if came not in ("read", "refused"):
                shutil.copytree(root, Path(keep) / f"{kind}-{number}", dirs_exist_ok=True)
            found[f"{kind}: {came}"] += 1
            shutil.rmtree(root)
    return found


def _outcome(words: list[str], root: Path) -> str:
    """What a command came to: read or refused, or a word for what must not be."""
    said = StringIO()
    output = [] if words[0] == "note" else ["--output", os.devnull]
    signal.alarm(SECONDS)
    try:
        with chdir(root), redirect_stderr(said):
            status = main([*words, *output])
    except TimeoutError:
        return "hang"
    except BaseException:  # just what is looked for
        return "traceback: " + traceback.format_exc().strip().splitlines()[-1][:120]
    finally:
        signal.alarm(0)
    errors = said.getvalue().splitlines()
    if status in (0, 1):
        return "read"
    return "refused" if status == 2 and errors and "Traceback" not in said.getvalue() else f"status {status}"
