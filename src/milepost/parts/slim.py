"""Columns in as few bytes as hold them, while they travel and wait to be put together."""

from __future__ import annotations

from typing import Any, Final

import numpy as np

from milepost.logs.columns import slimmest
from milepost.logs.interface import Ints

# Whole numbers that measures only compare and count; all others are calculated with, and get their full width back.
NARROW: Final = frozenset({
    "visit", "hits", "outcome", "opened_at", "closed_at", "at", "kind", "begun_as", "ended_as", "cause", "rating", "layout",
})  # fmt: skip


def slimmed(table: Any) -> dict[str, Any]:
    """The columns of a table by name, each in the least whole type that holds it, or as one value that stands for all."""
    return {name: _slim(column) for name, column in vars(table).items()}


def _slim(column: Any) -> Any:
    if not len(column):
        return column
    if (column == column[0]).all() or (column.dtype.kind == "f" and np.isnan(column).all()):
        return np.broadcast_to(column[0], len(column))
    return slimmest(column)


def joined(name: str, columns: list[Any], order: Ints) -> Any:
    """A column from those of the parts, one after the other and then put in order."""
    filled = [column for column in columns if len(column)] or columns[:1]
    wide = np.int64 if filled[0].dtype.kind == "i" and name not in NARROW else None
    if len(order) and all(column.strides == (0,) and column[0].tobytes() == filled[0][0].tobytes() for column in filled):
        return np.broadcast_to(filled[0][0] if wide is None else wide(filled[0][0]), len(order))
    whole = np.concatenate(columns)[order]
    return _slim(whole) if name in NARROW else whole if wide is None else whole.astype(wide, copy=False)
