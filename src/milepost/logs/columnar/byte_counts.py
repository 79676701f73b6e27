"""How often some marks are in a file of JSON Lines, counted in whole buffers while others read its fields."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from milepost.logs.columnar.block import require
from milepost.logs.columnar.column_builders import NOTHING
from milepost.logs.sources.files import Source

_AT_ONCE: Final = 1 << 20  # bytes
_MOST_BYTES: Final = 1 << 50
_NEWLINE, _COLON, _COMMA, _CLOSING = (ord(mark) for mark in "\n:,}")
_CODED: Final = (b"\\u003a", b"\\u003A")  # colons that would not be counted
_NULL: Final = b"null"
_SPACES: Final = b" \t\r"


@dataclass(frozen=True)
class Marks:
    """How often ends of lines, colons, and fields of nothing are in a file."""

    lines: int
    colons: int
    nulls: int

    @classmethod
    def of(cls, source: Source) -> Marks:
        """Return the marks of a file.

        Raises:
            LogError: it cannot be read.
            NotStrictError: something in it is no JSON, but would pass for it.
        """
        lines = colons = nulls = 0
        last = b"\n"
        with source.open(_MOST_BYTES) as stream:
            while data := stream.read(_AT_ONCE):
                rest = stream.readline(_AT_ONCE)  # no mark in two
                require(len(rest) < _AT_ONCE)
                data += rest
                marks = np.frombuffer(data, np.uint8)
                require(_plain(data, marks))
                lines += int(np.count_nonzero(marks == _NEWLINE))
                colons += int(np.count_nonzero(marks == _COLON))
                nulls += sum(data.count(mark.encode()) for mark in NOTHING) if _has(data, _NULL) else 0
                last = data[-1:]
        return cls(lines + (last != b"\n"), colons, nulls)


@contextmanager
def counted_beside(source: Source) -> Iterator[Future[Marks]]:
    """The marks of a file, counted while something else is done."""
    with ThreadPoolExecutor(1) as beside:
        yield beside.submit(Marks.of, source)


def _has(data: bytes, word: bytes) -> bool:
    """Return whether a word of four bytes is in a buffer; twice as fast as a search, where most often it is not."""
    number = np.frombuffer(word, np.uint32)[0]
    places = range(min(len(word), max(0, len(data) - len(word) + 1)))
    return any((np.frombuffer(data, np.uint32, (len(data) - place) // 4, place) == number).any() for place in places)


def _plain(data: bytes, marks: NDArray[np.uint8]) -> bool:
    """Return whether every colon can be counted, and nothing is JSON for DuckDB alone: trailing commas, form feeds."""
    if b"\x0b" in data or b"\x0c" in data or (b"\\" in data and any(coded in data for coded in _CODED)):
        return False
    before = marks[np.flatnonzero(marks[1:] == _CLOSING)]
    if (before == _COMMA).any():
        return False
    spaced = any((before == space).any() for space in _SPACES)  # most logs have none, and need no second look
    return not spaced or b",}" not in data.translate(None, _SPACES)
