"""Logs at addresses such as s3://… or https://…: fetched through fsspec into a folder that goes when the program does."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO, Final

from milepost.errors import LogError, OutputError
from milepost.memory import scratch_folder, scratch_writing

if TYPE_CHECKING:
    from fsspec import AbstractFileSystem

_ADDRESS: Final = re.compile(r"[a-z][a-z0-9+.-]*://", re.IGNORECASE)
_AT_ONCE: Final = 1 << 20  # bytes
_NEEDS: Final = "Reading from such an address needs the extra: pip install 'milepost[remote]'."


def is_address(name: str) -> bool:
    """Return whether a name is an address, not a path."""
    return _ADDRESS.match(name) is not None


def without_secrets(address: str) -> str:
    """An address as it may be shown: without a user's name, a password, or what comes after a question mark or a number sign.

    A password may have an @ or a slash in it, so all goes that stands before the last @.
    """
    kind, mark, rest = address.partition("://")
    if not mark:
        return address
    before, at, after = rest.rpartition("@")
    if at and any(sign in before for sign in "?#"):
        return f"{kind}://…"  # a password with such a sign in it, or a query with an @: nobody can tell
    return f"{kind}://{re.split('[?#]', after)[0]}"


@cache
def fetch_files(address: str, is_log: Callable[[str], bool]) -> list[tuple[str, Path]]:
    """The files that an address stands for, with where each was put: a file, a glob, or the logs in a folder.

    Args:
        address: the address.
        is_log: tells whether a file in a folder is taken for a log, by its name.

    Raises:
        LogError: fsspec, or its driver for this kind of address, is not installed; or nothing is there to be read.
    """
    shown = without_secrets(address)
    try:
        from fsspec.core import url_to_fs
    except ImportError:
        raise LogError(f"{shown}: {_NEEDS}") from None
    try:
        files, path = url_to_fs(address)
        names = _names(files, path, is_log)
        if not names:
            raise LogError(f"{shown}: no log is there. Name a log file, a folder of logs or a glob.")
        shown_names = [without_secrets(str(files.unstrip_protocol(name))) for name in names]
        return [(shown, _put(files, name)) for shown, name in zip(shown_names, names, strict=True)]
    except (LogError, OutputError):
        raise
    except (ImportError, ValueError) as error:
        raise LogError(f"{shown}: cannot be read ({first_line(error)}). {_NEEDS}") from None
    except Exception as error:  # drivers raise what they like
        raise LogError(f"{shown}: cannot be read ({first_line(error)}). Is it there, and may you read it?") from None


def _names(files: AbstractFileSystem, path: str, is_log: Callable[[str], bool]) -> list[str]:
    marks = "*[" if path.startswith(("http:", "https:")) else "*?["  # there a question mark begins a query
    if any(mark in path for mark in marks) and not files.exists(path):  # a name goes before a pattern
        return sorted(files.glob(path))
    if files.isdir(path) and not is_log(path.rsplit("/", 1)[-1]):
        return sorted(name for name in files.find(path) if is_log(name.rsplit("/", 1)[-1]))
    return [path]


def _put(files: AbstractFileSystem, name: str) -> Path:
    target = scratch_folder() / (re.sub(r"[^\w.-]", "_", name.partition("?")[0].rsplit("/", 1)[-1])[-100:] or "log")
    with files.open(name, "rb") as remote, scratch_writing(), target.open("wb") as local:
        while data := _read(remote):
            local.write(data)
    return target


def _read(remote: BinaryIO) -> bytes:
    """The next bytes; what goes wrong there is not laid to the temporary folder."""
    try:
        data: bytes = remote.read(_AT_ONCE)
    except OSError as error:
        raise LogError(f"breaks off ({first_line(error)}). Is the connection steady?") from None
    return data


def first_line(error: BaseException) -> str:
    """Return what an error says in its first line, without the secrets of addresses; its kind where it says nothing."""
    line = (str(error).splitlines() or [""])[0] or type(error).__name__
    return re.sub(r"[a-z][a-z0-9+.-]*://\S+", lambda match: without_secrets(match[0]), line)
