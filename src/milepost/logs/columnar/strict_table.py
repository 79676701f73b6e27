"""Large CSV files at full speed: whole columns through DuckDB, where every row is as it should be.

DuckDB reads a table that is written as RFC 4180 says as Python's reader does. Whether it is, its bytes tell: quotes stand around
whole cells, and a row is a line. Rows that hold no record are told by the tolerant reader why. Where anything else is out of the
ordinary, nothing is given, and the file is read row by row.
"""

from __future__ import annotations

import csv
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Final

import numpy as np
from numpy.typing import NDArray

from milepost.arrays import Ints
from milepost.logs.columnar.arrow import Arrow, connect, rows_given, values_of
from milepost.logs.columnar.block import Block, require
from milepost.logs.columnar.column_builders import (
    BATCH,
    STAMP,
    Columns,
    Likeness,
    NumberColumn,
    RawValues,
    Texts,
    given_up,
    moment_columns,
    quoted,
)
from milepost.logs.columnar.mapped import mapped_block, roles_by_name, used_columns
from milepost.logs.columnar.strict import UnreadLines
from milepost.logs.formats.delimited import MAX_CELL, RowsOfTexts, Table, find_table_form, unguard_cell
from milepost.logs.formats.otlp import is_envelope
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.records.record_hash import hash_column
from milepost.logs.sources.files import Source

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

_SAMPLE: Final = 5000  # rows, in which it is looked whether times are stamps
_NUMBER: Final = r"\s*[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?\s*"
_WHOLE: Final = "[0-9]{1,15}"  # all of these are told apart as floats
_AT_ONCE: Final = 1 << 20  # bytes
_NEWLINE, _RETURN, _QUOTE = (ord(mark) for mark in '\n\r"')


def read_strict_table(source: Source, log_map: LogMap, options: ReadOptions) -> Block | None:
    """The columns of a CSV file, by a log map if there is one; None where it has to be read row by row."""
    if source.path is None or options.encoding not in (None, "utf-8"):
        return None
    with connect(source.size()) as base, given_up(source.path) as path:
        table = find_table_form(source, options)
        rows, ending = _lines_of(source, table, options.max_bytes)
        return _Cells(table, log_map).read(base, path, source, rows, ending)
    return None


class _Cells:
    """The columns of a table by their names."""

    def __init__(self, table: Table, log_map: LogMap) -> None:
        self.table, self.map = table, log_map
        self.names = [name for name in table.names if name]
        require(log_map.time_format is None and all(len(rule.columns) <= 1 for rule in log_map.fields.values()))
        require(not any("." in column and column not in self.names for column in used_columns(log_map)))
        self.roles = roles_by_name(log_map, self.names)
        require(set(self.roles.needed) <= set(self.names) and not is_envelope(dict.fromkeys(self.names)))

    def read(self, base: DuckDBPyConnection, path: str, source: Source, rows: int, ending: str) -> Block:
        """Read the whole file, which has so many rows.

        Raises:
            NotStrictError: not all of it can be read so.
        """
        table = self._build_query(path, ending)
        stamp = f"regexp_full_match({quoted(self.roles.time)}, '{STAMP}')"
        sample = f"SELECT count(*) FILTER ({stamp}) > count(*) / 2 FROM (SELECT * FROM {table} LIMIT {_SAMPLE})"
        columns = self._columns(bool(base.execute(sample).fetchall()[0][0]))
        fields = self.roles.numbers
        chosen = [_text(column.name) for column in columns.texts]
        chosen += [part for column in columns.numbers for part in _number(column.name, fields[column.name])]
        chosen += moment_columns(_text(self.roles.time), "true") if columns.stamps else ()
        for batch in base.sql(f"SELECT {', '.join(chosen)} FROM {table}").to_arrow_reader(BATCH):
            columns.take(batch)
        require(columns.rows + len(columns.passed) == rows)
        first = self.table.before + 2  # the line of the first row
        block = mapped_block(columns, self.names, self.map, True) if self.map.active else columns.block()
        unread = UnreadLines.of(source, columns.passed + first).and_of(source, columns.dropped + first - 1)
        lines = block.lines if block.lines is not None else np.arange(1, rows + 1)
        refused, debug_only = unread.refused(self.map, partial(_give, self.table), cells=True)
        return replace(block, lines=lines + first - 1, refused=refused, debug_only=debug_only)

    def _columns(self, stamped: bool) -> Columns:
        columns = Columns.of(self.names, stamped, _RawCells if self.map.active else _CellTexts, self.roles)
        columns.numbers[:] = [_CellNumbers(column.name) for column in columns.numbers]
        return columns

    def _build_query(self, path: str, ending: str) -> str:
        """The file as DuckDB is to read it: cells as texts, and no guesses."""
        names = [name or f"column {number} without a name" for number, name in enumerate(self.table.names)]
        require(len(set(names)) == len(names))
        columns = ", ".join(f"{_literal(name)}: 'VARCHAR'" for name in names)
        return (
            f"read_csv({_literal(path)}, auto_detect=false, header=false, skip={self.table.before + 1}, columns={{{columns}}}, "
            f"delim={_literal(self.table.delimiter)}, quote='\"', escape='\"', new_line='{ending}', max_line_size={2 * MAX_CELL})"
        )


