"""Files of a log and how to open them: files, folders, globs, standard input, packed or not."""

from __future__ import annotations

import bz2
import glob
import gzip
import io
import lzma
import os
import select
import stat
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO, Protocol, cast

from milepost.errors import LogError
from milepost.level_names import natural_key
from milepost.logs.formats.registry import LOG_SUFFIXES
from milepost.logs.sources.postgres import copy_table, is_server
from milepost.logs.sources.remote import fetch_files, is_address
from milepost.memory import scratch_folder, scratch_writing

if TYPE_CHECKING:
    import zstandard

PACKED_SUFFIXES = (".gz", ".zst", ".bz2", ".xz")
TABLE_MARK = "::"
STORE_MANIFEST = "store.json"  # what makes a folder a packed store
_GZIP, _ZSTD, _BZIP2, _XZ = b"\x1f\x8b", b"\x28\xb5\x2f\xfd", b"BZh", b"\xfd7zXZ\x00"
_UNPACKING_ERRORS = ("zlib", "zstandard", "zstd", "_lzma", "lzma")
_AT_ONCE, _FRAME_BYTES = 1 << 16, 1 << 10
_PATIENCE = 0.5  # seconds


@dataclass(frozen=True)
class Source:
    """One file of a log, or standard input where ``path`` is None; ``table`` names a table in it."""

    path: Path | None
    table: str | None = None
    store: Path | None = None  # the folder of a packed store, whose manifest the file is
    name: str | None = None  # how messages name it, where that is not the path

    @property
    def label(self) -> str:
        """How messages name it."""
        if self.path is None:
            return "standard input"
        if self.name:
            return self.name
        return f"{self.path}{TABLE_MARK}{self.table}" if self.table else str(self.path)

    @contextmanager
    def open(self, max_bytes: int) -> Iterator[io.BufferedReader]:
        """Open for reading, unpacking what is packed (told from the first bytes, not from the name).

        Args:
            max_bytes: how much a packed file may unpack to.

        Raises:
            LogError: the file cannot be opened or read, breaks off inside its packing, or unpacks to too much.
        """
        stream = None
        try:
            stream = _standard_input(max_bytes) if self.path is None else _opened(self.path.open("rb"), max_bytes)
            yield stream
        except _TooLargeError:
            raise LogError(
                f"{self.label}: unpacks to more than {max_bytes:,} bytes. If it is meant to, raise --max-bytes."
            ) from None
        except (OSError, EOFError) as error:
            raise LogError(f"{self.label}: cannot be read ({_reason(error)}). Is the file whole?") from error
        except Exception as error:
            if type(error).__module__.partition(".")[0] not in _UNPACKING_ERRORS:
                raise
            raise LogError(f"{self.label}: cannot be unpacked ({error}). Is the file whole?") from error
        finally:
            if stream is not None and self.path is not None:
                stream.close()

    def size(self) -> int:
        """Bytes on disk; 0 where that is not known."""
        return 0 if self.path is None else self.path.stat().st_size


def _reason(error: OSError | EOFError) -> str:
    return getattr(error, "strerror", None) or str(error)


class _TooLargeError(Exception):
    """A packed file holds more than it may."""


class _Readable(Protocol):
    """A stream of bytes."""

    def read(self, size: int, /) -> bytes:
        """Up to so many bytes."""

    def close(self) -> None:
        """Close it."""


class _Bounded(io.RawIOBase):
    """A stream that ends with an error once more than ``limit`` bytes were read."""

    def __init__(self, stream: _Readable, limit: int) -> None:
        self.stream, self.left = stream, limit

    def readable(self) -> bool:
        """It is there to be read."""
        return True

    def readinto(self, buffer: Any) -> int:
        """Fill a buffer, counting."""
        data = self.stream.read(len(buffer))
        self.left -= len(data)
        if self.left < 0:
            raise _TooLargeError
        buffer[: len(data)] = data
        return len(data)

    def close(self) -> None:
        """Close both."""
        self.stream.close()
        super().close()


