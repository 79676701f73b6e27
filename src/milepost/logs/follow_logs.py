"""Follows logs while they grow: only what is new is read, and a last line that is half written waits."""

from __future__ import annotations

import io
from dataclasses import dataclass, field
from glob import glob, has_magic
from pathlib import Path
from typing import BinaryIO, Final

import numpy as np

from milepost.errors import LogError
from milepost.level_names import natural_key
from milepost.logs.formats.jsonlines import add_line, lines
from milepost.logs.interface import Log
from milepost.logs.log_growth import ReadPosition, find_known_beginning, put_in_log_order
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import RecordSink
from milepost.logs.sources.files import is_log_name, store_around

SUFFIXES: Final = (".jsonl", ".ndjson")
_AT_ONCE: Final = 64 << 20  # bytes


@dataclass(eq=False, repr=False)
class Tail:
    """Logs that grow as far as they were read.

    Attributes:
        places: folders in which they grow, or logs themselves, in order.
        log_map: how to read them.
        builder: what was read.
        read: per file, how far it was read.
        settled: whether these two agree: not in the middle of reading.
        anew: how often everything was read anew, because a file was no longer what it had been.
        apart: files that lie there and are no logs.
    """

    places: tuple[Path, ...]
    log_map: LogMap
    builder: RecordBuilder = field(default_factory=RecordBuilder)
    read: dict[str, ReadPosition] = field(default_factory=dict)
    settled: bool = True
    anew: int = 0
    apart: frozenset[Path] = frozenset()

    def advance(self) -> int:
        """Read whatever whole lines have come; how many. If a file is no longer what was read of it, all is read anew.

        Raises:
            LogError: there is no folder, or a file cannot be read.
        """
        for place in self.places:
            if not place.exists() and not has_magic(str(place)):
                raise LogError(f"{place}: no such folder. Name the folder in which the logs are written.")
        self.settled = False
        paths = self._files()
        if not all(self._is_unchanged(path) for path in paths):
            self._begin_anew()
        came = sum(self._advance(path) for path in paths)
        self.settled = True
        return came

    def log(self) -> Log:
        """Return the log so far, as if the files had been read one after the other.

        Raises:
            LogError: a file cannot be read.
        """
        files = self.builder.files
        order = [name for name in files if name not in self.read] + [str(path) for path in self._files()]
        places = {name: place for place, name in enumerate(order)}
        log = put_in_log_order(self.builder.log(), np.array([places.get(name, len(order)) for name in files], dtype=np.int64))
        if log is None:
            self._begin_anew()
            self.advance()
            log = self.builder.log()
        return log

    def go_on_from(self, known: dict[str, tuple[int, str | None]]) -> None:
        """Pass over what a store holds already; where a file is no longer what it holds of it, all is read anew.

        Args:
            known: per file of the store, how many of its bytes were read, and their SHA-256.
        """
        for path in self._files():
            beginnings = [(length, digest) for length, digest in known.values() if digest is not None]
            reached = find_known_beginning(path, beginnings) if beginnings else None
            if reached is not None:
                self.read[str(path)] = reached
            elif known.get(str(path), (0, None))[0]:  # it was read, and is another now
                self._begin_anew()
                return

    def _begin_anew(self) -> None:
        self.builder, self.read = RecordBuilder(), {}
        self.anew += 1

    def _files(self) -> list[Path]:
        paths = dict.fromkeys(path for place in self.places for path in self._files_of(place))
        return [path for path in paths if path.resolve() not in self.apart]

    def _files_of(self, place: Path) -> list[Path]:
        if place.is_dir():
            paths = [path for path in _logs_in(place) if path.suffix.lower() in SUFFIXES]
            return sorted(paths, key=lambda path: natural_key(path.relative_to(place).as_posix()))
        return [place] if place.exists() else [Path(name) for name in sorted(glob(str(place), recursive=True), key=natural_key)]

    def not_followed(self) -> list[str]:
        """Logs in these places that can only be read as wholes, since they are no plain JSON Lines."""
        paths = [path for place in self.places for path in (_logs_in(place) if place.is_dir() else self._files_of(place))]
        others = [path for path in paths if path.suffix.lower() not in SUFFIXES or not path.is_file()]
        return [str(path) for path in others if path.resolve() not in self.apart]

    def _is_unchanged(self, path: Path) -> bool:
        """Return whether a file still begins with what was read of it; it is read only if the system says that it changed."""
        reached = self.read.get(str(path))
        if reached is None:
            return True
        try:
            seen = _fingerprint(path)
            if seen != reached.seen:
                if find_known_beginning(path, [(reached.length, reached.sha256)]) is None and reached.length:
                    return False
                reached.seen = seen
        except OSError as error:
            raise LogError(f"{path}: cannot be read ({error.strerror or error}).") from error
        return True

    def _advance(self, path: Path) -> int:
        label = str(path)
        reached = self.read.setdefault(label, ReadPosition())
        try:
            if path.stat().st_size == reached.length:
                return 0
            if label not in self.builder.files:
                self.builder.files.append(label)
            with path.open("rb") as stream:
                came = read_on(self.builder, self.builder.files.index(label), stream, reached, self.log_map)
            reached.seen = _fingerprint(path)
        except OSError as error:
            raise LogError(f"{label}: cannot be read ({error.strerror or error}).") from error
        return came


def _logs_in(folder: Path) -> list[Path]:
    """The files of a folder that are taken for logs."""
    paths = [path for path in folder.rglob("*") if is_log_name(path.name) and path.is_file()]
    return [path for path in paths if store_around(path, folder) is None]


def _fingerprint(path: Path) -> tuple[int, ...]:
    state = path.stat()
    return state.st_dev, state.st_ino, state.st_size, state.st_mtime_ns


def read_on(
    builder: RecordBuilder, file: int, stream: BinaryIO, reached: ReadPosition, log_map: LogMap, to_the_end: bool = False
) -> int:
    """Read the lines that a file of JSON Lines has beyond what was read of it; how many.

    Args:
        builder: where the records go.
        file: the file's number there.
        stream: the file.
        reached: how far it was read, and is read from now on.
        log_map: how to read it.
        to_the_end: whether a last line that has no end is read, too; else it waits.
    """
    sink = RecordSink(builder, file, builder.translated_by(log_map), cells=False)
    before = reached.lines
    stream.seek(reached.length)
    while whole := _whole_lines(stream, to_the_end):
        for line in lines(io.BufferedReader(io.BytesIO(whole)), first=reached.lines == 0):
            reached.lines += 1
            add_line(line, reached.lines, sink)
        reached.take(whole)
        stream.seek(reached.length)
    return reached.lines - before


def _whole_lines(stream: BinaryIO, to_the_end: bool) -> bytes:
    """Return the new whole lines; empty if no line ends any more."""
    data = stream.read(_AT_ONCE)
    while data and b"\n" not in data and (more := stream.read(_AT_ONCE)):
        data += more
    return data[: data.rfind(b"\n") + 1] or (data if to_the_end else b"")
