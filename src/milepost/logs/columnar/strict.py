"""Large JSON Lines files at full speed: whole columns through DuckDB, where every line is as it should be.

The strict reader gives all of a file or nothing. Lines that hold no record, or none that can be read, are told by the tolerant
reader why. Where anything else is out of the ordinary (a value out of range, a field that the others do not have and that is
nested) it gives nothing, and smaller pieces of the file are tried, or chunks of its records.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

import numpy as np
from numpy.typing import NDArray

from milepost.arrays import Ints
from milepost.logs.columnar.arrow import connect
from milepost.logs.columnar.block import Block, require
from milepost.logs.columnar.column_builders import (
    BATCH,
    NOTHING,
    Columns,
    NumberColumn,
    RawTexts,
    Stamps,
    Texts,
    WrittenTexts,
    given_up,
    moment_columns,
    quoted,
)
from milepost.logs.columnar.mapped import is_within, mapped_block, roles_by_name, used_columns
from milepost.logs.formats.jsonlines import MAX_LINE, add_line
from milepost.logs.formats.otlp import is_envelope
from milepost.logs.interface import Refused, Sink
from milepost.logs.mapping.logmap import NO_MAP, LogMap
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import RecordSink
from milepost.logs.sources.files import Source

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

_SAMPLE: Final = 20_000  # lines
_PER_LINE: Final = 2000  # bytes of a file, for one of these; looking at a line takes as long as reading four
_NUMBERS: Final = ("UBIGINT", "BIGINT", "DOUBLE")
_WHOLE_NUMBER: Final = "[0-9]{1,15}"  # all of these are told apart as floats


def read_strict(source: Source, log_map: LogMap = NO_MAP) -> Block | None:
    """The columns of a JSON Lines file, by a log map if there is one; None where it has to be read line by line."""
    with strict_reader(source.size(), log_map) as reader:
        return reader.read(source)


@contextmanager
def strict_reader(size: int, log_map: LogMap = NO_MAP) -> Iterator[StrictReader]:
    """Yield a reader for several files with mostly the same fields, also from several threads, of so many bytes in all."""
    with connect(size) as base:
        yield StrictReader(base, log_map)


class StrictReader:
    """Reads files that are likely to have the same fields."""

    def __init__(self, base: DuckDBPyConnection, log_map: LogMap) -> None:
        self._base, self.log_map = base, log_map
        rule = log_map.fields.get("time")
        self._time = rule.columns[0] if rule is not None and rule.columns else "time"
        self._kinds: dict[str, str] = {}

    def read(self, source: Source) -> Block | None:
        """The columns of a JSON Lines file; None where it has to be read line by line."""
        result = self._tried(source, self._kinds) if self._kinds else None
        return result or self._tried(source, {})

    def _tried(self, source: Source, kinds: dict[str, str]) -> Block | None:
        if source.path is None:
            return None
        with self._base.cursor() as base, given_up(source.path) as path:
            return self._read(base, source, path, kinds)
        return None

    def _read(self, base: DuckDBPyConnection, source: Source, path: str, kinds: dict[str, str]) -> Block:
        """Read by the fields that it is likely to have, or of the first lines; where there are more, by those of all lines."""
        first = min(_SAMPLE, max(_SAMPLE // 4, source.size() // _PER_LINE))
        kinds = kinds or _fields(base, path, f"LIMIT {first}", self._time)
        with count_beside(source) as marks:
            written = _Written(kinds, self.log_map)
            unread = written.read(base, path, source)
            if not written.account_for(marks.result(), unread):
                kinds = _fields(base, path, "", self._time)
                written = _Written(kinds, self.log_map)
                unread = written.read(base, path, source)
                require(written.account_for(marks.result(), unread))
            require(not written.nulls or not _names_twice(base, path))
            self._kinds = kinds
            block = written.block()
            unread = unread.and_of(source, written.columns.dropped)
            block.refused, block.debug_only = unread.refused(self.log_map)
            return block


def _fields(base: DuckDBPyConnection, path: str, limit: str, time: str) -> dict[str, str]:
    """The fields of the file's lines, or of the first of them, with their types; that of the time is a number's or a text's."""
    lines = f"SELECT json FROM read_ndjson_objects(?, ignore_errors=true) {limit}"
    stamps = "count(*) FILTER (json_type(json -> ?) = 'VARCHAR') > count(*) / 2"  # where some times are of the other kind
    objects = f"SELECT json_group_structure(json), {stamps} FROM ({lines}) WHERE json_type(json) = 'OBJECT'"
    written, stamped = base.execute(objects, [_place(time), path]).fetchall()[0]
    kinds: Any = json.loads(written or "null")  # nothing, of a file without a line
    require(isinstance(kinds, dict))
    mixed = {time: "VARCHAR" if stamped else "DOUBLE"} if kinds.get(time) == "JSON" else {}
    return {name: str(kind) for name, kind in (kinds | mixed).items()}


