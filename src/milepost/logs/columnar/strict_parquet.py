"""Parquet files at full speed: whole columns, where each has a type that its field may have and nothing is out of range.

As with JSON Lines, it is all of a file or nothing; where it is nothing, the file is read row by row.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Final

import numpy as np

from milepost.logs.columnar.block import Block, require
from milepost.logs.columnar.column_builders import BATCH, Columns, given_up, moment_columns, quoted
from milepost.logs.formats.envelope import is_envelope
from milepost.logs.formats.parquet import names_in
from milepost.logs.sources.files import Source

if TYPE_CHECKING:
    from duckdb import DuckDBPyRelation

_WHOLE: Final = frozenset({"TINYINT", "SMALLINT", "INTEGER", "BIGINT", "UTINYINT", "USMALLINT", "UINTEGER", "UBIGINT"})
_NUMBER: Final = _WHOLE | {"FLOAT", "DOUBLE"}
_SCALAR: Final = _NUMBER | {"VARCHAR", "BOOLEAN"}
_EXACT: Final = float(1 << 53)  # whole numbers beyond this are not told apart as floats
_ALL: Final = "SELECT * FROM read_parquet(?, hive_partitioning = true)"
_SOME: Final = (
    "SELECT * EXCLUDE (file_row_number) FROM read_parquet(?, hive_partitioning = true, file_row_number = true) "
    "WHERE file_row_number >= ? AND file_row_number < ?"
)
_MOMENT: Final = moment_columns("time", "time IS NOT NULL")


def read_strict_parquet(source: Source, rows: tuple[int, int] | None = None) -> Block | None:
    """The columns of a Parquet file; None where it has to be read row by row.

    Args:
        source: the file.
        rows: the first row that is wanted, from 0, and the one after the last, where not all are.
    """
    if source.path is None:
        return None
    import duckdb

    with duckdb.connect() as base, given_up(source.path) as path:
        query, of = (_ALL, ()) if rows is None else (_SOME, rows)
        return _read(base.sql(query, params=[path, *of]), source.path)
    return None


def row_groups(source: Source) -> list[int] | None:
    """How many rows each group of rows of a Parquet file has, which are read as a whole; None where it cannot be asked."""
    from pyarrow import ArrowException, parquet

    if source.path is None:
        return None
    try:
        about = parquet.read_metadata(source.path)
        return [int(about.row_group(number).num_rows) for number in range(about.num_row_groups)]
    except (ArrowException, OSError):
        return None


def _read(table: DuckDBPyRelation, path: Path) -> Block:
    require(names_in(path, table.columns) == table.columns)
    kinds = {name: str(kind) for name, kind in zip(table.columns, table.types, strict=True)}
    require({"session", "time", "event"} <= kinds.keys() and not is_envelope(kinds))
    require(kinds.get("seq", "BIGINT") in _WHOLE and all(kind in _SCALAR for kind in kinds.values()))
    columns = Columns.of(kinds, kinds["time"] == "VARCHAR")
    require(all(kinds[one.name] in _NUMBER for one in columns.numbers))
    chosen = [*(quoted(one.name) for one in columns.texts), *(f"{quoted(one.name)}::DOUBLE" for one in columns.numbers)]
    for batch in table.project(", ".join([*chosen, *(_MOMENT if columns.stamps else ())])).to_arrow_reader(BATCH):
        columns.take(batch)
    require(not len(columns.passed))
    block = columns.block()
    require(block.seq is None or not (np.abs(block.seq) >= _EXACT).any())
    return block
