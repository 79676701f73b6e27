"""Logs of other shapes: records that lie in arrays of other records, and records that a query makes of what was logged."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Final, Protocol

from milepost.errors import LogError, MapError
from milepost.logs.formats.database import query_memory, stop_after, took_too_long
from milepost.logs.interface import Sink
from milepost.logs.sources.remote import first_line

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

_STEP: Final = 5000
_NAMED: Final = 20
_OUTER: Final = "log"  # what holds the outermost array


class Stage(Sink, Protocol):
    """A sink that is told when nothing more comes."""

    def finish(self) -> None:
        """Give what is left."""


class Exploding(Stage):
    """Makes a record of each element of an array in a record, two deep or deeper; inner fields win."""

    def __init__(self, sink: Stage, path: tuple[str, ...], where: str) -> None:
        self.sink = sink
        self.path, self.where, self.met = path, where, [False] * len(path)
        self.seen: dict[str, None] = {}

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Give each element, with the fields of what it lies in."""
        self.seen.update(dict.fromkeys(list(record)[:100]))
        for element in self._elements(record, 0, _OUTER):
            if isinstance(element, str):
                self.sink.refuse(line, element)
            else:
                self.sink.add(element, line)

    def refuse(self, line: int, reason: str) -> None:
        """Pass on that something is no record."""
        self.sink.refuse(line, reason)

    def _elements(self, record: Mapping[str, object], depth: int, holder: str) -> Iterator[Mapping[str, object] | str]:
        if depth == len(self.path):
            yield record
            return
        name = self.path[depth]
        inner = record.get(name)
        if inner is None:
            return
        self.met[depth] = True
        if not isinstance(inner, list):
            yield f"{name} is no array"
            return
        outer = {key: value for key, value in record.items() if key != name}
        for element in inner:
            if not isinstance(element, Mapping):
                yield f"{name} holds what is no record"
                continue
            hidden = {f"{holder}.{key}": value for key, value in outer.items() if key in element}
            yield from self._elements({**outer, **hidden, **element}, depth + 1, name)

    def finish(self) -> None:
        """Refuse a map of which no record had an array.

        Raises:
            MapError: none had.
        """
        missing = [name for name, met in zip(self.path, self.met, strict=True) if not met]
        if missing and self.seen:
            has = ", ".join(list(self.seen)[:_NAMED])
            raise MapError(f"{self.where}: rows.explode: no record has the array {missing[0]!r}. They have: {has}.")
        self.sink.finish()


class Selecting(Stage):
    """Makes records of what an SQL query selects from all records, which are its table ``log``."""

    def __init__(self, sink: Stage, query: str, where: str, limit: float | None = None) -> None:
        self.sink, self.query, self.where, self.limit = sink, query, where, limit
        self.records: list[Mapping[str, object]] = []
        self.tables: dict[str, list[Mapping[str, object]]] = {}  # of several files, each under its name

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Keep a record for the query."""
        self.records.append(record)

    def refuse(self, line: int, reason: str) -> None:
        """Pass on that something is no record."""
        self.sink.refuse(line, reason)

    def _give(self, names: list[str], rows: list[tuple[object, ...]], before: int) -> int:
        """Give some rows; how many there are by now."""
        for number, row in enumerate(rows, before + 1):
            self.sink.add(_record(names, row), number)
        return before + len(rows)

    def finish(self) -> None:
        """Run the query, and give what it selects; places are its rows.

        Raises:
            MapError: the query cannot be run.
        """
        if self.records:
            self._select()
        self.sink.finish()

    def _select(self) -> None:
        import duckdb

        with duckdb.connect() as base:
            try:
                base.execute("SET TimeZone = 'UTC'; SET threads = 1; SET python_enable_replacements = false")
                base.execute(f"SET memory_limit = '{query_memory() >> 20}MiB'; SET max_temp_directory_size = '0B'")
                self._register(base)
                base.execute("SET enable_external_access = false; SET lock_configuration = true")
                with stop_after(self.limit, base.interrupt):
                    self._run(base)
            except duckdb.InterruptException as error:
                raise MapError(f"{self.where}: input.select: {took_too_long(self.limit)}") from error
            except RuntimeError as error:  # which is how a key that interrupts arrives
                raise KeyboardInterrupt from error
            except duckdb.Error as error:
                raise MapError(f"{self.where}: input.select: {first_line(error)}") from error

    def _register(self, base: DuckDBPyConnection) -> None:
        """Make the records known to the query: all as `log`, and those of each file under its name."""
        for name, records in {**self.tables, "log": self.records}.items():
            if records and (name == "log" or name.lower() != "log"):
                base.register(name, _table(records))

    def _run(self, base: DuckDBPyConnection) -> None:
        cursor = base.execute(self.query)
        names = [column[0] for column in cursor.description or ()]
        number = 0
        while rows := cursor.fetchmany(_STEP):
            number = self._give(names, rows, number)


def _record(names: list[str], row: tuple[object, ...]) -> dict[str, object]:
    return {name: _plain(value) for name, value in zip(names, row, strict=True) if value is not None}


def _table(records: list[Mapping[str, object]]) -> object:
    """The records as a table; a column of values of several types is text, as JSON has them."""
    import pyarrow as pa

    names = list(dict.fromkeys(name for record in records for name in record))
    columns = {}
    for name in names:
        values = [record.get(name) for record in records]
        try:
            columns[name] = pa.array(values)
        except (pa.ArrowInvalid, pa.ArrowTypeError, OverflowError):
            columns[name] = pa.array([None if value is None else _format_cell(value) for value in values], pa.string())
        except UnicodeError as error:
            raise LogError(f"{name}: holds text that no query can read.") from error
    return pa.table(columns)


def _format_cell(value: object) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, default=str)


def _plain(value: object) -> object:
    """A value as JSON would have it."""
    from milepost.logs.formats.parquet import plain_value

    return plain_value(value)
