"""Columns in as few bytes as hold them, while they travel and wait to be put together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from milepost.arrays import Column, Ints
from milepost.store.columns import slimmest

NARROW: Final = frozenset(
    {"visit", "hits", "outcome", "opened_at", "closed_at", "at", "kind", "begun_as", "ended_as", "cause", "rating", "layout"}
)


@dataclass(frozen=True)
class Same:
    """A column that has one value in so many rows."""

    value: Any
    rows: int

    def __len__(self) -> int:
        """The number of rows."""
        return self.rows


Slim = Column | Same


def slimmed(table: object) -> dict[str, Slim]:
    """The columns of a table by name, each in the least whole type that holds it, or as one value that stands for all."""
    return slim_columns(vars(table))


def slim_columns(columns: Mapping[str, Column]) -> dict[str, Slim]:
    """Columns, each in the least whole type that holds it, or as one value that stands for all."""
    return {name: _slim(column) for name, column in columns.items()}


def _slim(column: Column) -> Slim:
    if not len(column):
        return column
    if (column == column[0]).all() or (column.dtype.kind == "f" and np.isnan(column).all()):
        return Same(column[0], len(column))
    return slimmest(column)


def filled_out(column: Slim) -> Column:
    """A slim column as an array."""
    return np.full(column.rows, column.value) if isinstance(column, Same) else column


def joined(name: str, columns: list[Slim], order: Ints) -> Column:
    """A column from those of the parts, one after the other and then put in order."""
    column = _joined([column for column in columns if len(column)] or columns[:1], order)
    if column.dtype.kind == "i" and name not in NARROW:
        return column.astype(np.int64, copy=False)
    return column if column.strides == (0,) else slimmest(column) if name in NARROW else column


def _joined(columns: list[Slim], order: Ints) -> Column:
    first = columns[0]
    if isinstance(first, Same) and all(isinstance(one, Same) and one.value.tobytes() == first.value.tobytes() for one in columns):
        return np.broadcast_to(first.value, len(order))
    return np.concatenate([filled_out(column) for column in columns])[order]
