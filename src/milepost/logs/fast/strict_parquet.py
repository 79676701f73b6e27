"""Parquet files at full speed: whole columns, where each has a type that its field may have and nothing is out of range.

As with JSON Lines, it is all of a file or nothing; where it is nothing, the file is read row by row.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Final

import numpy as np

from milepost.logs.fast.gathering import BATCH, Block, Columns, given_up, moment_columns, quoted, require
from milepost.logs.formats.envelope import is_envelope
from milepost.logs.formats.parquet import names_in
from milepost.logs.sources.files import Source

if TYPE_CHECKING:
    from duckdb import DuckDBPyRelation

_WHOLE: Final = frozenset({"TINYINT", "SMALLINT", "INTEGER", "BIGINT", "UTINYINT", "USMALLINT", "UINTEGER", "UBIGINT"})
_NUMBER: Final = _WHOLE | {"FLOAT", "DOUBLE"}
_SCALAR: Final = _NUMBER | {"VARCHAR", "BOOLEAN"}
_EXACT: Final = float(1 << 53)  # whole numbers beyond this are not told apart as floats
_MOMENT: Final = moment_columns("time", "time IS NOT NULL")


def read_strict_parquet(source: Source) -> Block | None:
    """The columns of a Parquet file; None where it has to be read row by row."""
    if source.path is None:
        return None
    import duckdb

    with duckdb.connect() as base, given_up(source.path) as path:
        return _read(base.sql("SELECT * FROM read_parquet(?, hive_partitioning = true)", params=[path]), source.path)
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
    block = columns.block()
    require(block.seq is None or not (np.abs(block.seq) >= _EXACT).any())
    return block