def _names_twice(base: DuckDBPyConnection, path: str) -> bool:
    """Return whether a line with a field of nothing has a name twice."""
    lines = "read_ndjson_objects(?, ignore_errors=true) WHERE contains(json::VARCHAR, 'null')"
    hits = base.execute(f"SELECT 1 FROM {lines} AND len(json_keys(json)) <> list_unique(json_keys(json)) LIMIT 1", [path])
    return hits.fetchone() is not None


def _place(name: str) -> str:
    """A field's place in a record, as a path."""
    return f"/{name.replace('~', '~0').replace('/', '~1')}"


class _Written:
    """The columns of a file by its fields, read as they are written, so that no text passes for a number.

    Each field of a line has a colon after its name. If the file has as many as there are values of the known fields and
    colons in these and in their names, there are no other fields, none twice in a line, and no lines with more than a record.
    Fields of nothing have a colon and no value, so these are counted too. Whatever else looks like one of these makes the
    numbers differ, and the file goes the long way. What no count tells is a field that a line has once more as nothing, which
    would stand; so names are looked at where there are such fields.
    """

    def __init__(self, kinds: dict[str, str], log_map: LogMap) -> None:
        self.names = list(kinds)
        kinds = {name: kind for name, kind in kinds.items() if kind != "NULL"}
        roles = roles_by_name(log_map, kinds)
        require(log_map.time_format is None and all(len(rule.columns) <= 1 for rule in log_map.fields.values()))
        require(not any(is_within(column, kinds) for column in used_columns(log_map)))
        require(set(roles.needed) <= kinds.keys() and not is_envelope(kinds))
        texts = RawTexts if log_map.active else WrittenTexts
        self.columns = Columns.of(kinds, kinds[roles.time] not in _NUMBERS, texts, roles)
        self.kinds, self.roles, self.map, self.nulls = kinds, roles, log_map, 0

    def read(self, base: DuckDBPyConnection, path: str, source: Source) -> UnreadLines:
        """Read the whole file; the lines that hold no record, or none with a session, a time and an event."""
        columns, fields = self.columns, self.roles.numbers
        chosen = [_text(column.name) for column in columns.texts] + [
            _number(column.name, fields[column.name]) for column in columns.numbers
        ]
        chosen += _moment(self.roles.time) if columns.stamps else ()
        query = f"SELECT {', '.join(chosen)} FROM read_json(?, format='newline_delimited', columns=?, ignore_errors=true)"
        for batch in base.sql(query, params=[path, dict.fromkeys(self.kinds, "JSON")]).to_arrow_reader(BATCH):
            columns.take(batch)
        require(len(columns.passed) <= columns.rows)
        return UnreadLines.of(source, columns.passed + 1)

    def block(self) -> Block:
        """The file as a block.

        Raises:
            NotStrictError: a record of it cannot be read, or a field of one cannot be used.
        """
        return mapped_block(self.columns, self.names, self.map, False) if self.map.active else self.columns.block()

    def account_for(self, marks: ByteCounts, unread: UnreadLines) -> bool:
        """Return whether what was read is all that is in the file, but for some lines."""
        columns = self.columns
        gathered: list[Texts | NumberColumn | Stamps] = [*columns.texts, *columns.numbers]
        gathered += [columns.stamps] if columns.stamps else []
        colons = sum(column.given * (1 + column.name.count(":")) + column.colons for column in gathered)
        self.nulls = marks.nulls - unread.nulls - sum(column.nulls for column in gathered)
        require(marks.lines == columns.rows + len(unread.lines))  # lines with nothing in them are no rows
        return marks.colons - unread.colons == colons + self.nulls


def _moment(name: str) -> tuple[str, str, str]:
    return moment_columns(f"trim({_text(name)}, '\"')", f"starts_with({_text(name)}, '\"')")


def _text(name: str) -> str:
    return f"{quoted(name)}::VARCHAR"


def _number(name: str, field: str) -> str:
    written = _text(name)
    if field == "time":  # a line without one is no record
        moment = f"TRY_CAST({written} AS DOUBLE)"
        return f"CASE WHEN isfinite({moment}) THEN {moment} END"
    if field != "seq":
        return f"{written}::DOUBLE"
    whole = f"regexp_full_match({written}, '{_WHOLE_NUMBER}') OR {quoted(name)} IS NULL"
    return f"CASE WHEN {whole} THEN {written}::DOUBLE ELSE error('') END"


_MOST_BYTES: Final = 1 << 50


def give_json(line: bytes, number: int, sink: Sink) -> None:
    """Give the record of a line of JSON to a sink."""
    add_line(line if len(line) <= MAX_LINE else None, number, sink)


