"""The standard normal distribution, where a few functions of it are all that is needed."""

from __future__ import annotations

from math import erfc, pi
from typing import Final

import numpy as np

from milepost.arrays import Floats

_FAR: Final = -25.0  # from where on down the series is as good as a float
_TERMS: Final = (1.0, -1.0, 3.0, -15.0, 105.0, -945.0)


def log_normal(value: Floats) -> Floats:
    """The logarithm of the distribution function, to some units in the last place; of the shape of ``value``.

    Far down, by its asymptotic series.

    Source: M. Abramowitz and I. A. Stegun, Handbook of Mathematical Functions (1964), 26.2.12.
    """
    flat = np.ravel(value)
    half: Floats = 0.5 * np.fromiter(map(erfc, np.abs(flat / np.sqrt(2)).tolist()), np.float64, len(flat))
    logs: Floats = np.log1p(-half)
    far = flat <= _FAR
    below = (flat < 0) & ~far
    logs[below] = np.log(half[below])
    if far.any():
        square = flat[far] ** -2
        series = np.polynomial.polynomial.polyval(square, _TERMS)
        logs[far] = -0.5 * flat[far] ** 2 - np.log(-flat[far]) - 0.5 * np.log(2 * pi) + np.log(series)
    return logs.reshape(np.shape(value))
