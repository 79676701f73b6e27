"""Columns of a log gathered batch by batch: names as codes, numbers, times, and what each adds to the records' likeness."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from itertools import accumulate, islice
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import DTypeLike, NDArray

from milepost.arrays import Bools, Column, Floats, Ints
from milepost.logs.columnar.arrow import Arrow, array_of, given_mask, rows_given, values_of
from milepost.logs.columnar.block import Block, NotStrictError, require
from milepost.logs.columnar.mapped import OWN, Roles, drop_unused_values
from milepost.logs.interface import ABSENT
from milepost.logs.records.fields import BAD, tag_of, text_of, within_reach
from milepost.logs.records.name_tables import TextColumn
from milepost.logs.records.record_hash import float_numbers, hash_column, hash_values
from milepost.logs.sources.files import as_name
from milepost.vocabulary import FIELDS

Likeness = NDArray[np.uint64]
BATCH: Final = 1 << 18  # records
STAMP: Final = r"\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d:[0-5]\d(\.\d{1,6})?([Zz]|[+-][01]\d:[0-5]\d)"
NOTHING: Final = (":null", ": null")  # how a field of nothing is written, after its name
_FARTHEST: Final = (1 << 63) // 1000  # microseconds


@contextmanager
def given_up(path: Path) -> Iterator[str]:
    """Read whole columns of a file, named as DuckDB takes it; what goes wrong with that is left to the tolerant reader to say.

    Arrow hands on what goes wrong in DuckDB as errors of its own; texts that are no JSON, or nested too deeply, are Python's; a
    name that is no text is the binding's.
    """
    import duckdb
    import pyarrow as pa

    with suppress(NotStrictError, duckdb.Error, pa.ArrowException, OSError, ValueError, OverflowError, RuntimeError):
        yield as_name(path)


class Texts:
    """A column of scalars, kept as texts, by their distinct values.

    Attributes:
        values: the texts, in order of first appearance, with their codes.
        raws: the values as they were logged by their codes, where they are kept so.
        width: how many columns of a batch it is made of.
        nested: None: there are no lists and objects among them.
        given: how many records have the field, be it an empty text.
        colons, nulls: how often colons, and what looks like a field of nothing, are in the values as they are written.
    """

    width = 1

    def __init__(self, name: str) -> None:
        self.name = name
        self.values: dict[str, int] = {}
        self.raws: list[object] = []
        self.nested: Bools | None = None
        self.given = self.colons = self.nulls = 0
        self._check = text_of if name in FIELDS else tag_of
        self._known: dict[object, tuple[int, int, int, int]] = {}  # as given: code, likeness, colons and nulls
        self._codes: list[NDArray[np.int32]] = []

    def take(self, columns: list[Arrow], like: Likeness) -> None:
        """Take a batch, an Arrow array, and add to the likeness of its records; most columns have nothing in most records."""
        (column,) = columns
        coded = column.dictionary_encode()
        given = coded.dictionary.to_pylist()
        self._meet([text for text in given if text not in self._known])
        known = [self._known[text] for text in given]
        codes, rows = np.full(len(column), ABSENT, np.int32), rows_given(coded.indices)
        if known:
            code, added, colons, nulls = zip(*known, strict=True)
            index = values_of(coded.indices)[rows]
            counts = np.bincount(index, minlength=len(known))
            self.given += len(index)
            self.colons += int(counts @ np.array(colons))
            self.nulls += int(counts @ np.array(nulls))
            codes[rows] = np.array(code, np.int32)[index]
            like[rows] += np.array(added, np.uint64)[index]
        self._codes.append(codes)

    def _meet(self, given: list[object]) -> None:
        """Know values that were not given before."""
        values = [self._value(text) for text in given]
        adding = hash_values(self.name, values).tolist()
        for text, value, added in zip(given, values, adding, strict=True):
            self._known[text] = (self._code(value), added, *self._marks(text))

    def _code(self, value: object) -> int:
        text = self._check(value)
        require(text is not BAD)
        return ABSENT if text is None else self.values.setdefault(text, len(self.values))

    def _value(self, given: Any) -> object:
        return given

    def _marks(self, _: Any) -> tuple[int, int]:
        return 0, 0

    def codes(self) -> NDArray[np.int32]:
        """Per record, its code; ABSENT where not given."""
        codes: NDArray[np.int32] = join_parts(self._codes, np.int32)
        return codes


class WrittenTexts(Texts):
    """A column of scalars that come as they are written in JSON."""

    def _value(self, given: str) -> object:
        return given[1:-1] if given[:1] == '"' and "\\" not in given else json.loads(given)

    def _marks(self, given: str) -> tuple[int, int]:
        return (given.count(":"), sum(given.count(mark) for mark in NOTHING)) if ":" in given else (0, 0)


class RawValues(Texts):
    """Values of a log whose map gives their meaning: a code for each, or for each way in which it is written; none for null."""

    def _code(self, value: object) -> int:
        require(tag_of(value) is not BAD)
        if value is None or value == "":
            return ABSENT
        self.raws.append(value)
        return len(self.raws) - 1


class RawTexts(RawValues, WrittenTexts):
    """Values of such a log that come as they are written in JSON."""


class NumberColumn:
    """A column of numbers; NaN where not given."""

    width = 1  # columns of a batch

    def __init__(self, name: str) -> None:
        self.name = name
        self.given = self.colons = self.nulls = 0
        self._parts: list[Floats] = []

    def take(self, columns: list[Arrow], like: Likeness) -> None:
        """Take a batch, an Arrow array of float64, and add to the likeness of its records."""
        (column,) = columns
        values, rows = np.full(len(column), np.nan), rows_given(column)
        given: Floats = values_of(column)[rows]
        require(bool(np.isfinite(given).all()))
        values[rows] = given
        like[rows] += hash_column(self.name, float_numbers(given))
        self.given += len(given)
        self._parts.append(values)

    def values(self) -> Floats:
        """Per record, its number."""
        numbers: Floats = join_parts(self._parts, np.float64)
        return numbers


class Stamps:
    """A column of time stamps, in whole microseconds since 1970."""

    width = 3

    def __init__(self, name: str) -> None:
        self.name = name
        self.given = self.colons = self.nulls = 0
        self._parts: list[Ints] = []

    def take(self, columns: list[Arrow], like: Likeness) -> None:
        """Take a batch: microseconds, the numbers of the texts, and how many colons these have; all are given."""
        moments, numbers, colons = columns
        require(moments.null_count == 0)
        self.given += len(moments)
        self.colons += int(values_of(colons).sum())
        self._parts.append(values_of(moments).copy())  # so that the batch does not stay in memory
        like += hash_column(self.name, values_of(numbers))

    def values(self) -> Ints:
        """Per record, its moment.

        Raises:
            NotStrictError: one is too far off to be told in whole nanoseconds.
        """
        moments: Ints = join_parts(self._parts, np.int64)
        require(not len(moments) or bool(np.abs(moments).max() < _FARTHEST))
        return moments


def quoted(name: str) -> str:
    """A column's name in SQL."""
    return '"' + name.replace('"', '""') + '"'


