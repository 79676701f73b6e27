"""Whole columns of a foreign log as ours: each distinct value is translated once, by the rules of single records."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final, Protocol

import numpy as np
from numpy.typing import NDArray

from milepost.arrays import Bools
from milepost.logs.columnar.block import Block, require
from milepost.logs.interface import ABSENT
from milepost.logs.mapping.logmap import EventRule, FieldRule, LogMap
from milepost.logs.mapping.map_usage import MapUse
from milepost.logs.records.fields import BAD, tag_of, text_of
from milepost.logs.records.name_tables import TextColumn
from milepost.logs.records.translation import format_name, is_alike
from milepost.vocabulary import FIELDS, NUMBER_FIELDS

_BAD_CODE: Final = ABSENT - 1


class RawColumn(Protocol):
    """A column of values as they were logged.

    Attributes:
        name: theirs.
        given: how many records have one.
        raws: the distinct values, but for nothing.
        nested: which records have a list or an object, which is no value; None where none has.
    """

    name: str
    given: int
    raws: list[object]
    nested: Bools | None

    def codes(self) -> NDArray[np.int32]:
        """Per record, the number of its value; ABSENT for nothing."""


class ForeignColumns(Protocol):
    """The columns of some records by their own names.

    Attributes:
        rows: how many records there are.
    """

    rows: int

    @property
    def texts(self) -> Sequence[RawColumn]:
        """Return the columns that are not read as numbers or times."""

    @property
    def given(self) -> Mapping[str, int]:
        """How many records have each of the others."""

    def block_of(self, texts: dict[str, TextColumn]) -> Block:
        """The records as a block with these texts, by our names for them.

        Raises:
            NotStrictError: one of them cannot be read, or a field of one cannot be used.
        """


def mapped_block(columns: ForeignColumns, names: list[str], log_map: LogMap, cells: bool) -> Block:
    """Records as a block.

    Args:
        columns: theirs.
        names: all of these.
        log_map: what they mean, which holds for whole columns.
        cells: whether values know no types.

    Raises:
        NotStrictError: a record of it cannot be read, or a field of one cannot be used.
    """
    making = _Making(columns, log_map, MapUse(records=columns.rows, seen=dict.fromkeys(names)), cells)
    making.count_met()
    texts = making.texts()
    making.set_events(texts)
    texts = {name: drop_unused_values(column) for name, column in texts.items()}
    block = columns.block_of(texts)
    return replace(block, use=making.use, bad=making.bad if block.bad is None else making.bad | block.bad)


class _Making:
    """Columns of texts by our names, made of theirs."""

    def __init__(self, columns: ForeignColumns, log_map: LogMap, use: MapUse, cells: bool) -> None:
        self.rows, self.map, self.use, self.cells = columns.rows, log_map, use, cells
        self.columns = columns
        self._bad: dict[str, Bools] = {}  # by field, the rows in which it cannot be used
        self.theirs = {column.name: column for column in columns.texts}
        self.codes = {name: column.codes() for name, column in self.theirs.items()}

    @property
    def bad(self) -> Bools:
        """The rows with a field that cannot be used."""
        bad: Bools = np.logical_or.reduce([np.zeros(self.rows, np.bool_), *self._bad.values()])
        return bad

    def count_met(self) -> None:
        """Count how often the map's columns were met."""
        given = {**self.columns.given, **{name: column.given for name, column in self.theirs.items()}}
        for rule in self.map.fields.values():
            for column in rule.columns:
                self.use.met[column] += given.get(column, 0)

    def texts(self) -> dict[str, TextColumn]:
        """Every column but those of numbers; what the map does not name stays as it is."""
        fields = self.map.fields
        taken = {column.partition(".")[0] for rule in fields.values() for column in rule.columns}
        kept = [name for name in self.use.seen if name in self.theirs and name not in taken and name not in fields]
        ours = {name: self._column(name, FieldRule((name,))) for name in kept}
        for name, rule in fields.items():
            if name not in NUMERIC:
                ours[name] = self._column(name, rule)
        return ours

    def _column(self, name: str, rule: FieldRule) -> TextColumn:
        """One of our columns: a code for each of their values, and one for nothing.

        Raises:
            NotStrictError: a list or an object is where something stands in for nothing, or is to be converted.
        """
        column = TextColumn(np.full(self.rows, ABSENT, np.int32), [])
        source = joined_name(rule.columns) if joined_name(rule.columns) in self.theirs else None
        raws = self.theirs[source].raws if source is not None else []
        codes = self.codes[source] if source is not None else column.codes
        times = np.bincount(codes + 1, minlength=len(raws) + 1)
        known: dict[str, int] = {}
        constant = rule.default if rule.columns or rule.value is None or rule.value == "" else rule.value
        values = [*raws, constant]
        final = [self._final(name, rule, value, int(n)) for value, n in zip(values, [*times[1:], times[0]], strict=True)]
        by_value = [_code(name, value, known) for value in final]
        if _BAD_CODE in by_value:
            bad = np.array([code == _BAD_CODE for code in by_value])
            self._bad[name] = bad[codes]
        if source is not None and (nested := self.theirs[source].nested) is not None:
            require(constant is None and rule.number is None and name != "player")  # which a list would have, or not be
            self._bad[name] = self._bad.get(name, nested) | nested
        column.codes = np.maximum(np.array(by_value, np.int32), ABSENT)[codes]
        column.values = list(known)
        return column

    def _final(self, name: str, rule: FieldRule, value: object, times: int) -> object:
        """Return one of our values for one of theirs; failed conversions are counted."""
        if rule.number is None or value is None:
            return value
        named = format_name(rule, value, self.cells)
        self.use.failed[name] += times if named is None else 0
        return value if named is None else named

    def set_events(self, ours: dict[str, TextColumn]) -> None:
        """Their event words, and whatever else these say.

        Raises:
            NotStrictError: there are records without an event.
        """
        require("event" in ours)
        words = ours["event"]
        ours["event"] = TextColumn(words.codes.copy(), list(words.values))
        times = np.bincount(words.codes[words.codes != ABSENT], minlength=len(words.values))
        for code, word in enumerate(words.values):
            rules = self.map.events.get(word, ())
            self.use.words[word] += int(times[code]) if rules else 0
            rows = words.codes == code if rules else np.zeros(0, np.bool_)
            for rule in rules:
                fitting = self._fitting(rule, rows)
                for name, value in rule.sets.items():
                    _set(ours, name, value, fitting)
                    self._bad[name] = self._bad.get(name, fitting) & ~fitting
                rows = rows & ~fitting
        self.use.words = +self.use.words

    def _fitting(self, rule: EventRule, rows: Bools) -> Bools:
        """Return a mask of the rows that a rule on an event word fits."""
        for column, wanted in rule.when.items():
            require("" not in (wanted if isinstance(wanted, list) else [wanted]))
            raws = self.theirs[column].raws if column in self.theirs else []
            fits = np.array([*(is_alike(raw, wanted) for raw in raws), is_alike(None, wanted)])
            rows = rows & (fits[self.codes[column]] if column in self.theirs else fits[-1])
        return rows


