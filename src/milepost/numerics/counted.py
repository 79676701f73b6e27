"""How often rows of numbers occur: tables of counts that add up, from which medians, sums and survival curves are read.

Values are counted as they are, in no bins, so that what is read from the counts is exact, and the same whether a log was
counted as a whole or in parts.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

import numpy as np

from milepost.arrays import Bools, Column, Floats, Ints
from milepost.numerics.whole_numbers import numbered, stable_order

_STEPS: Final = 1000.0  # of clocks, to a second
_MOST: Final = float(1 << 52)  # steps that a number holds exactly
_ROUNDING: Final = 1e-12  # of a number of some size
_WIDE: Final = 1 << 62


@dataclass(frozen=True)
class Counted:
    """Distinct rows of some columns, rising from the first column on, and how often each occurs.

    Attributes:
        columns: whole numbers, truths, or numbers none of which is NaN; all of one length.
        count: how often the row occurs.
    """

    columns: tuple[Column, ...]
    count: Ints

    @classmethod
    def of(cls, *columns: Column) -> Counted:
        """Count the rows of some columns; what is a thousandth but for rounding is taken for it."""
        return _gathered(tuple(_without_rounding(column) if column.dtype.kind == "f" else column for column in columns), None)

    @classmethod
    def merged(cls, parts: Iterable[Counted]) -> Counted:
        """The counts of parts of the rows together."""
        several = list(parts)
        columns = (np.concatenate(own) for own in zip(*(part.columns for part in several), strict=True))
        return _gathered(tuple(columns), np.concatenate([part.count for part in several]))

    @property
    def total(self) -> int:
        """How many rows were counted."""
        return int(self.count.sum())

    @property
    def values(self) -> Floats:
        """The only column, as numbers."""
        (column,) = self.columns
        return column.astype(np.float64)

    def at(self, first: int) -> Counted:
        """The rows that begin with a number, without it."""
        rows = slice(*np.searchsorted(self.columns[0], [first, first + 1]))
        return Counted(tuple(column[rows] for column in self.columns[1:]), self.count[rows])

    def where(self, rows: Bools) -> Counted:
        """Some of the rows."""
        return Counted(tuple(column[rows] for column in self.columns), self.count[rows])

    def by(self, *places: int) -> Counted:
        """Counted by some of the columns only, which are told by their places."""
        return _gathered(tuple(self.columns[place] for place in places), self.count)

    def median(self) -> float | None:
        """The plain median of the only column, halfway between the middle two; None without values."""
        total, reached = self.total, np.cumsum(self.count)
        if not total:
            return None
        middle = np.searchsorted(reached, [(total - 1) // 2, total // 2], side="right")
        return float(self.values[middle].mean())

    def sum(self) -> float:
        """The sum of the only column."""
        return float(self.values @ self.count)


def _gathered(columns: tuple[Column, ...], count: Ints | None) -> Counted:
    """The distinct rows, with the sum of their counts, or how many there are."""
    rows = len(columns[0])
    if not rows:
        return Counted(columns, np.zeros(0, np.int64))
    key = _key(columns)
    order = stable_order(key)
    rising = key[order]
    first = np.flatnonzero(np.concatenate(([True], rising[1:] != rising[:-1])))
    sums = np.diff(first, append=rows) if count is None else np.add.reduceat(count[order], first)
    places = order[first]
    return Counted(tuple(column[places] for column in columns), sums)


def _without_rounding(column: Floats) -> Floats:
    """Numbers without what sums and differences of a clock's thousandths add to them, so that equal times are one value."""
    with np.errstate(over="ignore", invalid="ignore"):  # of numbers that are no times
        whole = np.rint(column * _STEPS) / _STEPS
        return np.where(np.abs(whole - column) <= _ROUNDING * np.maximum(1.0, np.abs(column)), whole, column)


def _key(columns: tuple[Column, ...]) -> Ints:
    """One whole number for each row, which rises as the rows do."""
    key, span = np.zeros(len(columns[0]), np.int64), 1
    for column in columns:
        code = _coded(column)
        width = int(code.max()) + 1
        if span * width >= _WIDE:
            key, span = numbered(key)[1], len(key)
        key, span = key * width + code, span * width
    return key


def _coded(column: Column) -> Ints:
    """Whole numbers from nought on that rise as the values do."""
    if column.dtype.kind != "f":
        whole: Ints = column.astype(np.int64)
        return whole - int(whole.min())
    with np.errstate(over="ignore"):
        steps = np.rint(column * _STEPS)
    if np.abs(steps).max() < _MOST and bool((steps / _STEPS == column).all()):
        return _coded(steps.astype(np.int64))
    return np.searchsorted(np.unique(column), column)
