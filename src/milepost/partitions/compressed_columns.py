"""Columns in as few bytes as hold them exactly: of records until they are replayed, and of what came of it until it is merged."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Protocol

import numpy as np

from milepost.arrays import Column, Floats, Ints, Kind
from milepost.numerics.whole_numbers import narrow

_FEW: Final = 3  # of a column of numbers with less than one in so many that say something, only these are kept, with their rows
_STEPS: Final = (1.0, 1000.0)  # whole numbers, and clocks that count thousandths of a second
_LOOKS: Final = 30  # at a column, before it is looked at as a whole
_MOST: Final = float((1 << 31) - 1)


class CompressedColumn(Protocol):
    """A compressed column.

    Attributes:
        rows: how many rows it has.
        kind: the type that it had.
    """

    rows: int
    kind: Kind

    def ordered(self, order: Ints) -> CompressedColumn:
        """Return the column with its rows in another order."""

    def fill(self, room: Column, first: int) -> None:
        """Put as many rows as there is room for into it, from a row on, as they were."""


@dataclass(eq=False, repr=False)
class Same:
    """One value in all rows."""

    rows: int
    kind: Kind
    value: np.generic

    def ordered(self, _: Ints) -> Same:
        """Return the column with its rows in another order."""
        return self

    def fill(self, room: Column, first: int) -> None:
        """Put the value into each row."""
        room[:] = self.value


@dataclass(eq=False, repr=False)
class _Narrow:
    """Whole numbers in the least type that holds them, or anything else as it is."""

    rows: int
    kind: Kind
    values: Column

    def ordered(self, order: Ints) -> _Narrow:
        """See `Packed`."""
        return _Narrow(self.rows, self.kind, self.values[order])

    def fill(self, room: Column, first: int) -> None:
        """See `Packed`."""
        room[:] = self.values[first : first + len(room)]


@dataclass(eq=False, repr=False)
class _Stepped:
    """Numbers that are so many whole steps, of which so many make one."""

    rows: int
    kind: Kind
    steps: Column
    in_one: float

    def ordered(self, order: Ints) -> _Stepped:
        """See `Packed`."""
        return _Stepped(self.rows, self.kind, self.steps[order], self.in_one)

    def fill(self, room: Column, first: int) -> None:
        """See `Packed`."""
        np.divide(self.steps[first : first + len(room)], self.in_one, out=room)


@dataclass(eq=False, repr=False)
class _Few:
    """Numbers that are mostly null or zero: the others, with the places of their rows, which rise."""

    rows: int
    kind: Kind
    most: float
    places: Column
    values: CompressedColumn

    def ordered(self, order: Ints) -> _Few:
        """See `Packed`."""
        moved = np.empty(self.rows, np.int32)
        moved[order] = np.arange(self.rows, dtype=np.int32)
        places = moved[self.places]
        rising = np.argsort(places)
        return _Few(self.rows, self.kind, self.most, places[rising], self.values.ordered(rising))

    def fill(self, room: Column, first: int) -> None:
        """See `Packed`."""
        begin, end = np.searchsorted(self.places, (first, first + len(room))).tolist()
        values = np.empty(end - begin)
        self.values.fill(values, begin)
        room[:] = self.most
        room[self.places[begin:end] - first] = values


def compress(column: Column) -> CompressedColumn:
    """A column of numbers or truths; what it fills is the same to the last bit, but that there is one kind of nothing."""
    rows, kind = len(column), column.dtype
    if rows and _is_one_value(column):
        return Same(rows, kind, column[0])
    return _compress_floats(column) if kind.kind == "f" else _Narrow(rows, kind, _copy_column(narrow(column)))


def compress_table(table: object) -> dict[str, CompressedColumn]:
    """The columns of a table by name."""
    return compress_columns(vars(table))


def compress_columns(columns: Mapping[str, Column]) -> dict[str, CompressedColumn]:
    """Columns by name."""
    return {name: compress(column) for name, column in columns.items()}


def decompress(column: CompressedColumn) -> Column:
    """A column as it was."""
    room = np.empty(column.rows, column.kind)
    column.fill(room, 0)
    return room


def _compress_floats(column: Floats) -> CompressedColumn:
    rows, kind = len(column), column.dtype
    for most, others in ((np.nan, ~np.isnan(column)), (0.0, (column != 0) | np.signbit(column))):
        places = np.flatnonzero(others)
        if len(places) * _FEW < rows:
            return _Few(rows, kind, most, places.astype(np.int32), compress(column[places]))
    return next(filter(None, (_stepped(column, in_one) for in_one in _STEPS)), _Narrow(rows, kind, _copy_column(column)))


def _stepped(column: Floats, in_one: float) -> _Stepped | None:
    """A column as whole steps; None where that would not be it to the last bit."""
    with np.errstate(over="ignore"):
        steps = np.rint(column * in_one)
    if not (np.abs(steps) <= _MOST).all():
        return None
    whole = steps.astype(np.int32)
    same = (whole / in_one).view(np.int64) == column.view(np.int64)
    return _Stepped(len(column), column.dtype, narrow(whole), in_one) if same.all() else None


def _copy_column(column: Column) -> Column:
    """The column without what it may be a part of."""
    return column if column.base is None else column.copy()


def _is_one_value(column: Column) -> bool:
    if (column[:: len(column) // _LOOKS + 1] != column[0]).any() and not np.isnan(column[0]):
        return False
    if column.dtype.kind == "f":
        return bool(np.isnan(column).all() or (column.view(np.int64) == column[:1].view(np.int64)).all())
    return bool((column == column[0]).all())
