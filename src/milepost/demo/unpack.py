"""Lays the shipped Wickwater demo out in a folder."""

from __future__ import annotations

import gzip
from importlib.resources import files
from pathlib import Path

from milepost.errors import OutputError
from milepost.output import write_file

LOGS = ("evening-1.jsonl", "evening-2.jsonl")
TABLES = ("milepost.toml", "players.csv", "answers.csv", "notes.csv", "recordings.csv", "themes.csv", "low-arch.png")
NEXT = "evening-3.jsonl"  # of the week after


def unpack(folder: Path, force: bool, which: str = "evenings") -> Path:
    """Write the playtest folder: its file, the course, the logs, and the tables beside them.

    Args:
        folder: where to.
        force: whether files that are there may be written over.
        which: `evenings`, `race`, which is played in runs, or `docks`, whose course is no line.

    Raises:
        OutputError: a file is already there and ``force`` is false, or the folder cannot be written.
    """
    contents = _evenings() if which == "evenings" else _build_single_log(which)
    taken = [name for name in contents if (folder / name).exists()]
    if taken and not force:
        raise OutputError(f"{folder / taken[0]}: is already there. Name another folder with --output, or use --force.")
    for name, data in contents.items():
        _write(folder / name, data)
    return folder


def _evenings() -> dict[str, bytes]:
    shipped = files("milepost.demo")
    contents = {"course.toml": (shipped / "course.toml").read_bytes()}
    contents |= {f"logs/{name}": gzip.decompress((shipped / f"{name}.gz").read_bytes()) for name in LOGS}
    contents |= {name: (shipped / name).read_bytes() for name in TABLES}
    contents["next/low-arch.png"] = contents["low-arch.png"]
    contents["next/course.toml"] = (shipped / "course-next.toml").read_bytes()
    contents[f"next/{NEXT}"] = gzip.decompress((shipped / f"{NEXT}.gz").read_bytes())
    return contents


def _build_single_log(name: str) -> dict[str, bytes]:
    """A demo of one log and its course."""
    shipped = files("milepost.demo")
    log = gzip.decompress((shipped / f"{name}.jsonl.gz").read_bytes())
    settings = b'logs = ["logs"]\ncourse = "course.toml"\n'
    return {"milepost.toml": settings, "course.toml": (shipped / f"{name}.toml").read_bytes(), f"logs/{name}.jsonl": log}


def _write(path: Path, data: bytes) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(f"{path.parent}: cannot be made ({error.strerror or error}). Name another folder.") from error
    write_file(path, lambda stream: stream.write(data))
