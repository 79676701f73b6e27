"""How the process keeps its memory small."""

from __future__ import annotations

import atexit
import os
import shutil
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import Final

from milepost.errors import OutputError
from milepost.logs.formats.registry import LOG_SUFFIXES

_MAPPED_OPTION: Final = -3  # of the C library's mallopt: from which size on a block is mapped by itself
_KEPT_OPTION: Final = -1  # and how much that was freed stays for later
_BYTES: Final = 8 << 20  # smaller ones are made again and again, and each page of a new one costs
_KEPT: Final = 32 << 20
_ARROW: Final = "ARROW_DEFAULT_MEMORY_POOL"


def give_back_now() -> None:
    """Return to the system what the C library keeps of memory that was freed, where it can."""
    import ctypes

    try:
        ctypes.CDLL(None).malloc_trim(0)
    except (OSError, AttributeError, TypeError):
        return


def give_back_early() -> None:
    """Have columns that are freed return to the system at once, not stay with the process for later.

    The C library raises the size from which it does so as a program goes; where there are many columns of a few megabytes,
    as in work over parts, that keeps twice the memory that is in use. Where the C library has no such setting, nothing is done.
    Arrow has memory of its own, which it keeps likewise; it is told to ask the C library.
    """
    import ctypes

    os.environ.setdefault(_ARROW, "system")  # which it looks at when it loads; many a command never needs it
    if "pyarrow" in sys.modules:
        import pyarrow as pa

        pa.set_memory_pool(pa.system_memory_pool())
    try:
        library = ctypes.CDLL(None)
        library.mallopt(_MAPPED_OPTION, _BYTES)
        library.mallopt(_KEPT_OPTION, _KEPT)
    except (OSError, AttributeError, TypeError):
        return


@contextmanager
def scratch_writing() -> Iterator[None]:
    """Whatever fails here is laid to the temporary folder, not to the log that was being read.

    Raises:
        OutputError: nothing can be written there.
    """
    try:
        yield
    except (OSError, OutputError) as error:
        cause = error.__cause__ if isinstance(error, OutputError) else error
        reason = getattr(cause, "strerror", None) or str(cause or error)
        raise OutputError(
            f"{tempfile.gettempdir()}: the temporary folder cannot be written ({reason}). "
            "Make room there, or name another in the environment variable TMPDIR."
        ) from error


def scratch_folder() -> Path:
    """A new folder that goes when the program ends.

    Raises:
        OutputError: it cannot be made.
    """
    with scratch_writing():
        return Path(tempfile.mkdtemp(dir=_home()))


@cache
def _home() -> Path:
    home = Path(tempfile.mkdtemp(prefix="milepost-"))
    atexit.register(shutil.rmtree, home, ignore_errors=True)
    return home


FIXED: Final = 256 << 20  # bytes that the program takes by itself
SMALL: Final = 30_000  # records up to which every command looks at what may be wrong with a log as closely as `check` does
COMFORT: Final = 1 << 30  # bytes that a log may take as a whole, which is fastest for small ones, without being asked
_HELD: Final = 0.75  # bytes of memory for each byte of a log of JSON Lines that is held in memory and replayed block by block
_WHOLE: Final = 4  # bytes of memory for each byte of a log of JSON Lines that is read as a whole
_REPLAYED: Final = 12  # the same for a part while it is replayed, with what is made of it
_ATTEMPTS: Final = 70  # bytes of memory for each record of a log whose attempts are merged, with what measuring takes
_LEAST_PART: Final = 4 << 20
_UNPACKS: Final = 10  # times that compressed files, and Parquet, are smaller


def unpacked_size(name: str, size: int) -> int:
    """About how many bytes of JSON Lines a file of so many bytes holds, by its name."""
    plain = name.lower().endswith(LOG_SUFFIXES) and not name.lower().endswith(".parquet")
    return size if plain else size * _UNPACKS


def memory_of_whole(size: int) -> int:
    """About how much memory a log takes that is read as a whole, by its bytes of JSON Lines."""
    return FIXED + _WHOLE * size


def memory_of_held(size: int) -> int:
    """About how much memory a log takes that is held in as few bytes as hold it, by its bytes of JSON Lines."""
    return FIXED + round(_HELD * size)


def memory_of_attempts(records: int) -> int:
    """About how much memory the attempts of a log of so many records take that are merged and measured."""
    return FIXED + _ATTEMPTS * records


def part_within(memory: int) -> int:
    """How many bytes of JSON Lines a part may have, so that a process replays it within so much memory."""
    return max(_LEAST_PART, (memory - FIXED) // _REPLAYED)


def cores() -> int:
    """How many of this machine's processors the program may use."""
    try:
        return len(os.sched_getaffinity(0))
    except (AttributeError, OSError):
        return os.cpu_count() or 1


def memory_of_machine() -> int | None:
    """The bytes of memory that this machine has; None where it does not say."""
    try:
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    except (AttributeError, OSError, ValueError):
        return None
