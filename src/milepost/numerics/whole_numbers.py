"""Sorting and counting whole numbers, all through plain sorting, which processors do many times faster than sorting by a key."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Final

import numpy as np

from milepost.arrays import Bools, Column, Ints


def stable_order(values: Column) -> Ints:
    """The places of the values in rising order, equal ones as they come.

    Value and place are put into one number where both fit, and these are sorted.
    """
    count = len(values)
    if count < 2 or bool((values[1:] >= values[:-1]).all()):
        return np.arange(count)
    least, bits = int(values.min()), count.bit_length()
    if (int(values.max()) - least).bit_length() + bits > 63:
        return np.argsort(values, kind="stable")
    packed = ((values.astype(np.int64) - least) << bits) | np.arange(count)
    packed.sort()
    return packed & ((1 << bits) - 1)


def distinct(values: Column) -> Ints:
    """The values, each once, rising."""
    rising = np.sort(values)
    return rising[_new(rising)]


def count_values(values: Column) -> tuple[Ints, Ints]:
    """The distinct values, rising, and how often each occurs."""
    rising = np.sort(values)
    first = np.flatnonzero(_new(rising))
    return rising[first], np.diff(first, append=len(rising))


def number_values(values: Column) -> tuple[Ints, Ints]:
    """The distinct values, rising, and for each value its place among them."""
    order = stable_order(values)
    rising = values[order]
    new = _new(rising)
    places = np.empty(len(values), np.int64)
    places[order] = np.cumsum(new) - 1
    return rising[new], places


def first_places(values: Column) -> tuple[Ints, Ints]:
    """The distinct values, rising, and for each of them where it comes first."""
    order = stable_order(values)
    rising = values[order]
    new = _new(rising)
    return rising[new], order[new]


def ordinals(values: Column, order: Ints | None = None) -> Ints:
    """For each value, how many equal ones there are up to it: 1 for the first one; ``order`` is their stable order, if known."""
    order = stable_order(values) if order is None else order
    first = np.flatnonzero(_new(values[order]))
    among = np.arange(1, len(values) + 1) - np.repeat(first, np.diff(first, append=len(values)))
    result = np.empty(len(values), np.int64)
    result[order] = among
    return result


def is_among(column: Column, few: Iterable[int]) -> Bools:
    """Return a mask of the values that are among a few; comparing with each takes less than one table of them."""
    hits = np.zeros(len(column), np.bool_)
    for wanted in few:
        hits |= column == wanted
    return hits


def _new(rising: Column) -> Bools:
    new = np.ones(len(rising), np.bool_)
    new[1:] = rising[1:] != rising[:-1]
    return new


_WHOLE: Final = tuple(np.dtype(name) for name in ("int8", "int16", "int32"))


def narrow(column: Column) -> Column:
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
