"""How often rows of numbers occur: tables of counts that add up, from which medians, sums and survival curves are read.

Values are counted as they are, in no bins, so that what is read from the counts is exact, and the same whether a log was
counted as a whole or in parts. Tables wait in as few bytes as hold them.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields
from typing import Any, Final, Self

import numpy as np

from milepost.arrays import Bools, Column, Floats, Ints
from milepost.numerics.whole_numbers import narrow, number_values, stable_order

_STEPS: Final = 1000.0  # of clocks, to a second
_MOST: Final = float(1 << 52)  # steps that a number holds exactly
_ROUNDING: Final = 1e-12  # of a number of some size
_WIDE: Final = 1 << 62


@dataclass(frozen=True, eq=False, repr=False)
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
        columns = (_Slim.joined(column) for column in zip(*(part.slim for part in several), strict=True))
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


@dataclass(frozen=True, eq=False, repr=False)
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
            return cls(narrow(column))
        with np.errstate(over="ignore", invalid="ignore"):  # of numbers that are no times
            steps = np.rint(column * _STEPS)
            near = np.abs(steps / _STEPS - column) <= _ROUNDING * np.maximum(1.0, np.abs(column))
        if near.all() and np.abs(steps).max(initial=0.0) < _MOST:
            return cls(narrow(steps.astype(np.int64)), thousandths=True)
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
    return Counted(tuple(column.rows(places) for column in columns), narrow(sums))


def _key(columns: tuple[_Slim, ...]) -> Ints:
    """One whole number for each row, which rises as the rows do."""
    key, span = np.zeros(len(columns[0].values), np.int64), 1
    for column in columns:
        code = column.coded()
        width = int(code.max()) + 1
        if span * width >= _WIDE:
            key, span = number_values(key)[1], len(key)
        key, span = key * width + code, span * width
    return key


_STEP: Final = np.uint64(0x9E3779B97F4A7C15)
_MIXING: Final = ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB))  # shifts, and what is multiplied by


def in_own_order(subject: Ints, kind: Column, *columns: Column) -> tuple[Ints, Ints]:
    """The rows in the order of their subjects, those of one subject by kind; and each row's subject, from 0.

    Args:
        subject: per row, its subject, from 0 without gaps.
        kind: a whole number; rows of one subject and kind stay in the order in which they come, which only they may decide.
        columns: what is known besides, whole numbers, truths or numbers; two subjects with the same rows are alike.
    """
    rank = _ranks(subject, (kind, *columns))
    by_kind = stable_order(kind)
    order = by_kind[stable_order(rank[subject[by_kind]])]
    return order, rank[subject[order]]


def number_apart(parts: list[Column]) -> Ints:
    """Subjects of parts that share none, one after the other, numbered on; each part's are numbered from 0."""
    counts = [int(part.max(initial=-1)) + 1 for part in parts]
    before = np.concatenate(([0], np.cumsum(counts)))[:-1].tolist()
    return np.concatenate([part.astype(np.int64) + shift for part, shift in zip(parts, before, strict=True)])


@dataclass(frozen=True, eq=False, repr=False)
class RowsOfPlayers:
    """Rows of players, in as few bytes as hold them.

    Attributes:
        columns: the player, numbered from 0 without gaps, then a whole number, then whatever is known of a row.
    """

    columns: tuple[Column, ...]

    @classmethod
    def gathered(cls, player: Ints, *columns: Column) -> Self:
        """Return rows whose players have any numbers."""
        return cls(
            tuple(column if column.dtype.kind == "f" else narrow(column) for column in (number_values(player)[1], *columns))
        )

    @classmethod
    def merged(cls, parts: list[Self]) -> Self:
        """Return the rows of a log from parts that share no player."""
        player = narrow(number_apart([part.columns[0] for part in parts]))
        others = zip(*(part.columns[1:] for part in parts), strict=True)
        return cls((player, *(np.concatenate(column) for column in others)))

    def in_order(self) -> tuple[Column, ...]:
        """Return the columns in an order that is the same however the log was divided, players numbered anew."""
        order, player = in_own_order(*self.columns)
        return (player, *(column[order] for column in self.columns[1:]))


def _bits(column: Column) -> Ints:
    """Whole numbers that rise as the values do, none of which is below zero where it is no whole number."""
    return column.view(np.int64) if column.dtype.kind == "f" else column.astype(np.int64)


def _ranks(subject: Column, columns: tuple[Column, ...]) -> Ints:
    """Per subject, its place in the order of a number made of its rows, in whatever order these are."""
    marks = np.zeros(len(subject), np.uint64)
    for column in columns:
        marks = _mixed(marks + _bits(column).astype(np.uint64) + _STEP)
    sums = np.zeros(int(subject.max(initial=-1)) + 1, np.uint64)
    np.add.at(sums, subject, marks)
    rank = np.empty(len(sums), np.int64)
    rank[np.argsort(_mixed(sums), kind="stable")] = np.arange(len(sums))
    return rank


def _mixed(values: Column) -> Column:
    """Numbers of 64 bits, each turned into another one that looks like chance.

    Source: G. L. Steele, D. Lea and C. H. Flood, "Fast splittable pseudorandom number generators", OOPSLA (2014).
    """
    for shift, factor in _MIXING:
        values = (values ^ (values >> np.uint64(shift))) * np.uint64(factor)
    mixed: Column = values ^ (values >> np.uint64(31))
    return mixed


class AddedUp:
    """Counts of a part of a log, as a dataclass; those of all parts add up field by field, by what each field holds."""

    @classmethod
    def merged(cls, parts: list[Self]) -> Self:
        """Return the counts of all parts together, which share no player."""
        names = [field.name for field in fields(cls)]  # type: ignore[arg-type]
        return cls(**{name: _add_up([getattr(part, name) for part in parts]) for name in names})


def _add_up(values: list[Any]) -> object:
    """Numbers are summed, arrays place by place; of truths one is enough; names are gathered; what is not counted, nothing."""
    values = [value for value in values if value is not None]
    if not values:
        return None
    first = values[0]
    if isinstance(first, Counted | RowsOfPlayers):
        return type(first).merged(values)
    if isinstance(first, dict):
        return {key: _add_up([value[key] for value in values]) for key in first}
    if isinstance(first, frozenset):
        return frozenset().union(*values)
    if isinstance(first, np.ndarray):
        return np.any(values, axis=0) if first.dtype == np.bool_ else np.sum(values, axis=0)
    return any(values) if isinstance(first, bool) else sum(values)
