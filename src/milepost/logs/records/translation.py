"""Translates records as a log map says, one at a time."""

from __future__ import annotations

import re
from collections.abc import Mapping
from math import isfinite

from milepost.logs.mapping.logmap import EventRule, FieldRule, LogMap
from milepost.logs.mapping.map_usage import MapUse, match_pattern
from milepost.logs.mapping.row_kinds import ROW_RESULTS
from milepost.logs.mapping.whole_input import SessionStarts
from milepost.logs.records.fields import BAD, NANO, add_offset, parse_decimal, parse_stamp, text_of, to_number

_CLOCK = re.compile(r"\d{1,4}:\d\d(:\d\d)?([.,]\d+)?|\d+,\d+")  # hours, minutes and seconds, or a decimal comma


class Translator:
    """Applies a map.

    Attributes:
        map: the map.
        use: what it met.
        starts: where the sessions of each player begin, in a log without sessions.
    """

    def __init__(self, log_map: LogMap, starts: SessionStarts | None = None) -> None:
        self.map, self.starts = log_map, starts
        self._taken = {column.partition(".")[0] for rule in log_map.fields.values() for column in rule.columns}
        self.use = MapUse()
        self._carried: dict[object, dict[str, object]] = {}  # per session: the fields that hold until they change

    def fields_of(self, record: Mapping[str, object], cells: bool) -> dict[str, object]:
        """A row by our names; what it says of times and results is left to who makes records of it."""
        self.use.take(record)
        rows = self.map.rows
        row_columns = set(rows.columns().values())
        row_columns |= {
            name for name in record for pattern in rows.patterns().values() if match_pattern(pattern, name) is not None
        }
        fields = self.map.fields
        ours = {name: value for name, value in record.items() if name not in self._taken | row_columns and name not in fields}
        for name, rule in fields.items():
            value = self._value(name, rule, record, cells)
            if value is not None:
                ours[name] = value
        ours.pop("event", None)
        if self.map.session_gap is not None and ours.get("session") is None:
            began = lookup(record, rows.started) if rows.started else ours.get("time")
            self._set_session(ours | {"time": self._time(to_number(began) if cells else began)}, ours)
        return ours

    def note_session(self, record: Mapping[str, object], cells: bool) -> None:
        """Note when a player has a record, before it is known where sessions begin."""
        translated = self.fields_of if self.map.rows.each else self.translated
        translated(record, cells)

    def value_of(self, record: Mapping[str, object], column: str | None) -> object:
        """Return the value of a column of the shape; columns that are there are counted."""
        if column is None:
            return None
        value = lookup(record, column)
        self.use.met[column] += value is not None
        return None if value == "" else value

    def time_of(self, value: object) -> object:
        """A time as a record has it: seconds, or a time stamp."""
        return self._time(value)

    def outcome_of(self, word: object) -> str | None:
        """Return the outcome that a word of the result stands for; None if the map does not say."""
        if not isinstance(word, str):
            return None
        if word in self.map.events:
            self.use.words[word] += 1
            return str(self.map.events[word][0].sets["event"])
        return word if word in ROW_RESULTS else None

    def translated(self, record: Mapping[str, object], cells: bool) -> dict[str, object]:
        """One record with our names, words and times; what the map does not name stays as it is."""
        fields = self.map.fields
        self.use.take(record)
        ours = {name: value for name, value in record.items() if name not in self._taken and name not in fields}
        for name, rule in fields.items():
            value = self._value(name, rule, record, cells)
            if value is not None:
                ours[name] = value
        if "time" in ours:
            ours["time"] = self._time(to_number(ours["time"]) if cells else ours["time"])
        self._set_event(ours, record)
        if self.map.session_gap is not None and ours.get("session") is None:
            self._set_session(ours)
        if self.map.carry:
            self._carry(ours)
        return ours

    def _carry(self, ours: dict[str, object]) -> None:
        """Fields that hold until they change, within a session, in the log's order."""
        held = self._carried.setdefault(text_of(ours.get("session")), {})
        for name in self.map.carry:
            if ours.get(name) in (None, ""):
                if name in held:
                    ours[name] = held[name]
            else:
                held[name] = ours[name]

    def _value(self, name: str, rule: FieldRule, record: Mapping[str, object], cells: bool) -> object:
        values = [lookup(record, column) for column in rule.columns]
        for column, cell in zip(rule.columns, values, strict=True):
            self.use.met[column] += cell is not None
        cell = values[0] if values else rule.value
        value = joined_value(record, rule.columns, rule.join) if len(values) > 1 else cell
        if value is None or value == "":
            value = rule.default
        if rule.pattern is not None and value is not None:
            match = re.search(rule.pattern, str(text_of(value)))
            value = match[1] if match else rule.default
        if rule.number is None or value is None:
            return value
        named = format_name(rule, value, cells)
        self.use.failed[name] += named is None
        return value if named is None else named

    def _time(self, value: object) -> object:
        if type(value) is str:
            if self.map.time_format is None and _CLOCK.fullmatch(value) and (clock := parse_decimal(value)) is not None:
                return clock if ":" in value else _quotient(clock, self.map.per_second)
            moment = add_offset(value, self.map.zone, self.map.time_format)
            self.use.failed["time"] += moment == value and parse_stamp(value) is None
            return moment
        if self.map.per_second != 1.0 and (type(value) is int or type(value) is float):
            return _quotient(value, self.map.per_second)
        return value

    def _set_event(self, ours: dict[str, object], record: Mapping[str, object]) -> None:
        word = text_of(ours.get("event"))
        if not isinstance(word, str):
            self.use.without_event += 1
        elif word in self.map.events:
            self.use.words[word] += 1
        rules = self.map.events.get(word, ()) if isinstance(word, str) else ()
        for rule in rules:
            if _fits(rule, record):
                ours.update(rule.sets)
                return

    def _set_session(self, ours: dict[str, object], target: dict[str, object] | None = None) -> None:
        """A player's records follow each other in one session until there is a gap."""
        player = text_of(ours.get("player"))
        moment = _moment(ours.get("time"))
        if not isinstance(player, str) or moment is None or self.starts is None:
            return
        if not self.starts.settled:
            self.starts.note(player, moment)
        (ours if target is None else target)["session"] = f"{player}#{self.starts.number(player, moment)}"


