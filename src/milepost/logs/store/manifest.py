"""The manifest of a packed store: what the store is made of, whether that can be, and which files are its own."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import dataclass, field
from functools import lru_cache
from hashlib import sha256
from pathlib import Path
from threading import Thread
from typing import Any, Final, NamedTuple, TypeVar

from milepost.errors import LogError, require_true
from milepost.logs.sources.files import STORE_MANIFEST

PARTS: Final = 16
MOST_PARTS: Final = 4096
TABLES: Final = ("sessions", "names", "refused")
REPLAYED: Final = "replayed"  # the folder of what was replayed of a store
_KIND, _VERSION = "milepost store", 5
_FILE: Final = re.compile(r"[\w=-]+(/[\w=-]+){0,2}\.parquet", re.ASCII)
T = TypeVar("T")
_TRIES: Final = 5  # of reading a store that is written to at the same time
Entry = dict[str, Any]  # what a manifest says of a file


@dataclass
class Manifest:
    """A store's manifest; the file names are relative to its folder."""

    rows: int = 0
    parts: int = PARTS  # into which players are divided
    joined: list[list[int]] = field(default_factory=list)  # pairs of parts that share a session or a player
    additions: int = 0
    records: list[Entry] = field(default_factory=list)  # file, part, rows, sha256
    tables: dict[str, Entry] = field(default_factory=dict)  # sessions, names, refused: file, sha256
    sources: list[Entry] = field(default_factory=list)  # the logs as far as they were packed: file, bytes, sha256
    debug_only: list[str] = field(default_factory=list)
    found: dict[str, int] = field(default_factory=dict)  # findings that were shown while following

    def files(self) -> set[str]:
        """The files that the store is made of."""
        return {part["file"] for part in (*self.records, *self.tables.values())}

    def text(self) -> str:
        """The manifest as it is written."""
        return json.dumps({"kind": _KIND, "version": _VERSION, **vars(self)}, indent=1) + "\n"

    def stamp(self) -> str:
        """Return a text that differs for any other manifest, of this store or of one that had its name before."""
        return sha256(self.text().encode()).hexdigest()


def is_store(path: Path) -> bool:
    """Return whether a folder is a packed store."""
    return (path / STORE_MANIFEST).is_file()


def earlier_name(manifest: Manifest) -> str:
    """The name under which a manifest stays when the next one has taken its place, for whoever is still reading."""
    return f"store-{manifest.additions:06d}.json"


def read_manifest(folder: Path, name: str = STORE_MANIFEST) -> Manifest:
    """The manifest of a store.

    Raises:
        LogError: it is no manifest, of another version, or says what cannot be; or there is a link in the store.
    """
    path = folder / name
    require_no_links(folder)
    try:
        values = json.loads(path.read_text(encoding="utf-8"))
        require_true(isinstance(values, dict) and values.pop("kind", None) == _KIND, "it is of another kind")
        version = values.pop("version", None)
        require_true(version == _VERSION, f"its version is {version!r}, and {_VERSION} is read here")
        require_true(isinstance(values, dict) and values.keys() <= vars(Manifest()).keys(), "it has keys that mean nothing")
        return _checked(Manifest(**values))
    except (OSError, ValueError, RecursionError) as error:
        raise LogError(f"{path}: is no manifest of a store that can be read ({error}). Pack the logs again.") from None


def _checked(manifest: Manifest) -> Manifest:
    """The manifest, if everything in it is what it has to be, and the records in the parts are as many as in the whole."""
    for name in ("rows", "parts", "additions"):
        require_true(_is_count(getattr(manifest, name)), f"{name} is no count")
    require_true(1 <= manifest.parts <= MOST_PARTS, f"parts is not from 1 to {MOST_PARTS:,}")
    for name in ("joined", "records", "sources", "debug_only"):
        require_true(isinstance(getattr(manifest, name), list), f"{name} is no list")
    for entry in manifest.records:
        whole = _is_file(entry) and _is_part(entry.get("part"), manifest) and _is_count(entry.get("rows"))
        require_true(whole, "an entry of records is broken")
    require_true(
        sum(entry["rows"] for entry in manifest.records) == manifest.rows, "its parts do not hold as many records as the whole"
    )
    tables = manifest.tables
    require_true(
        isinstance(tables, dict) and set(tables) == set(TABLES) and all(map(_is_file, tables.values())), "tables is broken"
    )
    for entry in manifest.sources:
        named = isinstance(entry, dict) and isinstance(entry.get("file"), str) and _is_count(entry.get("bytes"))
        require_true(named and isinstance(entry.get("sha256"), str | None), "an entry of sources is broken")
    require_true(all(isinstance(name, str) for name in manifest.debug_only), "debug_only is broken")
    for pair in manifest.joined:
        whole = isinstance(pair, list) and len(pair) == 2 and all(_is_part(part, manifest) for part in pair)
        require_true(whole, "joined is broken")
    require_true(isinstance(manifest.found, dict) and all(map(_is_count, manifest.found.values())), "found is broken")
    return manifest