def moment_columns(text: str, as_given: str) -> tuple[str, str, str]:
    """The columns that `Stamps` takes, in SQL; nothing where there is no time stamp.

    Args:
        text: an expression for the text of the time.
        as_given: an expression that is true only where it is one.
    """
    return (
        f"CASE WHEN {as_given} AND regexp_full_match({text}, '{STAMP}') THEN epoch_us(TRY_CAST({text} AS TIMESTAMPTZ)) END",
        f"md5_number_lower({text})",
        f"length({text}) - length(replace({text}, ':', ''))",
    )


def join_parts(parts: list[Column], kind: DTypeLike) -> Column:
    """All parts in one; they are freed."""
    joined = np.concatenate(parts) if parts else np.empty(0, kind)
    parts.clear()
    return joined


class Columns:
    """All columns of a file, gathered from batches of texts, numbers and, where times are stamps, three columns of these."""

    def __init__(self, texts: list[Texts], numbers: list[NumberColumn], stamps: Stamps | None, roles: Roles) -> None:
        self.texts, self.numbers, self.stamps, self._roles = texts, numbers, stamps, roles
        self.rows = 0
        self.bad: Bools | None = None
        self.dropped: Ints = np.empty(0, np.int64)
        self._likeness: list[Likeness] = []
        self._passed: list[Ints] = []

    @classmethod
    def of(cls, names: Iterable[str], stamped: bool, texts: type[Texts] = Texts, roles: Roles = OWN) -> Columns:
        """Return the columns of fields by their names; ``texts`` says how texts come."""
        numeric = roles.numbers.keys() - ({roles.time} if stamped else set())
        given = [texts(name) for name in names if name not in numeric and name != roles.time]
        stamps = Stamps(roles.time) if stamped else None
        return cls(given, [NumberColumn(name) for name in names if name in numeric], stamps, roles)

    def take(self, batch: Arrow) -> None:
        """Take a batch of Arrow columns; rows without a session, a time or an event are passed over, and noted."""
        batch = self._usable(batch)
        self.rows += batch.num_rows
        each = iter(batch.columns)
        like: Likeness = np.zeros(batch.num_rows, np.uint64)
        for gatherer in self._gatherers:
            gatherer.take(list(islice(each, gatherer.width)), like)
        self._likeness.append(like)

    @property
    def _gatherers(self) -> list[Texts | NumberColumn | Stamps]:
        return [*self.texts, *self.numbers, *([self.stamps] if self.stamps else [])]

    def _usable(self, batch: Arrow) -> Arrow:
        """The rows of a batch that have what each record has."""
        places = accumulate((gatherer.width for gatherer in self._gatherers), initial=0)
        first = {gatherer.name: place for gatherer, place in zip(self._gatherers, places, strict=False)}
        needed = [batch.columns[first[name]] for name in self._roles.needed]
        unusable = [~given_mask(column) for column in needed if column.null_count]
        if not unusable:
            return batch
        passed = np.logical_or.reduce(unusable)
        self._passed.append(self.rows + sum(map(len, self._passed)) + np.flatnonzero(passed))
        return batch.filter(array_of(~passed))

    @property
    def passed(self) -> Ints:
        """The rows that were passed over."""
        return np.concatenate(self._passed) if self._passed else np.empty(0, np.int64)

    def block(self) -> Block:
        """The whole file as a block, but for the rows that were passed over.

        Raises:
            NotStrictError: a record of it cannot be read, or a field of one cannot be used.
        """
        texts = {column.name: TextColumn(column.codes(), list(column.values)) for column in self.texts}
        return self.block_of(texts, drop=True)

    @property
    def given(self) -> dict[str, int]:
        """How many records have each column of numbers or times."""
        return {column.name: column.given for column in self.numbers} | (
            {self.stamps.name: self.stamps.given} if self.stamps else {}
        )

    def block_of(self, texts: dict[str, TextColumn], drop: bool = False) -> Block:
        """The file as a block with these texts, by our names for them.

        Args:
            texts: the texts.
            drop: whether rows that would be refused may be left out; the numbers of their lines are in ``dropped`` then.

        Raises:
            NotStrictError: a record of it cannot be read, or a field of one cannot be used.
        """
        numbers = {self._roles.numbers[column.name]: column.values() for column in self.numbers}
        time = self.stamps.values() if self.stamps else numbers.pop("time") / self._roles.per_second
        if "progress" in numbers:
            numbers["progress"], self.bad = within_reach(numbers["progress"])
        lines = np.setdiff1d(np.arange(self.rows + len(self.passed)), self.passed, True) + 1 if len(self.passed) else None
        like = join_parts(self._likeness, np.uint64)
        try:
            return Block.of(texts, dict(numbers), time, like, lines, self.bad)
        except NotStrictError as error:
            if not drop or error.rows is None or 2 * np.count_nonzero(error.rows) > self.rows:
                raise
            keep = ~error.rows
        lines = np.arange(1, self.rows + 1) if lines is None else lines
        self.dropped = lines[~keep]
        texts = {name: drop_unused_values(TextColumn(column.codes[keep], column.values)) for name, column in texts.items()}
        numbers = {name: values[keep] for name, values in numbers.items()}
        return Block.of(texts, numbers, time[keep], like[keep], lines[keep], None if self.bad is None else self.bad[keep])
