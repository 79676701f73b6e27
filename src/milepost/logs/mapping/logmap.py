"""The log map: how records with other field names, event words and time units become ours, read from TOML."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import tzinfo
from math import inf, isfinite
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from milepost.errors import MapError
from milepost.logs.mapping.row_kinds import COLUMNS, ONE_EVENT, ROW_RESULTS, RowKind, read_row_kind
from milepost.logs.sources.encodings import is_encoding
from milepost.toml import load_toml
from milepost.vocabulary import EVENT_CODES, FIELDS

_TABLES = {"fields", "time", "events", "replay", "session", "input", "rows"}
_SECONDS = {"s": 1.0, "ms": 1e3, "us": 1e6, "ns": 1e9, "min": 1 / 60, "h": 1 / 3600, "days": 1 / 86_400}
_SETTINGS = {"repeat_window": float, "instant": float, "implied_complete": bool}
_FIELD_KEYS = {"from", "value", "default", "join", "format", "pattern"}
_INPUT_KEYS = {"format", "query", "delimiter", "encoding", "select", "query_seconds", "lines", "record"}
_ROW_KEYS = {"explode", "carry", "each", *COLUMNS, "levels", "cell"}
_TIME_KEYS = {"unit", "rate", "zone", "format"}
_FORMS = ("jsonl", "json", "csv", "tsv", "parquet", "sqlite", "xes", "lines", "workbook", "yaml", "cbor", "xml")
SOURCE_COLUMNS = ("source.name", "source.folder")  # the name of a record's file without its ending, and of its folder
IGNORE = "ignore"  # what an event word means whose records are no part of the log
_NUMBERED = re.compile(r"[^{}]*\{n(:0?\d{0,2}d)?\}[^{}]*")


@dataclass(frozen=True)
class FieldRule:
    """The source of one of our fields.

    Attributes:
        columns: theirs; dots lead into nested objects. Several are joined.
        value: a constant, where there is no column.
        default: what stands for an absent column.
        join: what several columns are joined with.
        number: a pattern such as ``level-{n:02d}`` that makes a name of a number.
        pattern: a regular expression whose first group is the value; what it does not find is as if absent.
    """

    columns: tuple[str, ...] = ()
    value: object = None
    default: object = None
    join: str = "-"
    number: str | None = None
    pattern: str | None = None


@dataclass(frozen=True)
class EventRule:
    """The meaning of one of their event words: fields to set, if other columns have the values of ``when``."""

    sets: Mapping[str, object]
    when: Mapping[str, object] = field(default_factory=dict)


@dataclass(frozen=True)
class LogMap:
    """How foreign records become ours.

    Attributes:
        fields: our field names with where they come from.
        per_second: how many of their time units a second has.
        zone: the zone of date-times without an offset.
        time_format: how date-times are written, in the letters of strptime; ISO 8601 where None.
        events: their event words with what they mean, the first fitting rule of each counting.
        session_gap: seconds without a record after which a player's next session begins, in a log without sessions.
        replay: replay settings given in the map.
        form, query, delimiter, encoding: how the files are read.
        select: an SQL query over the records, which are its table ``log``.
        query_seconds: how long a query may take; as long as it likes where None.
        lines: patterns of lines of text, whose named groups are columns.
        record: the path of the elements of XML that are records.
        explode: arrays in each record whose elements are the records, the outermost first.
        carry: our fields that hold until they change, within a session.
        rows: what a row is.
        path: the map's file.
    """

    fields: Mapping[str, FieldRule] = field(default_factory=dict)
    per_second: float = 1.0
    zone: tzinfo | None = None
    time_format: str | None = None
    events: Mapping[str, tuple[EventRule, ...]] = field(default_factory=dict)
    session_gap: float | None = None
    replay: Mapping[str, Any] = field(default_factory=dict)
    form: str | None = None
    query: str | None = None
    delimiter: str | None = None
    encoding: str | None = None
    select: str | None = None
    query_seconds: float | None = None
    lines: tuple[str, ...] = ()
    record: str = ""
    explode: tuple[str, ...] = ()
    carry: tuple[str, ...] = ()
    rows: RowKind = ONE_EVENT
    path: str | None = None

    @property
    def active(self) -> bool:
        """Return whether records have to be translated at all."""
        timed = self.per_second != 1.0 or self.zone is not None or self.time_format is not None
        return bool(
            self.fields or self.events or timed or self.session_gap or self.carry or self.reshapes or self.lines or self.record
        )

    @property
    def reshapes(self) -> bool:
        """Return whether records are made of others, so that a file has to be read as a whole."""
        return bool(self.select or self.explode or self.rows.each)

    @property
    def names_sources(self) -> bool:
        """Return whether the name or the folder of a record's file is a column of it."""
        columns = [column for rule in self.fields.values() for column in rule.columns]
        columns += self.rows.columns().values() if self.rows.each else ()
        return any(column in SOURCE_COLUMNS for column in columns) or any(name in (self.select or "") for name in SOURCE_COLUMNS)

    @property
    def ignores(self) -> bool:
        """Return whether records of some event words are no part of the log."""
        return any(rule.sets.get("event") == IGNORE for rules in self.events.values() for rule in rules)


