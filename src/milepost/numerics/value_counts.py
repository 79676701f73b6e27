"""How often rows of numbers occur: tables of counts that add up, from which medians, sums and survival curves are read.

Values are counted as they are, in no bins, so that what is read from the counts is exact, and the same whether a log was
counted as a whole or in parts. Tables wait in as few bytes as hold them.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

import numpy as np

from milepost.arrays import Bools, Column, Floats, Ints
from milepost.numerics.narrow_dtypes import slimmest
from milepost.numerics.whole_numbers import numbered, stable_order

_STEPS: Final = 1000.0  # of clocks, to a second
_MOST: Final = float(1 << 52)  # steps that a number holds exactly
_ROUNDING: Final = 1e-12  # of a number of some size
_WIDE: Final = 1 << 62


@dataclass(frozen=True)
class Counted:
    """Distinct rows of some columns, rising from the first column on, and how often each occurs.

    Attributes:
        slim: the columns as they wait.
        times: how often each row occurs, likewise.
    """

    slim: tuple[_Slim, ...]
    times: Column

    @classmethod
    def of(cls, *columns: Column) -> Counted:
        """Count the rows of some columns; what is a thousandth but for rounding is taken for it.

        Args:
            columns: whole numbers, truths, or numbers none of which is NaN; all of one length.
        """
        return _gathered(tuple(_Slim.of(column) for column in columns), None)

    @classmethod
    def subjects(cls, subject: Ints, *columns: Column) -> Counted:
        """Count the subjects that have each row of some columns, however often."""
        return _gathered(cls.of(subject, *columns).slim[1:], None)

    @classmethod
    def merged(cls, parts: Iterable[Counted]) -> Counted:
        """The counts of parts of the rows together."""
        several = list(parts)
        columns = (_Slim.joined(own) for own in zip(*(part.slim for part in several), strict=True))
        return _gathered(tuple(columns), np.concatenate([part.times for part in several]).astype(np.int64))

    @property
    def columns(self) -> tuple[Column, ...]:
        """The columns: whole numbers of 64 bits, truths and numbers."""
        return tuple(column.wide() for column in self.slim)

    @property
    def count(self) -> Ints:
        """How often each row occurs."""
        return self.times.astype(np.int64)

    @property
    def total(self) -> int:
        """How many rows were counted."""
        return int(self.times.sum(dtype=np.int64))

    @property
    def values(self) -> Floats:
        """The only column, as numbers."""
        (column,) = self.columns
        return column.astype(np.float64)

    def at(self, first: int) -> Counted:
        """The rows that begin with a number, without it."""
        column = self.slim[0].values
        if not len(column) or not column[0] <= first <= column[-1]:
            return _rows_of(self, slice(0, 0), 1)
        value = column.dtype.type(first)  # of another type, the column would have to be widened first
        return _rows_of(self, slice(np.searchsorted(column, value), np.searchsorted(column, value, side="right")), 1)

    def where(self, rows: Bools) -> Counted:
        """Some of the rows."""
        return _rows_of(self, rows, 0)

    def by(self, *places: int) -> Counted:
        """Counted by some of the columns only, which are told by their places."""
        return _gathered(tuple(self.slim[place] for place in places), self.count)

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


@dataclass(frozen=True)
class _Slim:
    """A column in as few bytes as hold it.

    Attributes:
        values: whole numbers, truths or numbers; or the thousandths of numbers that are such.
        thousandths: whether it is these.
    """

    values: Column
    thousandths: bool = False

    @classmethod
    def of(cls, column: Column) -> _Slim:
        """Return the column, compressed."""
        if column.dtype.kind != "f":
            return cls(slimmest(column))
        with np.errstate(over="ignore", invalid="ignore"):  # of numbers that are no times
            steps = np.rint(column * _STEPS)
            near = np.abs(steps / _STEPS - column) <= _ROUNDING * np.maximum(1.0, np.abs(column))
        if near.all() and np.abs(steps).max(initial=0.0) < _MOST:
            return cls(slimmest(steps.astype(np.int64)), thousandths=True)
        return cls(np.where(near, steps / _STEPS, column))

    @classmethod
    def joined(cls, parts: tuple[_Slim, ...]) -> _Slim:
        """Columns one after the other."""
        if len({part.thousandths for part in parts}) > 1:
            return cls(np.concatenate([part.wide() for part in parts]))
        return cls(np.concatenate([part.values for part in parts]), parts[0].thousandths)

    def rows(self, rows: Column | slice) -> _Slim:
        """Some of its rows."""
        return _Slim(self.values[rows], self.thousandths)

    def wide(self) -> Column:
        """The column as it was."""
        if self.thousandths:
            return self.values / _STEPS
        return self.values if self.values.dtype.kind in "bf" else self.values.astype(np.int64)

    def coded(self) -> Ints:
        """Whole numbers from zero on that rise as the values do."""
        if self.values.dtype.kind == "f":
            return np.searchsorted(np.unique(self.values), self.values)
        whole: Ints = self.values.astype(np.int64)
        return whole - int(whole.min())


def _rows_of(counted: Counted, rows: Bools | slice, first: int) -> Counted:
    """Return some of the rows, without the columns before one."""
    return Counted(tuple(column.rows(rows) for column in counted.slim[first:]), counted.times[rows])


def _gathered(columns: tuple[_Slim, ...], count: Ints | None) -> Counted:
    """The distinct rows, with the sum of their counts, or how many there are."""
    rows = len(columns[0].values)
    if not rows:
        return Counted(columns, np.zeros(0, np.int8))
    key = _key(columns)
    order = stable_order(key)
    rising = key[order]
    first = np.flatnonzero(np.concatenate(([True], rising[1:] != rising[:-1])))
    sums = np.diff(first, append=rows) if count is None else np.add.reduceat(count[order], first)
    places = order[first]
    return Counted(tuple(column.rows(places) for column in columns), slimmest(sums))


def _key(columns: tuple[_Slim, ...]) -> Ints:
    """One whole number for each row, which rises as the rows do."""
    key, span = np.zeros(len(columns[0].values), np.int64), 1
    for column in columns:
        code = column.coded()
        width = int(code.max()) + 1
        if span * width >= _WIDE:
            key, span = numbered(key)[1], len(key)
        key, span = key * width + code, span * width
    return key
