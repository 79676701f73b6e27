"""Parquet files at full speed: whole columns, where each has a type that its field may have and nothing is out of range.

As with JSON Lines, it is all of a file or nothing; where it is nothing, the file is read row by row.
"""

from __future__ import annotations

from typing import Any, Final

import numpy as np

from milepost.logs.envelope import is_envelope
from milepost.logs.gathering import (
    BATCH,
    Block,
    Columns,
    NotStrictError,
    Numbers,
    Stamps,
    Texts,
    moment_columns,
    quoted,
    require,
)
from milepost.logs.sources import Source
from milepost.vocabulary import NUMBER_FIELDS

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

    with duckdb.connect() as base:
        try:
            return _read(base.sql("SELECT * FROM read_parquet(?, hive_partitioning = true)", params=[str(source.path)]))
        except (duckdb.Error, NotStrictError):
            return None


def _read(table: Any) -> Block:
    kinds = {name: str(kind) for name, kind in zip(table.columns, table.types, strict=True)}
    require({"session", "time", "event"} <= kinds.keys() and not is_envelope(kinds))
    stamped = kinds["time"] == "VARCHAR"
    numeric = NUMBER_FIELDS | {"seq"} | (set() if stamped else {"time"})
    require(all(kind in (_NUMBER if name in numeric else _SCALAR) for name, kind in kinds.items()))
    require(kinds.get("seq", "BIGINT") in _WHOLE)
    texts = [Texts(name) for name in kinds if name not in numeric and name != "time"]
    columns = Columns(texts, [Numbers(name) for name in kinds if name in numeric], Stamps() if stamped else None)
    chosen = [*(quoted(one.name) for one in columns.texts), *(f"{quoted(one.name)}::DOUBLE" for one in columns.numbers)]
    for batch in table.project(", ".join([*chosen, *(_MOMENT if stamped else ())])).to_arrow_reader(BATCH):
        columns.take(batch)
    block = columns.block()
    require(block.seq is None or not (np.abs(block.seq) >= _EXACT).any())
    return block