def _literal(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"


def _text(name: str) -> str:
    return f"nullif({quoted(name)}, '')"


def _number(name: str, field: str) -> tuple[str, str]:
    """The number that a cell is, and the number of its text."""
    text = _text(name)
    pattern = _WHOLE if field == "seq" else _NUMBER
    otherwise = "" if field == "time" else f" WHEN {text} IS NOT NULL THEN error('')"  # a row without a time is no record
    return f"CASE WHEN regexp_full_match({text}, '{pattern}') THEN {text}::DOUBLE{otherwise} END", f"md5_number_lower({text})"


class _CellTexts(Texts):
    """A column of cells; who wrote them may have kept spreadsheets from taking them for formulas."""

    def _value(self, given: str) -> object:
        return unguard_cell(given)


class _RawCells(RawValues, _CellTexts):
    """Cells of a log whose map gives their meaning."""


class _CellNumbers(NumberColumn):
    """A column of cells that are numbers, and alike where they are written alike."""

    width = 2

    def take(self, columns: list[Arrow], like: Likeness) -> None:
        """Take a batch: the numbers, and those of their texts."""
        numbers, texts = columns
        values, rows = np.full(len(numbers), np.nan), rows_given(numbers)
        given = values_of(numbers)[rows]
        require(bool(np.isfinite(given).all()))
        values[rows] = given
        like[rows] += hash_column(self.name, values_of(texts)[rows])
        self.given += len(given)
        self._parts.append(values)


def _give(table: Table, line: bytes, number: int, sink: Sink) -> None:
    """Give the row of a line to a sink, as the tolerant reader does."""
    for row in csv.reader([line.decode("utf-8")], delimiter=table.delimiter):
        RowsOfTexts(sink, "").give(table.names, row, number)


def _lines_of(source: Source, table: Table, most: int) -> tuple[int, str]:
    """How many rows the file has, and how their lines end.

    Raises:
        LogError: it cannot be read, or has more bytes than it may have.
        NotStrictError: a row is no line, or is not written as RFC 4180 says.
    """
    lines = returns = between = 0
    last = b"\n"
    with source.open(most) as stream:
        for _ in range(table.before + 1):
            stream.readline(MAX_CELL)
        while data := stream.read(_AT_ONCE):
            data += stream.readline(MAX_CELL)
            marks = np.frombuffer(data, np.uint8)
            ends = np.flatnonzero(marks == _NEWLINE)
            require(b"\0" not in data and np.diff(ends, prepend=-1, append=len(data)).max() < MAX_CELL)
            require(data.count(b"\r") == data.count(b"\r\n"))
            quotes, cuts = np.flatnonzero(marks == _QUOTE), np.flatnonzero(marks == ord(table.delimiter))
            require(not len(quotes) or _around_cells(marks, quotes, ends, ord(table.delimiter)))
            between += len(cuts) - int((np.searchsorted(quotes, cuts) % 2).sum())
            lines, returns, last = lines + len(ends), returns + data.count(b"\r"), data[-1:]
    lines += last != b"\n"
    require(returns in (0, lines, lines - (last != b"\n")))
    require(between == lines * (len(table.names) - 1))  # DuckDB passes over further cells with nothing in them
    return lines, "\\r\\n" if returns else "\\n"


def _around_cells(marks: NDArray[np.uint8], quotes: Ints, ends: Ints, delimiter: int) -> bool:
    """Return whether quotes stand around whole cells, doubled within them, and no cell goes on in the next line."""
    if len(quotes) % 2 or (np.searchsorted(quotes, ends) % 2).any():
        return False
    opening, closing = quotes[::2], quotes[1::2]
    before, after = opening - 1, closing + 1
    begun = (before < 0) | np.isin(marks[before], (delimiter, _NEWLINE)) | np.isin(before, closing)
    end = np.minimum(after, len(marks) - 1)
    ended = (after > end) | np.isin(marks[end], (delimiter, _NEWLINE, _RETURN)) | np.isin(after, opening)
    return bool(begun.all() and ended.all())
