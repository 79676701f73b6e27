"""Tables of typed values at full speed: Parquet files, tables of SQLite and sheets of workbooks, as whole columns through DuckDB.

All of a table is given, or nothing: where a value is not as most are, or is out of range, it is read row by row.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import zip_longest
from typing import TYPE_CHECKING, Final, cast

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.logs.columnar.arrow import Arrow, array_of, connect, texts_of
from milepost.logs.columnar.block import Block, require
from milepost.logs.columnar.column_builders import BATCH, Columns, RawValues, Texts, given_up, moment_columns, quoted
from milepost.logs.columnar.mapped import mapped_block, roles_by_name, used_columns
from milepost.logs.formats.otlp import is_envelope
from milepost.logs.interface import ReadOptions
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.sources.files import Source

if TYPE_CHECKING:
    from duckdb import DuckDBPyRelation

_WHOLE: Final = frozenset({"TINYINT", "SMALLINT", "INTEGER", "BIGINT", "UTINYINT", "USMALLINT", "UINTEGER", "UBIGINT"})
_NUMBER: Final = _WHOLE | {"FLOAT", "DOUBLE"}
_SCALAR: Final = _NUMBER | {"VARCHAR", "BOOLEAN"}
_EXACT: Final = float(1 << 53)  # whole numbers beyond this are not told apart as floats
_ROWS: Final = 1 << 16  # that are taken from a database at a time


def block_of_table(table: DuckDBPyRelation, names: list[str], log_map: LogMap) -> Block:
    """The columns of a table of typed values, by a log map if there is one.

    Args:
        table: the table.
        names: its columns, as they are called where it comes from.
        log_map: what they mean.

    Raises:
        NotStrictError: not all of it can be read so.
    """
    require(names == table.columns)
    kinds = {name: str(kind) for name, kind in zip(table.columns, table.types, strict=True)}
    roles = roles_by_name(log_map, names)
    require(log_map.time_format is None and all(len(rule.columns) <= 1 for rule in log_map.fields.values()))
    require(not any("." in column and column not in names for column in used_columns(log_map)))
    require(set(roles.needed) <= kinds.keys() and not is_envelope(kinds))
    seq = [column for column, field in roles.numbers.items() if field == "seq" and column in kinds]
    require(all(kinds[name] in _WHOLE for name in seq) and all(kind in _SCALAR for kind in kinds.values()))
    columns = Columns.of(names, kinds[roles.time] == "VARCHAR", RawValues if log_map.active else Texts, roles)
    require(all(kinds[column.name] in _NUMBER for column in columns.numbers))
    chosen = [
        *(quoted(column.name) for column in columns.texts),
        *(f"{quoted(column.name)}::DOUBLE" for column in columns.numbers),
    ]
    chosen += moment_columns(quoted(roles.time), f"{quoted(roles.time)} IS NOT NULL") if columns.stamps else ()
    for batch in table.project(", ".join(chosen)).to_arrow_reader(BATCH):
        columns.take(batch)
    require(not len(columns.passed))
    block = mapped_block(columns, names, log_map, True) if log_map.active else columns.block()
    require(not len(columns.dropped))
    require(block.seq is None or not (np.abs(block.seq) >= _EXACT).any())
    return block


def read_strict_database(source: Source, log_map: LogMap, options: ReadOptions) -> Block | None:
    """The columns of a table of SQLite, or of what a query selects; None where it has to be read row by row.

    Raises:
        LogError: it cannot be read either way.
    """
    from milepost.logs.formats.database import select_rows

    if source.path is None:
        return None
    with given_up(source.path), select_rows(source, options, str) as cursor:
        names = [str(column[0]) for column in cursor.description or ()]
        batches = iter(lambda: cursor.fetchmany(_ROWS), [])
        return _block_of_rows(names, (list(zip(*rows, strict=True)) for rows in batches), source, log_map)
    return None


def read_strict_sheet(source: Source, log_map: LogMap, _: ReadOptions) -> Block | None:
    """The columns of a workbook's sheet; None where it has to be read row by row.

    Raises:
        LogError: it cannot be read either way.
    """
    from milepost.logs.formats.workbook import find_header, plain_cell, rows_of_sheet

    if source.path is None:
        return None
    with given_up(source.path):
        rows = rows_of_sheet(source)
        first, names = find_header(rows)
        below = [row for row in rows[first:] if any(cell != "" for cell in row)]
        require(len(below) == len(rows) - first)  # else places are not the numbers of rows
        columns = list(zip_longest(*below, fillvalue=""))[: len(names)]
        kept = [(name, column) for name, column in zip(names, columns, strict=True) if name]
        values = [_values_of(column, plain_cell) for _, column in kept]
        block = _block_of_rows([name for name, _ in kept], [values], source, log_map)
        block.lines = np.arange(first + 1, len(rows) + 1)
        return block
    return None


def _values_of(cells: Sequence[object], plain: Callable[[object], object]) -> list[object]:
    """The values of a column of a sheet, each made plain; None where a cell is empty."""
    if all(type(cell) is str for cell in cells):
        return [cell or None for cell in cells]
    return [None if cell == "" else plain(cell) for cell in cells]


def _block_of_rows(names: list[str], batches: Iterable[Sequence[Sequence[object]]], source: Source, log_map: LogMap) -> Block:
    """The columns of rows of values, which come in batches of columns.

    Raises:
        NotStrictError: not all of it can be read so.
    """
    from pyarrow import Table

    require(len({name.casefold() for name in names}) == len(names))
    numbers = roles_by_name(log_map, names).numbers
    columns = [_TypedColumn(name in numbers) for name in names]
    for batch in batches:
        for column, values in zip(columns, batch, strict=True):
            column.take(values)
    table = Table.from_arrays([column.array() for column in columns], names)
    with connect(source.size()) as base:
        return block_of_table(base.from_arrow(table), names, log_map)


class _TypedColumn:
    """A column of values of one type, with nothing in between; numbers may be whole here and not whole there.

    Attributes:
        of_numbers: whether numbers of both kinds may stand in it.
    """

    def __init__(self, of_numbers: bool) -> None:
        self.of_numbers = of_numbers
        self._kinds: set[type] = set()
        self._parts: list[Arrow | tuple[Ints | Floats, Bools]] = []

    def take(self, values: Sequence[object]) -> None:
        """Take some values.

        Raises:
            NotStrictError: they are not all of one type.
        """
        self._kinds |= set(map(type, values)) - {type(None)}
        both = self.of_numbers and self._kinds <= {int, float}
        require(self._kinds <= {int, float, str} and (len(self._kinds) <= 1 or both))
        if str in self._kinds:
            self._parts.append(texts_of(cast("list[str | None]", list(values))))
            return
        given = np.array([value is not None for value in values])
        kind = np.float64 if float in self._kinds else np.int64
        self._parts.append((np.array([0 if value is None else value for value in values], kind), given))

    def array(self) -> Arrow:
        """Return all of them."""
        from pyarrow import chunked_array

        if not self._parts:
            return texts_of([])
        if str in self._kinds:
            return chunked_array(list(self._texts()))
        kind = np.float64 if float in self._kinds else np.int64
        return chunked_array([array_of(values.astype(kind), given) for values, given in self._parts])

    def _texts(self) -> Iterator[Arrow]:
        for part in self._parts:
            yield texts_of([None] * len(part[0])) if isinstance(part, tuple) else part
