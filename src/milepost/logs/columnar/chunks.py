"""Records that come one by one, put into columns some thousands at a time: each distinct value is checked once.

All records of a chunk are taken so, or none: where anything in it is out of the ordinary, its halves are tried, down to a few
records, each of which is taken by itself, which is where the rules stand.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from sys import getsizeof
from typing import Final, cast

import numpy as np
from numpy.typing import NDArray

from milepost.arrays import Bools, Floats, Ints
from milepost.logs.columnar.block import Block, NotStrictError, require
from milepost.logs.columnar.mapped import Roles, is_columnwise, is_within, joined_name, mapped_block, roles_by_name, used_columns
from milepost.logs.formats.otlp import EXPORT, is_envelope
from milepost.logs.interface import ABSENT
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.mapping.shapes import Stage
from milepost.logs.records.builder import AT_ONCE, RecordBuilder
from milepost.logs.records.fields import add_offset, number_of, parse_stamp, to_number, whole_of, within_reach
from milepost.logs.records.name_tables import TextColumn
from milepost.logs.records.record_hash import float_numbers, hash_column, hash_record, hash_values
from milepost.logs.records.sink import RecordSink
from milepost.logs.records.translation import joined_value, lookup

LEAST: Final = 200  # records for which columns pay
_AT_ONCE: Final = 1 << 14  # records
_MOST_BYTES: Final = 64 << 20  # of their values
_MOST_COLUMNS: Final = 200
_EXACT: Final = 1 << 53  # whole numbers up to this are told apart as floats
_PLAIN: Final = re.compile(r"-?\d{1,15}(\.\d{1,20})?(\n-?\d{1,15}(\.\d{1,20})?)*", re.ASCII)  # numbers, a line each
_MASK: Final = (1 << 64) - 1
_FARTHEST: Final = (1 << 63) // 1000  # microseconds
Likeness = NDArray[np.uint64]


def chunk_stage(sink: RecordSink, log_map: LogMap) -> Stage:
    """Return the stage that takes records for a sink in chunks, if that is possible."""
    return ChunkSink(sink, log_map) if sink.builder.keeps_records and is_columnwise(log_map) else sink


@dataclass(frozen=True)
class _Refused:
    """Something that is no record, among the records."""

    reason: str


class ChunkSink(Stage):
    """Takes the records of one file as logged."""

    def __init__(self, sink: RecordSink, log_map: LogMap) -> None:
        self.sink, self.map = sink, log_map
        self._taken: list[Mapping[str, object] | _Refused] = []
        self._lines: list[int] = []
        self._bytes = 0

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Take a record."""
        self._take(record, line, sum(map(getsizeof, record.values())))

    def refuse(self, line: int, reason: str) -> None:
        """Note that something there is no record."""
        self._take(_Refused(reason), line, 0)

    def _take(self, item: Mapping[str, object] | _Refused, line: int, size: int) -> None:
        self._taken.append(item)
        self._lines.append(line)
        self._bytes += size
        if len(self._taken) >= _AT_ONCE or self._bytes >= _MOST_BYTES:
            self.finish()

    def finish(self) -> None:
        """Give what was taken to the builder."""
        taken, lines = self._taken, self._lines
        self._taken, self._lines, self._bytes = [], [], 0
        try:
            self._give(taken, lines, _Shape.of([item for item in taken if not isinstance(item, _Refused)], self.map))
        except NotStrictError:
            self._give(taken, lines, None)

    def _give(self, taken: list[Mapping[str, object] | _Refused], lines: list[int], shape: _Shape | None) -> None:
        records = [place for place, item in enumerate(taken) if not isinstance(item, _Refused)]
        in_block = self._add_block(taken, lines, records, shape) if shape is not None else set[int]()
        if shape is not None and not in_block and len(taken) >= 2 * LEAST:
            middle = len(taken) // 2
            self._give(taken[:middle], lines[:middle], shape)
            self._give(taken[middle:], lines[middle:], shape)
            return
        for place, (item, line) in enumerate(zip(taken, lines, strict=True)):
            if isinstance(item, _Refused):
                self.sink.refuse(line, item.reason)
            elif place not in in_block:
                self.sink.add(item, line)

    def _add_block(
        self, taken: list[Mapping[str, object] | _Refused], lines: list[int], places: list[int], shape: _Shape
    ) -> set[int]:
        """Give records to the builder as a block, but for those that will be refused; which were given."""
        while len(places) >= LEAST:
            records = [item for place in places if not isinstance(item := taken[place], _Refused)]
            try:
                block = _block_of(records, shape, self.map, self.sink.cells)
            except NotStrictError as error:
                if error.rows is None:
                    break
                places = [place for place, refused in zip(places, error.rows.tolist(), strict=True) if not refused]
                continue
            block.lines = np.array([lines[place] for place in places])
            return set(places) if self._try_to_add(block) else set()
        return set()

    def _try_to_add(self, block: Block) -> bool:
        builder: RecordBuilder = self.sink.builder
        added = builder.add_block(block, self.sink.file)
        if added and len(builder) >= AT_ONCE:
            builder.when_full()
        return added


