"""DuckDB's connections, and what lies between Arrow's arrays and NumPy's: their memory.

Arrow's own ways to NumPy load pandas, for the time of a small log.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from typing import TYPE_CHECKING, Any, Final

import numpy as np

from milepost.arrays import Bools, Column, Ints

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

Arrow = Any  # an array of Arrow, which has no types
_SMALL: Final = 8 << 20  # bytes


@contextmanager
def connect(size: int) -> Iterator[DuckDBPyConnection]:
    """Yield a connection to a database in memory, to read a file of so many bytes.

    Making a database takes as long as reading a small log, so these have one for all; that of a large one goes with its memory.
    """
    import duckdb

    with _database(os.getpid()).cursor() if size < _SMALL else duckdb.connect() as base:
        yield base


@cache
def _database(_: int) -> DuckDBPyConnection:
    """The database of a process by its number: what is forked may not use that of its parent."""
    import duckdb

    return duckdb.connect()


def array_of(values: Column, given: Bools | None = None) -> Arrow:
    """An Arrow array over numbers or truths, which are not copied; with ``given``, the others are nothing."""
    import pyarrow as pa

    content = np.packbits(values, bitorder="little") if values.dtype == np.bool_ else np.ascontiguousarray(values)
    valid = None if given is None else pa.py_buffer(np.packbits(given, bitorder="little"))
    return pa.Array.from_buffers(pa.from_numpy_dtype(values.dtype), len(values), [valid, pa.py_buffer(content)])


def texts_of(values: list[str | None]) -> Arrow:
    """An Arrow array of texts."""
    from pyarrow.lib import StringBuilder

    builder = StringBuilder()
    builder.append_values(values)
    return builder.finish()


def values_of(array: Arrow) -> Arrow:
    """The numbers or truths of an Arrow array, as a view where they lie so; those that are not given mean nothing."""
    content = array.buffers()[1]
    if str(array.type) == "bool":
        return _bits(content, array)
    kind = np.dtype(array.type.to_pandas_dtype())
    if content is None:
        return np.zeros(len(array), kind)
    return np.frombuffer(content, kind, count=array.offset + len(array))[array.offset :]


def given_mask(array: Arrow) -> Bools:
    """Return a mask of an Arrow array's values that are not null."""
    valid = array.buffers()[0]
    return np.ones(len(array), np.bool_) if valid is None else _bits(valid, array)


def rows_given(array: Arrow) -> Ints | slice:
    """The rows of an Arrow array whose values are given: all, or their numbers."""
    return np.flatnonzero(given_mask(array)) if array.null_count else slice(None)


def texts_at(array: Arrow, rows: Ints) -> list[str | None]:
    """The texts in some rows of an Arrow array of texts; None where there is none."""
    if not len(rows):
        return []
    ends = np.frombuffer(array.buffers()[1], np.int32, count=array.offset + len(array) + 1)[array.offset :]
    content, given = memoryview(array.buffers()[2] or b""), given_mask(array)[rows].tolist()
    spans = zip(ends[rows].tolist(), ends[rows + 1].tolist(), given, strict=True)
    return [str(content[begin:end], "utf-8") if present else None for begin, end, present in spans]


def codes_at(array: Arrow, rows: Ints) -> tuple[Ints, list[str]]:
    """Return the codes of an Arrow array of few texts in some rows, -1 for null, and the texts."""
    codes = values_of(array.indices)[rows].astype(np.int64)
    codes[~given_mask(array)[rows]] = -1
    return codes, array.dictionary.to_pylist()


def _bits(content: Arrow, array: Arrow) -> Bools:
    if content is None:
        return np.zeros(len(array), np.bool_)
    bits = np.unpackbits(np.frombuffer(content, np.uint8), count=array.offset + len(array), bitorder="little")
    return bits[array.offset :].view(np.bool_)
