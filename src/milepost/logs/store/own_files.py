"""Files that belong to a packed store: nothing else is ever written or deleted."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

from milepost.errors import LogError


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
    """All that lies in a folder and below it."""
    with os.scandir(folder) as entries:
        for entry in entries:
            yield entry
            if entry.is_dir(follow_symlinks=False):
                yield from _entries(entry.path)
