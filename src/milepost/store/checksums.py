"""Checksums of files; of one that has not changed since, it is taken once."""

from __future__ import annotations

from functools import lru_cache
from hashlib import sha256
from pathlib import Path
from typing import Final

_BLOCK: Final = 1 << 20


def checksum(path: Path) -> str:
    """The SHA-256 of a file.

    Raises:
        OSError: it cannot be read.
    """
    state = path.stat()
    return _taken(path.resolve(), state.st_ino, state.st_size, state.st_mtime_ns)


@lru_cache(maxsize=1 << 14)
def _taken(path: Path, inode: int, size: int, changed: int) -> str:
    digest = sha256()
    with path.open("rb") as stream:
        while block := stream.read(_BLOCK):
            digest.update(block)
    return digest.hexdigest()