@cache
def _standard_input(max_bytes: int) -> io.BufferedReader:
    """Standard input, opened once: what was looked at is read afterwards."""
    if sys.stdin is None:
        raise LogError("standard input is closed. Name a log file, or give one through a pipe.")
    raw = getattr(sys.stdin.buffer, "raw", None)
    return _opened(io.BufferedReader(_Awaited(raw)) if raw else sys.stdin.buffer, max_bytes)


class _Awaited(io.RawIOBase):
    """A pipe that is read only once something is in it, as a termination just before a read would wait inside it."""

    def __init__(self, raw: io.RawIOBase) -> None:
        self.raw = raw

    def readable(self) -> bool:
        """Yes."""
        return True

    def readinto(self, buffer: Any) -> int | None:
        """Fill a buffer with what is there; 0 at the end."""
        while os.name == "posix" and not select.select([self.raw], [], [], _PATIENCE)[0]:
            pass  # signals are seen to between two waits
        return self.raw.readinto(buffer)


def _opened(raw: BinaryIO, max_bytes: int) -> io.BufferedReader:
    buffered: Any = raw if hasattr(raw, "peek") else io.BufferedReader(raw)
    magic = buffered.peek(6)[:6]
    for mark, unpack in _UNPACKERS.items():
        if magic.startswith(mark):
            return io.BufferedReader(_Bounded(unpack(buffered), max_bytes), _AT_ONCE)
    return cast(io.BufferedReader, buffered)


class _Zstandard:
    """A stream of Zstandard frames; unlike the package's own reader it tells the end of the data from the end of a frame."""

    def __init__(self, packed: BinaryIO) -> None:
        self.packed, self._pieces, self._left = packed, self._unpacked(packed), memoryview(b"")

    def read(self, size: int) -> bytes:
        """Up to so many bytes; none at the end.

        Raises:
            EOFError: the data ends within a frame.
        """
        while not self._left:
            piece = next(self._pieces, None)
            if piece is None:
                return b""
            self._left = memoryview(piece)
        given, self._left = self._left[:size], self._left[size:]
        return bytes(given)

    @staticmethod
    def _unpacked(packed: BinaryIO) -> Iterator[bytes]:
        import zstandard

        frame: zstandard.ZstdDecompressionObj | None = None
        while data := packed.read(_FRAME_BYTES):  # little at a time, for it may unpack to thousands of times as much
            while data:
                frame = frame or zstandard.ZstdDecompressor().decompressobj()
                yield frame.decompress(data)
                frame, data = (None, frame.unused_data) if frame.eof else (frame, b"")
        if frame is not None:
            raise EOFError("it ends in the middle of a compressed frame")

    def close(self) -> None:
        """Close what is unpacked."""
        self.packed.close()


_UNPACKERS: dict[bytes, Callable[[io.BufferedReader], _Readable]] = {
    _GZIP: lambda packed: gzip.GzipFile(fileobj=packed),
    _ZSTD: _Zstandard,
    _BZIP2: bz2.BZ2File,
    _XZ: lzma.LZMAFile,
}


def as_name(path: Path) -> str:
    """A path as DuckDB takes it for the name of one file, never for a pattern, an address or a home folder."""
    written = "".join(f"[{char}]" if char in "*?[" else char for char in str(path))
    return written if path.is_absolute() else f"./{written}"


def look_afresh() -> None:
    """Forget what was fetched from addresses and servers, so that the next log is what is there now."""
    fetch_files.cache_clear()
    copy_table.cache_clear()


def expand(names: list[str]) -> list[Source]:
    """The files that the names on the command line stand for, in the order given, each once.

    A folder stands for the log files in it and below it; folders and globs come in natural name order. ``FILE::TABLE``
    is a table in a database file.

    Raises:
        LogError: a name stands for nothing.
    """
    by_place: dict[object, Source] = {}
    for name in names:
        for source in _sources(name):
            by_place.setdefault((source.path.resolve() if source.path else "-", source.table), source)
    sources = list(by_place.values())
    if any(source.store for source in sources[1:]):
        raise LogError("a packed store comes first, and there is one of it: name it before the logs that are to go with it.")
    return sources


