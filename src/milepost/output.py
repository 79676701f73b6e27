"""Where output goes: standard output, or a file that is there whole or not at all."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from milepost.errors import OutputError

_PLAIN = str.maketrans({"–": "-", "−": "-", "━": "=", "╸": "-", "“": '"', "”": '"', "…": "..."})


def write_text(text: str, target: str | None) -> None:
    """Write to a file, or to standard output where the target is None or `-`.

    Characters that cannot be encoded are written as escapes, never dropped.

    Raises:
        OutputError: the file cannot be written.
    """
    if target is None or target == "-":
        encoding = sys.stdout.encoding or "utf-8"
        if not encoding.lower().startswith("utf"):
            text = text.translate(_PLAIN)
        data = text.encode(encoding, "backslashreplace")
        sys.stdout.buffer.write(data)
        sys.stdout.flush()
    else:
        data = text.encode("utf-8", "backslashreplace")
        write_file(target, lambda stream: stream.write(data))


def write_file(target: str | Path, write: Callable[[BinaryIO], object]) -> None:
    """Let ``write`` fill a file beside the target, then put it in the target's place.

    Raises:
        OutputError: the file cannot be written.
    """
    path = Path(target)
    if path.is_dir():
        raise OutputError(f"{path}: is a folder. Name a file to write to.")
    beside = None
    try:
        handle, beside = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(handle, "wb") as stream:
            write(stream)
        Path(beside).chmod(0o666 & ~_umask())
        Path(beside).replace(path)
        beside = None
    except OSError as error:
        raise OutputError(f"{path}: cannot be written ({error.strerror or error}). Name a place that can.") from error
    finally:
        if beside:
            Path(beside).unlink(missing_ok=True)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
