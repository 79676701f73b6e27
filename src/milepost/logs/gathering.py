"""Columns of a log gathered batch by batch: names as codes, numbers, times, and what each adds to the records' likeness."""

from __future__ import annotations

import json
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from milepost.logs.fields import BAD, tag_of, text_of
from milepost.logs.interface import ABSENT, Floats, Ints
from milepost.logs.likeness import column_likeness, float_numbers, likeness
from milepost.vocabulary import FIELDS

Likeness = NDArray[np.uint64]
_MASK: Final = (1 << 64) - 1


class NotStrictError(Exception):
    """Something in the file needs the tolerant reader."""


def require(holds: bool) -> None:
    """Give up where something does not hold.

    Raises:
        NotStrictError: it does not.
    """
    if not holds:
        raise NotStrictError


class Texts:
    """A column of scalars as they are written in JSON, by their distinct values.

    Attributes:
        values: the texts, in order of first appearance, with their codes.
        given: how many records have the field, be it an empty text.
        colons, nulls: how often these are in the values as they are written.
    """

    def __init__(self, name: str) -> None:
        self.name = name
        self.values: dict[str, int] = {}
        self.given = self.colons = self.nulls = 0
        self._check = text_of if name in FIELDS else tag_of
        self._known: dict[str, tuple[int, int, int, int]] = {}  # as written: code, likeness, colons and nulls
        self._codes: list[NDArray[np.int32]] = []

    def take(self, column: Any) -> Likeness:
        """Take a batch, an Arrow array of texts; what it adds to the likeness of its records."""
        coded = column.dictionary_encode()
        known = [self._known.get(written) or self._meet(written) for written in coded.dictionary.to_pylist()]
        code, like, colons, nulls = zip(*known, (ABSENT, 0, 0, 0), strict=True)
        index = coded.indices.fill_null(len(known)).to_numpy()
        counts = np.bincount(index, minlength=len(known) + 1)
        self.given += len(index) - int(counts[-1])
        self.colons += int(counts @ np.array(colons))
        self.nulls += int(counts @ np.array(nulls))
        self._codes.append(np.array(code, np.int32)[index])
        added: Likeness = np.array(like, np.uint64)[index]
        return added

    def _meet(self, written: str) -> tuple[int, int, int, int]:
        value = written[1:-1] if written[:1] == '"' and "\\" not in written else json.loads(written)
        text = self._check(value)
        require(text is not BAD)
        code = ABSENT if text is None else self.values.setdefault(text, len(self.values))
        met = code, likeness({self.name: value}) & _MASK, written.count(":"), written.count("null")
        self._known[written] = met
        return met

    def codes(self) -> NDArray[np.int32]:
        """Per record, its code; ABSENT where not given."""
        codes: NDArray[np.int32] = joined(self._codes, np.int32)
        return codes


class Numbers:
    """A column of numbers; NaN where not given."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.given = self.colons = self.nulls = 0
        self._parts: list[Floats] = []

    def take(self, column: Any) -> Likeness:
        """Take a batch, an Arrow array of float64; what it adds to the likeness of its records."""
        given = len(column) - column.null_count
        values: Floats = np.array(column.to_numpy(zero_copy_only=False), np.float64)  # a copy, lest the batch stays in memory
        present = ~np.isnan(values)
        require(int(np.isfinite(values).sum()) == given)
        self.given += given
        self._parts.append(values)
        return column_likeness(self.name, float_numbers(values), present)

    def values(self) -> Floats:
        """Per record, its number."""
        numbers: Floats = joined(self._parts, np.float64)
        return numbers


class Stamps:
    """A column of time stamps, in whole microseconds since 1970."""

    name = "time"

    def __init__(self) -> None:
        self.given = self.colons = self.nulls = 0
        self._parts: list[Ints] = []

    def take(self, moments: Any, numbers: Any, colons: Any) -> Likeness:
        """Take a batch: microseconds, the numbers of the texts, and how many colons these have; all are given."""
        require(moments.null_count == 0)
        self.given += len(moments)
        self.colons += int(colons.to_numpy().sum())
        self._parts.append(np.array(moments.to_numpy(), np.int64))
        return column_likeness(self.name, numbers.to_numpy(), np.ones(len(moments), np.bool_))

    def values(self) -> Ints:
        """Per record, its moment."""
        moments: Ints = joined(self._parts, np.int64)
        return moments


def joined(parts: list[Any], kind: Any) -> Any:
    """All parts in one; they are let go."""
    joined = np.concatenate(parts) if parts else np.empty(0, kind)
    parts.clear()
    return joined
