"""Checksums of files; of one that has not changed since, it is taken once, and beside other work where that is asked for."""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import Future
from contextlib import suppress
from functools import lru_cache
from hashlib import sha256
from pathlib import Path
from threading import Thread
from typing import Final, NamedTuple

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
    return _known(_ChecksumState.of(path))


def taken_ahead(paths: Iterable[Path]) -> None:
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
def _known(state: _ChecksumState) -> str:
    begun = _ahead.pop(state, None)
    return begun.result() if begun else _taken(state.path)


def _take(begun: dict[_ChecksumState, Future[str]]) -> None:
    for state, future in begun.items():
        try:
            future.set_result(_taken(state.path))
        except OSError as error:
            future.set_exception(error)


def _taken(path: Path) -> str:
    digest = sha256()
    with path.open("rb") as stream:
        while block := stream.read(_BLOCK):
            digest.update(block)
    return digest.hexdigest()
