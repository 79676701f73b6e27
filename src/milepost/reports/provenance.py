"""How a report was made, so that it can be made again: command, versions, and files with their checksums."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from importlib.metadata import version
from pathlib import Path
from typing import TYPE_CHECKING

from milepost.errors import LogError
from milepost.logs.store.manifest import checksum
from milepost.reports.interface import Column, View
from milepost.version import __version__
from milepost.wording import safe

if TYPE_CHECKING:
    from milepost.reports.document_types import InputFile, Made

_PACKAGES = ("numpy", "scipy", "duckdb", "matplotlib")


def build_provenance(command: str, inputs: Iterable[tuple[str, Path | None]]) -> Made:
    """The command, the versions, and the files.

    Args:
        command: the command line.
        inputs: each file's name as it is to be shown, and where it lies (None: standard input, which has no checksum).

    Raises:
        LogError: a file cannot be read.
    """
    packages = ", ".join(f"{name} {version(name)}" for name in _PACKAGES)
    return {
        "command": command,
        "versions": f"Mile Post {__version__}, Python {sys.version.partition(' ')[0]}, {packages}",
        "files": [_file(name, path) for name, path in inputs],
    }


def _file(name: str, path: Path | None) -> InputFile:
    if path is None:
        return {"file": name, "bytes": None, "sha256": None}
    try:
        return {"file": name, "bytes": path.stat().st_size, "sha256": checksum(path)}
    except OSError as error:
        raise LogError(f"{path}: cannot be read ({error.strerror or error}).") from error


def made_view(provenance: Made) -> View[InputFile]:
    """The files as a table."""
    columns: tuple[Column[InputFile], ...] = (
        Column("file", lambda row: safe(row["file"]), left=True),
        Column("bytes", lambda row: "" if row["bytes"] is None else f"{row['bytes']:,}"),
        Column("SHA-256", lambda row: row["sha256"] or "standard input has none", left=True),
    )
    return View("Input files", columns, provenance["files"])
