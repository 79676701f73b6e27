"""The types of columns: arrays of one dimension or more, of 64-bit numbers or of yes and no."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
Column = NDArray[Any]  # of whatever type
Kind = np.dtype[Any]  # the type of a column's values


def none_if_nan(value: float) -> float | None:
    """A number of a column as a plain one; None where it is not known."""
    return None if np.isnan(value) else float(value)