@dataclass(frozen=True)
class UnreadLines:
    """Lines by their numbers, from 1."""

    lines: dict[int, bytes]

    @classmethod
    def of(cls, source: Source, numbers: Ints) -> UnreadLines:
        """Return the lines not read of a file.

        Raises:
            LogError: it cannot be read.
        """
        if not len(numbers):
            return cls({})
        wanted = set(numbers.tolist())
        with source.open(_MOST_BYTES) as stream:
            return cls({number: line for number, line in enumerate(stream, 1) if number in wanted})

    def and_of(self, source: Source, numbers: Ints) -> UnreadLines:
        """Return these and some more lines of a file, in their order."""
        both = {**self.lines, **UnreadLines.of(source, numbers).lines}
        return UnreadLines(dict(sorted(both.items())))

    @property
    def colons(self) -> int:
        """How many colons are in them."""
        return sum(line.count(b":") for line in self.lines.values())

    @property
    def nulls(self) -> int:
        """How often what looks like a field of nothing is in them."""
        return sum(line.count(mark.encode()) for line in self.lines.values() for mark in NOTHING)

    def refused(
        self, log_map: LogMap, give: Callable[[bytes, int, Sink], None] = give_json, cells: bool = False
    ) -> tuple[list[Refused], set[str]]:
        """Why each is no record, in their order, as of a first file; and the sessions that only these say are debug.

        Args:
            log_map: what the records mean.
            give: gives the record of a line, with its number, to a sink, as the tolerant reader does.
            cells: whether values know no types.

        Raises:
            NotStrictError: one of them can be read, and its record would have its place among the others; or the map may say more
                of it.
        """
        trial = RecordBuilder()
        translator = trial.translated_by(log_map)
        sink = RecordSink(trial, 0, translator, cells)
        for number, line in self.lines.items():
            give(line, number, sink)
            require(not len(trial))
        require(translator is None or not translator.use.records)
        return trial.refusals.kept, trial.known.debug_only


_AT_ONCE: Final = 1 << 20  # bytes
_MOST_COUNTED_BYTES: Final = 1 << 50
_NEWLINE, _COLON, _COMMA, _CLOSING = (ord(mark) for mark in "\n:,}")
_CODED: Final = (b"\\u003a", b"\\u003A")  # colons that would not be counted
_NULL: Final = b"null"
_SPACES: Final = b" \t\r"


@dataclass(frozen=True)
class ByteCounts:
    """Counts of line ends, colons and null fields in a file."""

    lines: int
    colons: int
    nulls: int

    @classmethod
    def of(cls, source: Source) -> ByteCounts:
        """Return the marks of a file.

        Raises:
            LogError: it cannot be read.
            NotStrictError: something in it is no JSON, but would pass for it.
        """
        lines = colons = nulls = 0
        last = b"\n"
        with source.open(_MOST_COUNTED_BYTES) as stream:
            while data := stream.read(_AT_ONCE):
                rest = stream.readline(_AT_ONCE)  # no mark in two
                require(len(rest) < _AT_ONCE)
                data += rest
                marks = np.frombuffer(data, np.uint8)
                require(_plain(data, marks))
                lines += int(np.count_nonzero(marks == _NEWLINE))
                colons += int(np.count_nonzero(marks == _COLON))
                nulls += sum(data.count(mark.encode()) for mark in NOTHING) if _has(data, _NULL) else 0
                last = data[-1:]
        return cls(lines + (last != b"\n"), colons, nulls)


@contextmanager
def count_beside(source: Source) -> Iterator[Future[ByteCounts]]:
    """The marks of a file, counted while something else is done."""
    with ThreadPoolExecutor(1) as beside:
        yield beside.submit(ByteCounts.of, source)


def _has(data: bytes, word: bytes) -> bool:
    """Return whether a word of four bytes is in a buffer; twice as fast as a search, where most often it is not."""
    number = np.frombuffer(word, np.uint32)[0]
    places = range(min(len(word), max(0, len(data) - len(word) + 1)))
    return any((np.frombuffer(data, np.uint32, (len(data) - place) // 4, place) == number).any() for place in places)


def _plain(data: bytes, marks: NDArray[np.uint8]) -> bool:
    """Return whether every colon can be counted, and nothing is JSON for DuckDB alone: trailing commas, form feeds."""
    if b"\x0b" in data or b"\x0c" in data or (b"\\" in data and any(coded in data for coded in _CODED)):
        return False
    before = marks[np.flatnonzero(marks[1:] == _CLOSING)]
    if (before == _COMMA).any():
        return False
    spaced = any((before == space).any() for space in _SPACES)  # most logs have none, and need no second look
    return not spaced or b",}" not in data.translate(None, _SPACES)
