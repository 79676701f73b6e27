"""Output: standard output, or a file that is written whole or not at all."""

from __future__ import annotations

import os
import stat
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from milepost.errors import OutputError

_OPEN_ALREADY = (Path("/dev/fd"), Path("/proc/self/fd"))
_PLAIN = str.maketrans({"–": "-", "−": "-", "━": "=", "╸": "-", "“": '"', "”": '"', "…": "..."})


def write_text(text: str, target: str | None) -> None:
    """Write to a file, or to standard output where the target is None or `-`.

    Characters that cannot be encoded are written as escapes, never dropped.

    Raises:
        OutputError: the file, or standard output, cannot be written.
    """
    if target is not None and target != "-":
        data = text.encode("utf-8", "backslashreplace")
        write_file(target, lambda stream: stream.write(data))
        return
    if sys.stdout is None:
        raise OutputError("standard output is closed. Name a file with --output, or leave standard output open.")
    encoding = sys.stdout.encoding or "utf-8"
    if not encoding.lower().startswith("utf"):
        text = text.translate(_PLAIN)
    try:
        sys.stdout.buffer.write(text.encode(encoding, "backslashreplace"))
        sys.stdout.flush()
    except BrokenPipeError:
        raise
    except OSError as error:
        raise OutputError(f"standard output cannot be written ({error.strerror or error}). Is the disk full?") from error


def write_file(target: str | Path, write: Callable[[BinaryIO], object]) -> None:
    """Let ``write`` fill a file beside the target, then put it in the target's place.

    A link is followed, so that it stays one; pipes and devices are written to as they are.

    Raises:
        OutputError: the file cannot be written.
    """
    path, beside = Path(target), None
    try:
        if path.is_dir():
            raise OutputError(f"{path}: is a folder. Name a file to write to.")
        if _is_stream(path):
            with path.open("wb") as stream:
                write(stream)
            return
        real = Path(os.path.realpath(path))
        mode = stat.S_IMODE(real.stat().st_mode) if real.exists() else 0o666 & ~_umask()
        handle, beside = tempfile.mkstemp(prefix=".milepost-", dir=real.parent)
        with os.fdopen(handle, "wb") as stream:
            write(stream)
        Path(beside).chmod(mode)
        Path(beside).replace(real)
        beside = None
    except (OSError, ValueError) as error:  # a name with a null character is a ValueError
        reason = getattr(error, "strerror", None) or error
        raise OutputError(f"{path}: cannot be written ({reason}). Name a place that can.") from error
    finally:
        if beside:
            Path(beside).unlink(missing_ok=True)


@contextmanager
def hold_alone(lock: Path, busy: str | None = None) -> Iterator[None]:
    """Hold a lock to the end, or until the process ends, where the system has such locks, so that none of two changes is lost.

    Args:
        lock: a file of its own, which is made and stays: one that is ever renamed away would be another for whoever comes later.
        busy: what is said to whoever comes while another holds it; None where he waits.

    Raises:
        OutputError: another process holds it, and nobody is to wait.
    """
    with ExitStack() as held:
        with suppress(ImportError, OSError):
            import fcntl

            file = held.enter_context(lock.open("a"))
            try:
                fcntl.flock(file, fcntl.LOCK_EX | (fcntl.LOCK_NB if busy else 0))
            except BlockingIOError:
                raise OutputError(busy or "") from None
        yield


def _is_stream(path: Path) -> bool:
    """Return whether something is there that is no file to be replaced: a pipe, a device, or a place that is open already."""
    if path.parent in _OPEN_ALREADY or str(path) in ("/dev/stdout", "/dev/stderr"):
        return True
    return path.exists() and not stat.S_ISREG(path.stat().st_mode)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def cache_folder(name: str) -> Path | None:
    """The program's own folder of a name in the user's cache; None if there can be none that is only this user's."""
    base = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    folder = base / "milepost" / name
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for path in (folder.parent, folder):
            path.chmod(0o700)  # which only its owner can
    except OSError:
        return None
    return folder if is_only_ours(folder.parent) and is_only_ours(folder) else None


def is_only_ours(path: Path) -> bool:
    """Return whether a file or folder is this user's, no link, and nobody else can write to it."""
    try:
        state = path.lstat()
    except OSError:
        return False
    if not hasattr(os, "geteuid"):
        return not stat.S_ISLNK(state.st_mode)
    others = state.st_mode & (stat.S_IWGRP | stat.S_IWOTH)
    return state.st_uid == os.geteuid() and not others and not stat.S_ISLNK(state.st_mode)