@dataclass(frozen=True)
class _Shape:
    """The columns that records have.

    Attributes:
        names: of the columns, in order of first appearance.
        paths: columns that a map names within objects of these.
        joined: columns of which a map makes one, with what is between them.
        roles: what they are taken for.
    """

    names: list[str]
    paths: list[str]
    joined: dict[tuple[str, ...], str]
    roles: Roles

    @classmethod
    def of(cls, records: list[Mapping[str, object]], log_map: LogMap) -> _Shape:
        """Return the shape of some records.

        Raises:
            NotStrictError: there are too many for columns, or these are not plain records.
        """
        names: dict[str, None] = {}
        for record in records:
            if not record.keys() <= names.keys():
                names.update(dict.fromkeys(record))
                require(len(names) <= _MOST_COLUMNS)  # before all names of all records are in memory
        require(not is_envelope(names) and EXPORT not in names)
        paths = [column for column in used_columns(log_map) if is_within(column, names)]
        require(not set(paths) & names.keys())
        joined = {rule.columns: rule.join for rule in log_map.fields.values() if len(rule.columns) > 1}
        require(len(joined) == sum(len(rule.columns) > 1 for rule in log_map.fields.values()))
        roles = roles_by_name(log_map, [*names, *paths])
        require(set(roles.needed) <= {*names, *paths})
        return cls(list(names), paths, joined, roles)


def _block_of(records: list[Mapping[str, object]], shape: _Shape, log_map: LogMap, cells: bool) -> Block:
    """Records as a block.

    Raises:
        NotStrictError: one of them cannot be read, or not in columns.
    """
    columns = _Columns(records, shape, log_map, cells)
    block = mapped_block(columns, shape.names, log_map, cells)
    return replace(block, bad=columns.bad if block.bad is None else block.bad | columns.bad)


class _Given:
    """The values of a column, by their distinct ones.

    Attributes:
        name: of the column.
        given: how many records have one.
        raws: the distinct values, but for nothing.
        nested: which records have a list or an object, which is no value; None where none has.
    """

    def __init__(self, name: str, values: list[object], like: Likeness) -> None:
        kinds = set(map(type, values))
        self.name, self.nested = name, _nested(values) if kinds & {dict, list} else None
        if self.nested is not None:
            rows = np.flatnonzero(self.nested)
            like[rows] += np.array([hash_record({name: values[row]}) & _MASK for row in rows.tolist()], np.uint64)
            for row in rows.tolist():
                values[row] = None
        typed = kinds <= {str, type(None)}
        keys: list[object] = values if typed else list(zip(map(type, values), values, strict=True))  # 1, 1.0 and true are equal
        known = {key: code for code, key in enumerate(dict.fromkeys(keys))}
        index = np.fromiter(map(known.__getitem__, keys), np.int64, len(keys))
        distinct = list(known) if typed else [cast("tuple[type, object]", key)[1] for key in known]
        given = np.array([value is not None for value in distinct])
        self.given = int(np.count_nonzero(given[index])) + (0 if self.nested is None else int(np.count_nonzero(self.nested)))
        self.raws = [value for value in distinct if value is not None and value != ""]
        something = np.array([value is not None and value != "" for value in distinct])
        self._codes: NDArray[np.int32] = np.where(something, np.cumsum(something) - 1, ABSENT).astype(np.int32)[index]
        adding = np.zeros(len(distinct), np.uint64)
        adding[something] = hash_values(name, self.raws)
        like += adding[index]

    def codes(self) -> NDArray[np.int32]:
        """Per record, the number of its value; ABSENT for nothing."""
        return self._codes


def _nested(values: list[object]) -> Bools:
    return np.array([isinstance(value, dict | list) for value in values])


class _Numbers:
    """The values of a column of numbers; NaN for nothing."""

    def __init__(self, name: str, values: list[object], like: Likeness) -> None:
        self.name = name
        require(set(map(type, values)) <= {int, float, type(None)})
        rows = np.array([value is not None for value in values])
        try:
            self.values: Floats = np.array([np.nan if value is None else value for value in values], np.float64)
        except OverflowError:
            raise NotStrictError from None
        require(bool(np.isfinite(self.values[rows]).all()))
        like[rows] += hash_column(name, float_numbers(self.values[rows]))
        self.given = int(np.count_nonzero(rows))