def _is_count(value: object) -> bool:
    return type(value) is int and value >= 0


def _is_part(value: object, manifest: Manifest) -> bool:
    return isinstance(value, int) and _is_count(value) and value < manifest.parts


def _is_file(entry: object) -> bool:
    if not isinstance(entry, dict) or not isinstance(entry.get("sha256"), str):
        return False
    name = entry.get("file")
    return isinstance(name, str) and _FILE.fullmatch(name) is not None


def read_latest(folder: Path, read: Callable[[Manifest], T]) -> T:
    """Read a store by its newest manifest; again by the next one, if another process has added to the store meanwhile.

    Raises:
        LogError: the store is damaged.
    """
    for _ in range(_TRIES):
        manifest = read_manifest(folder)
        try:
            return read(manifest)
        except LogError:
            if read_manifest(folder) == manifest:
                raise
    raise LogError(f"{folder}: is written to again and again. Wait until that is done, and ask again.")


def require_no_links(folder: Path) -> None:
    """Refuse a store with a link in it, which would have writing and taking away reach elsewhere.

    Raises:
        LogError: there is one, or the folder cannot be looked through.
    """
    try:
        for entry in _entries(str(folder)):
            if entry.is_symlink():
                raise LogError(f"{entry.path}: is a link, and a packed store has none. Pack the logs again.")
    except OSError as error:
        if folder.exists():
            raise LogError(f"{folder}: the store cannot be looked through ({error.strerror or error}).") from error


def _entries(folder: str) -> Iterator[os.DirEntry[str]]:
    """All that lies in a folder and below it, but for folders that another process takes away or renames meanwhile."""
    with os.scandir(folder) as scan:
        entries = list(scan)
    yield from entries
    for entry in entries:
        with suppress(FileNotFoundError):
            yield from _entries(entry.path) if entry.is_dir(follow_symlinks=False) else ()


_BLOCK: Final = 1 << 20
_LONG: Final = 16 << 20  # bytes of a file whose checksum takes a while
_ahead: dict[_ChecksumState, Future[str]] = {}


class _ChecksumState(NamedTuple):
    """A file as it is: another one, or one that was written to, differs in this."""

    path: Path
    inode: int
    size: int
    changed: int

    @classmethod
    def of(cls, path: Path) -> _ChecksumState:
        """Return the state of the file at a path."""
        state = path.stat()
        return cls(path.resolve(), state.st_ino, state.st_size, state.st_mtime_ns)


def checksum(path: Path) -> str:
    """The SHA-256 of a file.

    Raises:
        OSError: it cannot be read.
    """
    return _checksum_of(_ChecksumState.of(path))


def take_checksums_ahead(paths: Iterable[Path]) -> None:
    """Begin to take the checksums of large files, which `checksum` will be asked for, beside whatever else is done.

    Whoever ends the program does not wait for them. What cannot be read is said when it is asked for.
    """
    begun: dict[_ChecksumState, Future[str]] = {}
    for path in paths:
        with suppress(OSError):
            if path.is_file() and (state := _ChecksumState.of(path)).size >= _LONG and state not in _ahead:
                begun[state] = Future()
    if begun:
        _ahead.update(begun)
        Thread(target=_take, args=(begun,), daemon=True).start()


@lru_cache(maxsize=1 << 14)
def _checksum_of(state: _ChecksumState) -> str:
    begun = _ahead.pop(state, None)
    return begun.result() if begun else _take_checksum(state.path)


def _take(begun: dict[_ChecksumState, Future[str]]) -> None:
    for state, future in begun.items():
        try:
            future.set_result(_take_checksum(state.path))
        except OSError as error:
            future.set_exception(error)


def _take_checksum(path: Path) -> str:
    digest = sha256()
    with path.open("rb") as stream:
        while block := stream.read(_BLOCK):
            digest.update(block)
    return digest.hexdigest()
