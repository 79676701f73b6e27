"""SQLite files: a table, or what a query selects, a record a row. Opened for reading only."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Event, Thread
from typing import Final

from milepost.errors import LogError
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.sources.files import TABLE_MARK, Source
from milepost.memory import memory_of_machine
from milepost.progress import Progress

_STEP = 5000
_READING: Final = (sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_RECURSIVE)
_REACHING: Final = frozenset({"load_extension", "readfile", "writefile", "edit", "fts3_tokenizer"})
_TELLING: Final = frozenset({"data_version", "table_info"})  # pragmas that full-text tables ask for


def read_database(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the rows of a table or query to the sink; places are row numbers.

    Raises:
        LogError: the file is no SQLite database, the table is not there or not named, or the query fails.
    """
    with select_rows(source, options, lambda data: data.decode("utf-8", "surrogateescape")) as cursor:
        _give(cursor, sink, progress)


@contextmanager
def select_rows(source: Source, options: ReadOptions, as_text: Callable[[bytes], str]) -> Iterator[sqlite3.Cursor]:
    """Yield the rows of a table or query; texts are made as is said.

    Raises:
        LogError: as `read_database`.
        UnicodeError: a text is none, where it is to be made as Python makes it.
    """
    if source.path is None:
        raise LogError("standard input: a SQLite database has to be a file. Name the file.")
    try:
        base = sqlite3.connect(f"{source.path.resolve().as_uri()}?mode=ro", uri=True)
    except sqlite3.Error as error:
        raise LogError(f"{source.path}: cannot be opened as SQLite ({error}).") from error
    try:
        base.execute(f"PRAGMA hard_heap_limit = {query_memory()}")
        base.set_authorizer(_reading_only)
        base.text_factory = as_text
        with stop_after(options.query_seconds, base.interrupt):
            yield base.execute(options.query or _select(base, source))
    except MemoryError as error:
        raise LogError(f"{source.label}: the query needs more than {query_memory() >> 20} MiB of memory. Select less.") from error
    except sqlite3.OperationalError as error:
        if "Could not decode" in str(error):
            raise UnicodeError from error
        if "interrupted" in str(error):
            raise LogError(f"{source.label}: input.query: {took_too_long(options.query_seconds)}") from error
        raise LogError(f"{source.label}: cannot be read as SQLite ({error}).") from error
    except (sqlite3.Error, UnicodeDecodeError, OverflowError) as error:  # what a damaged file says need not be text
        raise LogError(f"{source.label}: cannot be read as SQLite ({error}).") from error
    finally:
        base.close()


def _give(cursor: sqlite3.Cursor, sink: Sink, progress: Progress) -> None:
    names = [column[0] for column in cursor.description or ()]
    for number, row in enumerate(cursor, 1):
        sink.add(_record(names, row), number)
        if number % _STEP == 0:
            progress.advance(_STEP)


def _reading_only(action: int, first: str | None, second: str | None, *_: object) -> int:
    """Allow a query to select, to read columns, and to call functions that stay within the database."""
    if action == sqlite3.SQLITE_FUNCTION:
        return sqlite3.SQLITE_DENY if second in _REACHING else sqlite3.SQLITE_OK
    if action == sqlite3.SQLITE_PRAGMA:
        return sqlite3.SQLITE_OK if first in _TELLING and second is None else sqlite3.SQLITE_DENY
    return sqlite3.SQLITE_OK if action in _READING else sqlite3.SQLITE_DENY


def _select(base: sqlite3.Connection, source: Source) -> str:
    listed = base.execute("SELECT name FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite_%'")
    tables = sorted(str(row[0]) for row in listed)
    table: str | None = source.table or (tables[0] if len(tables) == 1 else None)
    if table is None or table not in tables:
        names = ", ".join(tables) or "none"
        problem = f"no table {table!r}" if table else "no table is named"
        raise LogError(f"{source.path}: {problem}. Write {source.path}{TABLE_MARK}TABLE; its tables are: {names}.")
    return 'SELECT * FROM "' + table.replace('"', '""') + '"'


def _record(names: list[str], row: tuple[object, ...]) -> dict[str, object]:
    return {
        name: value.decode("utf-8", "backslashreplace") if isinstance(value, bytes) else value
        for name, value in zip(names, row, strict=True)
        if value is not None
    }


_SHARE: Final = 2  # of this machine's memory, one part in so many is the most that a query takes
_LEAST: Final = 256 << 20  # bytes
_AGAIN: Final = 0.1  # seconds
_UNKNOWN: Final = 2 << 30  # bytes, where the machine does not say how many it has


def query_memory() -> int:
    """How many bytes of memory a query may take."""
    machine = memory_of_machine()
    return max(_LEAST, _UNKNOWN if machine is None else machine // _SHARE)


@contextmanager
def stop_after(seconds: float | None, stop: Callable[[], None]) -> Iterator[None]:
    """Have something stopped that goes on after so many seconds; never where these are None."""
    if seconds is None:
        yield
        return
    done = Event()

    def watch() -> None:
        waited = done.wait(seconds)
        while not waited:  # again and again, for a stop is forgotten that comes before the query has begun
            stop()
            waited = done.wait(_AGAIN)

    Thread(target=watch, daemon=True).start()
    try:
        yield
    finally:
        done.set()


def took_too_long(seconds: float | None) -> str:
    """Why a query was stopped."""
    if seconds is None:
        return "the query was interrupted."
    return f"the query was stopped after {seconds:g} s. Make it simpler, or raise query_seconds."
