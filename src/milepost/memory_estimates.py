"""How much memory a log takes, read as a whole or worked on in parts: rules of thumb, all in one place."""

from __future__ import annotations

import os
from typing import Final

from milepost.logs.formats.registry import LOG_SUFFIXES

FIXED: Final = 256 << 20  # bytes that the program takes by itself
SMALL: Final = 30_000  # records up to which every command looks at what may be wrong with a log as closely as `check` does
COMFORT: Final = 1 << 30  # bytes that a log may take as a whole, which is fastest for small ones, without being asked
_HELD: Final = 0.75  # bytes of memory for each byte of a log of JSON Lines that is held in memory and replayed block by block
_WHOLE: Final = 4  # bytes of memory for each byte of a log of JSON Lines that is read as a whole
_REPLAYED: Final = 12  # the same for a part while it is replayed, with what is made of it
_ATTEMPTS: Final = 70  # bytes of memory for each record of a log whose attempts are merged, with what measuring takes
_LEAST_PART: Final = 4 << 20
_UNPACKS: Final = 10  # times that compressed files, and Parquet, are smaller


def unpacked(name: str, size: int) -> int:
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
