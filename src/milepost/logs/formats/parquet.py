"""Parquet files through DuckDB: as whole columns where they are as they should be, else row by row."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING

from milepost.errors import LogError
from milepost.logs.columnar.arrow import connect
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.sources.files import Source, as_name
from milepost.logs.sources.remote import first_line
from milepost.progress import Progress

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

_STEP = 5000


def read_parquet(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the rows of one file to the sink; places are row numbers. Folder names such as `build=0.7` are columns.

    Raises:
        LogError: the file is no Parquet that can be read.
    """
    if source.path is None:
        raise LogError("standard input: Parquet has to be a file. Name the file.")
    import duckdb

    with connect(source.size()) as base:
        try:
            base.execute("SET TimeZone = 'UTC'")
            base.execute("SELECT * FROM read_parquet(?, hive_partitioning = true)", [as_name(source.path)])
            names = names_in(source.path, [column[0] for column in base.description or ()])
            for number, row in enumerate(_rows(base, progress), 1):
                sink.add(_record(names, row), number)
        except (duckdb.Error, ValueError, OverflowError, RuntimeError, OSError) as error:
            raise LogError(f"{source.label}: cannot be read as Parquet ({first_line(error)}).") from error


def _rows(base: DuckDBPyConnection, progress: Progress) -> Iterator[tuple[object, ...]]:
    """Yield the rows of a database query, so many at a time."""
    while rows := base.fetchmany(_STEP):
        yield from rows
        progress.advance(len(rows))


def names_in(path: Path, read: list[str]) -> list[str]:
    """The names of the columns as the file has them; DuckDB tells none apart by case, and gives the later one another name."""
    from pyarrow import parquet

    names = list(parquet.read_schema(path).names)
    return [*names, *read[len(names) :]]


def _record(names: list[str], row: tuple[object, ...]) -> dict[str, object]:
    return {name: plain_value(value) for name, value in zip(names, row, strict=True) if value is not None}


def plain_value(value: object) -> object:
    """A value as JSON would have it: times as RFC 3339, without an offset where none is stored; what JSON has not, as text."""
    if value is None or isinstance(value, str | bool | int | float):
        return value
    if isinstance(value, dict):
        return {str(key): plain_value(item) for key, item in value.items()}
    if isinstance(value, list | tuple):
        return [plain_value(item) for item in value]
    if isinstance(value, Decimal):
        return int(value) if value.is_finite() and value == value.to_integral_value() else float(value)
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    return value.decode("utf-8", "backslashreplace") if isinstance(value, bytes | bytearray) else str(value)