def _set(ours: dict[str, TextColumn], name: str, value: object, rows: Bools) -> None:
    """Set a field of some rows."""
    column = ours.get(name) or TextColumn(np.full(len(rows), ABSENT, np.int32), [])
    known = {text: code for code, text in enumerate(column.values)}
    code = _code(name, value, known)
    require(code != _BAD_CODE)
    column.codes[rows] = code
    ours[name] = TextColumn(column.codes, list(known))


def drop_unused_values(column: TextColumn) -> TextColumn:
    """Return the column without values that no row has."""
    times = np.bincount(column.codes[column.codes != ABSENT], minlength=len(column.values))
    if times.all():
        return column
    codes = np.append(np.cumsum(times > 0) - 1, ABSENT).astype(np.int32)
    return TextColumn(codes[column.codes], [value for value, n in zip(column.values, times, strict=True) if n])


def _code(name: str, value: object, known: dict[str, int]) -> int:
    """The code of a value in a field of ours, a new one for a new text; one of its own for what cannot be used there."""
    text = text_of(value) if name in FIELDS else tag_of(value)
    if text is BAD:
        return _BAD_CODE
    return ABSENT if text is None else known.setdefault(text, len(known))


NUMERIC: Final = NUMBER_FIELDS | {"time", "seq"}
_NEEDED: Final = ("session", "time", "event")