class _Columns:
    """All columns of some records."""

    def __init__(self, records: list[Mapping[str, object]], shape: _Shape, log_map: LogMap, cells: bool) -> None:
        self.rows, self.map = len(records), log_map
        self.texts: list[_Given] = []
        self.given: dict[str, int] = {}
        self._numbers: dict[str, Floats] = {}
        self._time: Floats | Ints = np.empty(0)
        self._likeness: Likeness = np.zeros(len(records), np.uint64)
        self.bad = np.zeros(len(records), np.bool_)
        for name in shape.names:
            self._take(name, [record.get(name) for record in records], shape.roles, cells)
        alike, self._likeness = self._likeness, self._likeness.copy()  # what is made of columns adds nothing to it
        for name in shape.paths:
            self._take(name, [lookup(record, name) for record in records], shape.roles, cells)
        for columns, join in shape.joined.items():
            self._take(joined_name(columns), [joined_value(record, columns, join) for record in records], shape.roles, cells)
        self._likeness = alike

    def _take(self, name: str, values: list[object], roles: Roles, cells: bool) -> None:
        """Take a column."""
        if name in roles.numbers:
            self._take_numbers(name, values, roles.numbers[name], cells)
        else:
            self.texts.append(_Given(name, values, self._likeness))

    def _take_numbers(self, name: str, values: list[object], field: str, cells: bool) -> None:
        """Take a column of numbers, or of times."""
        kinds = set(map(type, values))
        if kinds <= {int, float, type(None)}:
            column = _Numbers(name, values, self._likeness)
            self.given[name], column_values = column.given, column.values
            require(
                field != "seq"
                or bool((np.abs(column_values[~np.isnan(column_values)]) < _EXACT).all() and not (column_values % 1 > 0).any())
            )
        else:
            texts = _Given(name, values, self._likeness)
            self.given[name] = texts.given
            if field == "time":
                self._time = _times(texts, self.map, cells)
                return
            numbers = _plain_numbers(texts.raws) if cells and field != "seq" else None
            numbers = numbers or [_number(raw, field, cells) for raw in texts.raws]
            column_values = np.array([*numbers, np.nan])[texts.codes()]
            self.bad |= np.isnan(column_values) & (texts.codes() != ABSENT)
            self.bad |= False if texts.nested is None else texts.nested
            if not cells and field not in self.map.fields:
                self.bad |= np.array([value == "" for value in values])  # which is no number, but for a map, or in a table
        if field == "time":
            self._time = column_values / self.map.per_second
            return
        if field == "progress":
            column_values, beyond = within_reach(column_values)
            self.bad |= False if beyond is None else beyond
        self._numbers[field] = column_values

    def block_of(self, texts: dict[str, TextColumn]) -> Block:
        """The records as a block with these texts.

        Raises:
            NotStrictError: one of them cannot be read, or a field of one cannot be used.
        """
        return Block.of(texts, self._numbers, self._time, self._likeness, None)


def _plain_numbers(raws: list[object]) -> list[float] | None:
    """The numbers that cells are, all at once; None where one is written otherwise than most are."""
    texts = [raw for raw in raws if isinstance(raw, str)]
    together = "\n".join(texts)
    plain = len(texts) == len(raws) and together.count("\n") < max(1, len(texts)) and _PLAIN.fullmatch(together)
    return list(map(float, texts)) if plain else None


def _number(raw: object, field: str, cells: bool) -> float:
    """The number that a value is; NaN where it is none.

    Raises:
        NotStrictError: it is a whole number that cannot be told from its neighbours as a float.
    """
    number = to_number(raw) if cells else raw
    result = whole_of(number) if field == "seq" else number_of(number)
    if not isinstance(result, int | float):
        return np.nan
    require(field != "seq" or abs(result) < _EXACT)
    return float(result)


def _times(texts: _Given, log_map: LogMap, cells: bool) -> Floats | Ints:
    """The times of a column of texts and numbers: seconds, or whole microseconds since 1970; NaN for what is no time.

    Raises:
        NotStrictError: they are of both kinds, or closer to each other than microseconds.
    """
    if cells and (plain := _plain_numbers(texts.raws)):
        return np.array([*plain, np.nan])[texts.codes()] / log_map.per_second
    raws = [to_number(raw) if cells else raw for raw in texts.raws]
    stamps = [parse_stamp(add_offset(raw, log_map.zone, log_map.time_format)) if type(raw) is str else None for raw in raws]
    known = [stamp for stamp in stamps if stamp is not None]
    if not known:
        numbers = [np.nan if type(raw) is str else _number(raw, "time", cells) for raw in raws]
        return np.array([*numbers, np.nan])[texts.codes()] / log_map.per_second
    require(all(stamp % 1000 == 0 and abs(stamp) < 1000 * _FARTHEST for stamp in known))
    require(all(type(raw) is str for raw in raws))
    if len(known) < len(raws) or (texts.codes() == ABSENT).any():
        raise NotStrictError(np.array([*(stamp is None for stamp in stamps), True])[texts.codes()])
    return np.array([stamp // 1000 for stamp in known], np.int64)[texts.codes()]