def format_name(rule: FieldRule, value: object, cells: bool) -> str | None:
    """A name made of a number, as the rule says; None where it is none."""
    number = to_number(value) if cells or type(value) is str else value
    if type(number) is float and isfinite(number) and number.is_integer():
        number = int(number)
    return str(rule.number).format(n=number) if type(number) is int else None


def lookup(record: Mapping[str, object], column: str) -> object:
    """A column by its name, or by a path of names with dots between."""
    if column in record:
        return record[column]
    value: object = record
    for name in column.split("."):
        value = value.get(name) if isinstance(value, Mapping) else None
    return value


def joined_value(record: Mapping[str, object], columns: tuple[str, ...], join: str) -> object:
    """Several columns as one text; None where one of them is no text."""
    texts = [text_of(lookup(record, column)) for column in columns]
    return join.join(texts) if all(isinstance(text, str) for text in texts) else None


def _fits(rule: EventRule, record: Mapping[str, object]) -> bool:
    return all(is_alike(lookup(record, column), wanted) for column, wanted in rule.when.items())


def is_alike(value: object, wanted: object) -> bool:
    """Equal, as values or as the texts that a table without types has; one of a list will do."""
    if isinstance(wanted, list):
        return any(is_alike(value, item) for item in wanted)
    if isinstance(wanted, bool) or isinstance(value, bool):
        return str(value).lower() == str(wanted).lower()
    return bool(value == wanted) or (text_of(value) == text_of(wanted) and text_of(value) is not BAD)


def _quotient(value: float, per_second: float) -> object:
    try:
        return value / per_second
    except OverflowError:
        return value


def _moment(time: object) -> float | None:
    """A time in seconds, on whatever clock."""
    if type(time) is str:
        stamp = parse_stamp(time)
        return None if stamp is None else stamp / NANO
    if not isinstance(time, int | float) or isinstance(time, bool):
        return None
    return float(time) if isfinite(time) else None
