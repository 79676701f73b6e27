"""Columns of several parts as one."""

from __future__ import annotations

from typing import Final

import numpy as np

from milepost.arrays import Column, Ints
from milepost.numerics.narrow_dtypes import slimmest
from milepost.partitions.compressed_columns import Packed, Same

NARROW: Final = frozenset(
    {"visit", "hits", "outcome", "opened_at", "closed_at", "at", "kind", "begun_as", "ended_as", "cause", "rating", "layout"}
)


def end_to_end(columns: list[Packed]) -> Column:
    """Columns one after the other."""
    kind = np.result_type(*{column.kind for column in columns})  # columns of tags are as narrow as each part allows
    whole, filled = np.empty(sum(column.rows for column in columns), kind), 0
    for column in columns:
        column.fill(whole[filled : filled + column.rows], 0)
        filled += column.rows
    return whole


def joined(name: str, columns: list[Packed], order: Ints) -> Column:
    """A column from those of the parts, one after the other and then put in order."""
    filled = [column for column in columns if column.rows] or columns[:1]
    first = filled[0]
    if isinstance(first, Same) and all(isinstance(one, Same) and one.value.tobytes() == first.value.tobytes() for one in filled):
        return np.broadcast_to(first.value, len(order))
    column = end_to_end(filled)[order]
    return slimmest(column) if name in NARROW else column
