"""Which files a log is made of, and how each is opened: files, folders, globs, standard input; plain, gzip or Zstandard."""

from __future__ import annotations

import glob
import gzip
import io
import sys
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from milepost.errors import LogError
from milepost.naming import natural_key

LOG_SUFFIXES = (".jsonl", ".ndjson")
PACKED_SUFFIXES = (".gz", ".zst")
_GZIP, _ZSTD = b"\x1f\x8b", b"\x28\xb5\x2f\xfd"


@dataclass(frozen=True)
class Source:
    """One file of a log, or standard input where ``path`` is None."""

    path: Path | None

    @property
    def label(self) -> str:
        """How messages name it."""
        return "standard input" if self.path is None else str(self.path)

    def open(self) -> BinaryIO:
        """Open for reading, unpacking what is packed (told from the first bytes, not from the name).

        Raises:
            LogError: the file cannot be opened.
        """
        try:
            raw: BinaryIO = sys.stdin.buffer if self.path is None else self.path.open("rb")
            return _unpacked(raw)
        except OSError as error:
            raise LogError(f"{self.label}: cannot be read ({error.strerror or error}).") from error

    def size(self) -> int:
        """Bytes on disk; 0 where that is not known."""
        return 0 if self.path is None else self.path.stat().st_size


def _unpacked(raw: BinaryIO) -> BinaryIO:
    buffered = raw if isinstance(raw, io.BufferedReader) else io.BufferedReader(raw)  # type: ignore[type-var]
    magic = buffered.peek(4)[:4]
    if magic.startswith(_GZIP):
        return gzip.GzipFile(fileobj=buffered)  # type: ignore[return-value]
    if magic == _ZSTD:
        import zstandard

        stream = zstandard.ZstdDecompressor().stream_reader(buffered, read_across_frames=True)
        return io.BufferedReader(stream)
    return buffered


def expand(names: list[str]) -> list[Source]:
    """The files that the names on the command line stand for, in the order given, each file once.

    A folder stands for the log files in it and below it; folders and globs come in natural name order.

    Raises:
        LogError: a name stands for nothing.
    """
    found: dict[object, Source] = {}
    for name in names:
        for source in _sources(name):
            found.setdefault(source.path.resolve() if source.path else "-", source)
    return list(found.values())


def _sources(name: str) -> list[Source]:
    if name == "-":
        return [Source(None)]
    path = Path(name)
    if path.is_dir():
        return _in_folder(path)
    if path.exists():
        return [Source(path)]
    if glob.has_magic(name):
        return _in_glob(name)
    raise LogError(f"{name}: no such file or folder. Give a log file, a folder of logs, a glob, or - for standard input.")


def _in_glob(pattern: str) -> list[Source]:
    paths = sorted(glob.glob(pattern, recursive=True), key=natural_key)
    sources = [source for path in paths for source in ([Source(Path(path))] if Path(path).is_file() else [])]
    if not sources:
        raise LogError(f"{pattern}: no file matches. Put the glob in quotes, or name a folder of logs.")
    return sources


def _in_folder(folder: Path) -> list[Source]:
    try:
        paths = [path for path in folder.rglob("*") if is_log_name(path.name) and path.is_file()]
    except OSError as error:
        raise LogError(f"{folder}: cannot be read ({error.strerror or error}).") from error
    if not paths:
        known = ", ".join(LOG_SUFFIXES)
        raise LogError(f"{folder}: no log in this folder. Log files end in {known}, packed ones also in .gz or .zst.")
    return [Source(path) for path in sorted(paths, key=lambda path: natural_key(path.relative_to(folder).as_posix()))]


def is_log_name(name: str) -> bool:
    """Whether a file in a folder is taken for a log, by its name's ending."""
    plain = name.lower()
    for packed in PACKED_SUFFIXES:
        plain = plain.removesuffix(packed)
    return plain.endswith(LOG_SUFFIXES) and not name.startswith(".")
