"""Columns of numbers in as few bytes as hold them exactly."""

from __future__ import annotations

from typing import Final

import numpy as np

from milepost.arrays import Column

_WHOLE: Final = tuple(np.dtype(name) for name in ("int8", "int16", "int32"))


def slimmest(column: Column) -> Column:
    """The column in the least type of its kind that holds each of its values exactly; empty ones as they are."""
    if not len(column):
        return column
    if column.dtype.kind == "f" and np.isnan(column).all():
        return column.astype(np.float32)
    if column.dtype.kind == "i":
        low, high = column.min(), column.max()
        for kind in _WHOLE:
            if np.iinfo(kind).min <= low and high <= np.iinfo(kind).max:
                return column.astype(kind)
    return column