def _sources(name: str) -> list[Source]:
    if name == "-":
        return [Source(None)]
    if "://" in name and is_server(name):
        shown, copy = copy_table(name)
        return [Source(copy, name=shown)]
    if "://" in name and is_address(name):
        return [Source(path, name=address) for address, path in fetch_files(name, is_log_name)]
    if not name or "\0" in name:
        raise LogError("a log without a name. Give a log file, a folder of logs, a glob, or - for standard input.")
    path = Path(name)
    try:
        mode = path.stat().st_mode
    except (FileNotFoundError, NotADirectoryError):
        return _list_by_pattern(name)
    except OSError as error:
        raise LogError(f"{name}: cannot be read ({error.strerror or error}).") from error
    return _list_at_path(path, mode)


def _list_at_path(path: Path, mode: int) -> list[Source]:
    """Return the sources at a path that exists."""
    if stat.S_ISDIR(mode) and (path / STORE_MANIFEST).is_file():
        return [Source(path / STORE_MANIFEST, store=path)]
    if stat.S_ISDIR(mode):
        return _list_in_folder(path)
    if stat.S_ISFIFO(mode) or stat.S_ISSOCK(mode):
        return [Source(_spooled(str(path)), name=str(path))]
    if not stat.S_ISREG(mode):
        raise LogError(f"{path}: is a device, not a log. Give a log file, a folder of logs, a glob, or - for standard input.")
    return [Source(path)]


def _copy(pipe: BinaryIO, kept: BinaryIO) -> None:
    while data := pipe.read(_AT_ONCE):
        with scratch_writing():
            kept.write(data)


@cache
def _spooled(name: str) -> Path:
    """Copy a pipe into a file, since it can be read only once and a log is read more than once."""
    target = scratch_folder() / "log"
    try:
        with Path(name).open("rb", buffering=0) as pipe, target.open("wb") as kept:
            _copy(io.BufferedReader(_Awaited(pipe)), kept)
    except OSError as error:
        raise LogError(f"{name}: cannot be read ({error.strerror or error}).") from error
    return target


def _list_by_pattern(name: str) -> list[Source]:
    """Return the sources for a name that is no path: a table in a database file, or a glob."""
    file, mark, table = name.rpartition(TABLE_MARK)
    if mark and Path(file).is_file():
        return [Source(Path(file), table)]
    if glob.has_magic(name):
        return _list_in_glob(name)
    raise LogError(f"{name}: no such file or folder. Give a log file, a folder of logs, a glob, or - for standard input.")


def _list_in_glob(pattern: str) -> list[Source]:
    paths = [Path(path) for path in sorted(glob.glob(pattern, recursive=True), key=natural_key)]
    sources = [Source(path) for path in paths if path.is_file() and store_around(path) is None]
    if not sources:
        raise LogError(f"{pattern}: no file matches. Put the glob in quotes, or name a folder of logs.")
    return sources


def _list_in_folder(folder: Path) -> list[Source]:
    try:
        named = [path for path in folder.rglob("*") if is_log_name(path.name) and path.is_file()]
        paths = [path for path in named if store_around(path, folder) is None]
    except OSError as error:
        raise LogError(f"{folder}: cannot be read ({error.strerror or error}).") from error
    if not paths:
        known, packed = ", ".join(LOG_SUFFIXES), ", ".join(PACKED_SUFFIXES)
        raise LogError(f"{folder}: no log in this folder. Log files end in {known}, packed ones also in {packed}.")
    return [Source(path) for path in sorted(paths, key=lambda path: natural_key(path.relative_to(folder).as_posix()))]


def store_around(path: Path, within: Path | None = None) -> Path | None:
    """The packed store in whose folder a path lies, as far up as a folder, or as the path goes; None where in none."""
    for folder in path.parents:
        if folder == within:
            return None
        with suppress(OSError):
            if (folder / STORE_MANIFEST).is_file():
                return folder
    return None


def is_log_name(name: str) -> bool:
    """Return whether a file in a folder is taken for a log, by its name's ending."""
    return plain_name(name).endswith(LOG_SUFFIXES) and not name.startswith(".")


def plain_name(name: str) -> str:
    """A file name in lower case without the ending of a packing."""
    plain = name.lower()
    for packed in PACKED_SUFFIXES:
        plain = plain.removesuffix(packed)
    return plain
