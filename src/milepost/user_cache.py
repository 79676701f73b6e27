"""The user's folder for what can be made again: nobody else can have written what lies there."""

from __future__ import annotations

import os
import stat
from pathlib import Path


def cache_folder(name: str) -> Path | None:
    """The program's own folder of a name in the user's cache; None if there can be none that is only this user's."""
    base = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    folder = base / "milepost" / name
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for own in (folder.parent, folder):
            own.chmod(0o700)  # which only its owner can
    except OSError:
        return None
    return folder if only_ours(folder.parent) and only_ours(folder) else None


def only_ours(path: Path) -> bool:
    """Return whether a file or folder is this user's, no link, and nobody else can write to it."""
    try:
        state = path.lstat()
    except OSError:
        return False
    if not hasattr(os, "geteuid"):
        return not stat.S_ISLNK(state.st_mode)
    others = state.st_mode & (stat.S_IWGRP | stat.S_IWOTH)
    return state.st_uid == os.geteuid() and not others and not stat.S_ISLNK(state.st_mode)