NO_MAP = LogMap()


def read_map(path: str | Path) -> LogMap:
    """Read a log map.

    Raises:
        MapError: the file cannot be read, or says something that makes no sense; the text names the key, what was
            found and what would do.
    """
    tables = load_toml(path, "log map", MapError)
    for name, table in tables.items():
        if name not in _TABLES or not isinstance(table, dict):
            raise MapError(f"{path}: [{name}] is no part of a log map. The tables are {_listed(_TABLES)}.")
    reading = _Reading(path, "each" in tables.get("rows", {}))
    return LogMap(
        fields={ours: reading.field(ours, value) for ours, value in tables.get("fields", {}).items()},
        events={word: reading.event(word, value) for word, value in tables.get("events", {}).items()},
        session_gap=reading.session(tables.get("session", {})),
        replay=reading.replay(tables.get("replay", {})),
        **reading.time(tables.get("time", {})),
        **reading.input(tables.get("input", {})),
        **reading.rows(tables.get("rows", {})),
        path=str(path),
    )


_Settings = dict[str, Any]  # what a table of the map sets, by the name of what is set


def _listed(names: Iterable[str]) -> str:
    return ", ".join(sorted(names))


class _Reading:
    """Reads the tables of one map; mistakes name its file."""

    def __init__(self, path: str | Path, of_rows: bool = False) -> None:
        self.path, self.of_rows = path, of_rows

    def wrong(self, key: str, must: str, value: object) -> MapError:
        """The error for one key."""
        return MapError(f"{self.path}: {key} must be {must}, not {value!r}.")

    def refuse_unknown(self, table: str, given: Mapping[str, object], keys: set[str]) -> None:
        """Refuse keys that mean nothing."""
        for key in given:
            if key not in keys:
                raise MapError(f"{self.path}: {table}.{key} is no setting. [{table}] takes {_listed(keys)}.")

    def field(self, ours: str, given: object) -> FieldRule:
        """One entry of [fields]."""
        key = f"fields.{ours}"
        if isinstance(given, str) and given:
            return FieldRule((given,))
        if not isinstance(given, dict):
            raise self.wrong(key, "a column of the log, or a table with from, value or default", given)
        self.refuse_unknown(key, given, _FIELD_KEYS)
        columns = given.get("from", [])
        columns = [columns] if isinstance(columns, str) else columns
        if not isinstance(columns, list) or not all(isinstance(column, str) and column for column in columns):
            raise self.wrong(f"{key}.from", "a column or a list of columns", given["from"])
        if not columns and "value" not in given:
            raise self.wrong(key, "a table with from or value", given)
        number, join = given.get("format"), given.get("join", "-")
        if number is not None and not (isinstance(number, str) and _NUMBERED.fullmatch(number)):
            raise self.wrong(f"{key}.format", 'a text with one number in it, such as "level-{n:02d}"', number)
        if not isinstance(join, str):
            raise self.wrong(f"{key}.join", "a text", join)
        pattern = given.get("pattern")
        if pattern is not None and not (isinstance(pattern, str) and _groups(pattern) >= 1):
            raise self.wrong(f"{key}.pattern", 'a regular expression with a group, such as "level_(.*)"', pattern)
        return FieldRule(tuple(columns), given.get("value"), given.get("default"), join, number, pattern)

    def time(self, table: Mapping[str, object]) -> _Settings:
        """The table [time]."""
        self.refuse_unknown("time", table, _TIME_KEYS)
        zone, form = table.get("zone"), table.get("format")
        if form is not None and not (isinstance(form, str) and "%" in form):
            raise self.wrong("time.format", 'a pattern such as "%d.%m.%Y %H:%M:%S"', form)
        return {"per_second": self.per_second(table), "zone": _zone(self, zone), "time_format": form}

    def per_second(self, table: Mapping[str, Any]) -> float:
        """How many units a second has."""
        unit, rate = table.get("unit", "s"), table.get("rate")
        if unit == "frames":
            if isinstance(rate, bool) or not isinstance(rate, int | float) or not isfinite(rate) or rate <= 0:
                raise self.wrong("time.rate", "the frames per second, such as 60", rate)
            return float(rate)
        if not isinstance(unit, str) or unit not in _SECONDS:
            raise self.wrong("time.unit", "one of s, ms, us, ns, min, h, days, frames", unit)
        if rate is not None:
            raise MapError(f'{self.path}: time.rate goes with unit = "frames" only.')
        return _SECONDS[unit]

    def event(self, word: str, given: object) -> tuple[EventRule, ...]:
        """One entry of [events]: our word, a table, or a list of tables of which the first fitting one counts."""
        rules = given if isinstance(given, list) else [given]
        return tuple(self.event_rule(f"events.{word}", rule) for rule in rules)

    def event_rule(self, key: str, given: object) -> EventRule:
        """One rule of an event word."""
        sets = {"event": given} if isinstance(given, str) else dict(given) if isinstance(given, dict) else {}
        when = sets.pop("when", {})
        words = ROW_RESULTS if self.of_rows else (*EVENT_CODES, IGNORE)
        if not isinstance(sets.get("event"), str) or sets["event"] not in words:
            raise self.wrong(key, f"one of {', '.join(words)}, or a table that sets event", sets.get("event", given))
        if not isinstance(when, dict):
            raise self.wrong(f"{key}.when", "a table of columns and their values", when)
        for name, value in sets.items():
            if name in ("session", "time") or isinstance(value, dict | list):
                allowed = _listed(FIELDS - {"session", "time"})
                raise MapError(f"{self.path}: {key} cannot set {name} to {value!r}; it sets {allowed} or a tag.")
        return EventRule(sets, when)

    def session(self, table: Mapping[str, object]) -> float | None:
        """The table [session]."""
        self.refuse_unknown("session", table, {"gap_minutes"})
        gap = table.get("gap_minutes")
        if gap is None:
            return None
        if isinstance(gap, bool) or not isinstance(gap, int | float) or not isfinite(gap) or gap <= 0:
            raise self.wrong("session.gap_minutes", "a number of minutes above 0", gap)
        return 60.0 * gap

    def input(self, table: Mapping[str, object]) -> _Settings:
        """The table [input]."""
        self.refuse_unknown("input", table, _INPUT_KEYS)
        form, delimiter, query, encoding = (table.get(key) for key in ("format", "delimiter", "query", "encoding"))
        if form is not None and (not isinstance(form, str) or form not in _FORMS):
            raise self.wrong("input.format", f"one of {', '.join(_FORMS)}", form)
        if delimiter is not None and not (isinstance(delimiter, str) and len(delimiter) == 1):
            raise self.wrong("input.delimiter", "one character", delimiter)
        if query is not None and not isinstance(query, str):
            raise self.wrong("input.query", "an SQL query", query)
        if encoding is not None and not is_encoding(encoding):
            raise self.wrong("input.encoding", 'the name of an encoding of text, such as "cp1252"', encoding)
        select = table.get("select")
        if select is not None and not (isinstance(select, str) and select.strip()):
            raise self.wrong("input.select", "an SQL query over the table log", select)
        limit = table.get("query_seconds")
        if limit is not None and (isinstance(limit, bool) or not isinstance(limit, int | float) or not 0 < limit < inf):
            raise self.wrong("input.query_seconds", "a number of seconds above 0", limit)
        lines = table.get("lines", [])
        lines = [lines] if isinstance(lines, str) else lines
        if not isinstance(lines, list) or not all(isinstance(line, str) and _names_groups(line) for line in lines):
            raise self.wrong(
                "input.lines", "a regular expression with named groups, such as '(?P<time>\\S+) (?P<event>.*)'", lines
            )
        record = table.get("record", "")
        if not isinstance(record, str) or not all(record.split("/") if record else ["x"]):
            raise self.wrong("input.record", 'the path of an element, such as "run/event"', record)
        plain = {key: table.get(key) for key in ("delimiter", "query", "encoding", "select", "query_seconds")}
        return {**plain, "form": form, "lines": tuple(lines), "record": record}

    def rows(self, table: Mapping[str, object]) -> _Settings:
        """The table [rows]."""
        self.refuse_unknown("rows", table, _ROW_KEYS)
        explode, carry = table.get("explode", []), table.get("carry", [])
        path = [explode] if isinstance(explode, str) else explode
        if not isinstance(path, list) or not all(isinstance(name, str) and name for name in path):
            raise self.wrong("rows.explode", "the name of an array, or a list of names, the outermost first", explode)
        if not isinstance(carry, list) or not all(isinstance(name, str) and name for name in carry):
            raise self.wrong("rows.carry", "a list of fields", carry)
        for name in carry:
            if name in ("session", "time", "event"):
                raise MapError(f"{self.path}: rows.carry: {name} cannot hold from one record to the next.")
        return {"explode": tuple(path), "carry": tuple(carry), "rows": read_row_kind(table, str(self.path))}

    def replay(self, table: Mapping[str, Any]) -> _Settings:
        """The table [replay]."""
        self.refuse_unknown("replay", table, set(_SETTINGS))
        for key, value in table.items():
            wants_bool = _SETTINGS[key] is bool
            if isinstance(value, bool) != wants_bool or not isinstance(value, int | float):
                raise self.wrong(f"replay.{key}", "true or false" if wants_bool else "seconds", value)
            if not wants_bool and not (isfinite(value) and value >= 0):
                raise self.wrong(f"replay.{key}", "a number of seconds from 0 up", value)
        return dict(table)


def _groups(pattern: str) -> int:
    """How many groups a regular expression has; 0 for what is none."""
    try:
        return re.compile(pattern).groups
    except (re.error, RecursionError, OverflowError):
        return 0


def _names_groups(pattern: str) -> bool:
    return _groups(pattern) > 0 and bool(re.compile(pattern).groupindex)


def _zone(reading: _Reading, name: object) -> tzinfo | None:
    """The zone of local date-times."""
    if name is None:
        return None
    try:
        return ZoneInfo(name if isinstance(name, str) else "")
    except (KeyError, ValueError, TypeError, OSError):
        raise reading.wrong("time.zone", 'the name of a time zone, such as "Europe/Oslo" or "UTC"', name) from None