@dataclass(frozen=True)
class Roles:
    """Column roles, known before the columns are read.

    Attributes:
        time: the one that says when.
        needed: those without which a row is no record.
        numbers: those of numbers, the time among them, with the field that each is.
        per_second: how many of their units of time a second has.
    """

    time: str
    needed: tuple[str, ...]
    numbers: Mapping[str, str]
    per_second: float = 1.0


OWN: Final = Roles("time", _NEEDED, {name: name for name in NUMERIC})


def is_columnwise(log_map: LogMap) -> bool:
    """Return whether a map has only rules on whole columns: columns for fields, words, and how times are written."""
    fields = all(_is_plain(rule) for name, rule in log_map.fields.items() if name in NUMERIC)
    fields = fields and not any(rule.pattern for rule in log_map.fields.values())
    events = all(not rule.sets.keys() & NUMERIC for rules in log_map.events.values() for rule in rules)
    return (
        fields and events and not log_map.ignores and log_map.session_gap is None and not log_map.carry and not log_map.rows.each
    )


def _is_plain(rule: FieldRule) -> bool:
    return len(rule.columns) == 1 and rule.default is None and rule.number is None


def roles_by_name(log_map: LogMap, names: Collection[str]) -> Roles:
    """The roles of columns of these names.

    Raises:
        NotStrictError: they are not as plain as that.
    """
    if not log_map.active:
        return OWN
    require(is_columnwise(log_map))
    fields = log_map.fields
    taken = {column.partition(".")[0] for rule in fields.values() for column in rule.columns}
    source = {name: name for name in NUMERIC if name in names and name not in fields and name not in taken}
    source |= {name: fields[name].columns[0] for name in NUMERIC if name in fields and fields[name].columns[0] in names}
    needed = [column for name in _NEEDED for column in _needed(name, fields.get(name))]
    require("time" in source and set(needed) <= set(names))
    numbers = {column: name for name, column in source.items()}
    texts = [column for name, rule in fields.items() if name not in NUMERIC for column in rule.columns]
    require(len(numbers) == len(source) and not numbers.keys() & {*texts, *_rule_columns(log_map)})
    return Roles(source["time"], tuple(needed), numbers, log_map.per_second)


def _needed(name: str, rule: FieldRule | None) -> tuple[str, ...]:
    """The columns without which there is no such field."""
    if rule is None:
        return (name,)
    return rule.columns if rule.default is None else ()


def _rule_columns(log_map: LogMap) -> set[str]:
    """The columns that rules on event words look at."""
    return {column for rules in log_map.events.values() for rule in rules for column in rule.when}


def used_columns(log_map: LogMap) -> dict[str, None]:
    """The columns that a map names, in its order."""
    return dict.fromkeys(column for rule in log_map.fields.values() for column in rule.columns) | dict.fromkeys(
        _rule_columns(log_map)
    )


def is_within(column: str, names: Collection[str]) -> bool:
    """Return whether a column that a map names lies in an object of one of these columns."""
    return "." in column and column.partition(".")[0] in names


def joined_name(columns: tuple[str, ...]) -> str:
    """Return the name of a column that is made of several; no column of a log has such a name."""
    return "\0".join(columns)
