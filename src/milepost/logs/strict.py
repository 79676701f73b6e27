"""Large JSON Lines files at full speed: whole columns through DuckDB, where every line is as it should be.

The strict reader gives all of a file or nothing. Where anything is out of the ordinary (a bad line, a field of mixed
types, a value out of range) it gives nothing, and the file is read line by line, which is where the rules stand.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from milepost.logs.interface import ABSENT, Floats, Ints
from milepost.logs.likeness import bool_numbers, column_likeness, float_numbers, text_numbers
from milepost.logs.sources import Source
from milepost.vocabulary import FIELDS, NEED_LEVEL, NUMBER_FIELDS, TEXT_FIELDS

WORTHWHILE: Final = 4 << 20  # bytes on disk from which the strict reader pays
_WHOLE = ("UBIGINT", "BIGINT")
_NUMBERS = (*_WHOLE, "DOUBLE")
_SAMPLE: Final = 20_000  # lines
_AT_ONCE: Final = 16 << 20  # bytes
_MOST_BYTES: Final = 1 << 50
_WHOLE_NUMBER = "^[0-9]{1,15}$"
_EXACT = float(1 << 53)  # whole numbers beyond this are not told apart as floats
_STAMP = r"\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d:[0-5]\d(\.\d{1,6})?([Zz]|[+-][01]\d:[0-5]\d)"


@dataclass
class TextColumn:
    """Texts as codes into a list; ABSENT where not given."""

    codes: Ints
    values: list[str]


@dataclass
class Block:
    """The columns of one file, every record of it readable.

    ``time`` is in seconds, or in whole microseconds since 1970 where ``stamped``. ``numbers`` holds NaN where a field
    is not given; ``tags`` holds texts.
    """

    rows: int
    text: dict[str, TextColumn]
    numbers: dict[str, Floats]
    time: Floats | Ints
    stamped: bool
    seq: Floats
    tags: dict[str, TextColumn]
    likeness: Ints


class _NotStrictError(Exception):
    """Something in the file needs the tolerant reader."""


def read_strict(source: Source) -> Block | None:
    """The columns of a JSON Lines file; None where it has to be read line by line."""
    if source.path is None:
        return None
    import duckdb

    with duckdb.connect() as base:
        try:
            return _read(base, source)
        except (duckdb.Error, _NotStrictError):
            return None


def _read(base: Any, source: Source) -> Block:
    path = str(source.path)
    kinds = _structure(base, path, f"LIMIT {_SAMPLE}")
    if not _load_as(base, source, kinds):
        kinds = _structure(base, path, "")
        _require_known(kinds)
        columns = {name: "DOUBLE" if kind in _NUMBERS else kind for name, kind in kinds.items()}
        read = "read_json(?, format='newline_delimited', columns=?)"
        base.execute(f"CREATE TEMP TABLE log AS SELECT * FROM {read}", [path, columns])
    return _Table(base, {name: "DOUBLE" if kind in _NUMBERS else kind for name, kind in kinds.items()}).block()


def _require_known(kinds: dict[str, str]) -> None:
    """Go on only with fields of types that need no second look, and with those that every record has to have."""
    for name, kind in kinds.items():
        _require(kind in (*_NUMBERS, "VARCHAR", "BOOLEAN") and _fits(name, kind))
    _require({"session", "time", "event"} <= kinds.keys())


def _structure(base: Any, path: str, limit: str) -> dict[str, str]:
    """The types of the fields in the file's lines, or in the first of them."""
    lines = f"SELECT json FROM read_ndjson_objects(?) {limit}"
    kinds: Any = json.loads(base.execute(f"SELECT json_group_structure(json) FROM ({lines})", [path]).fetchone()[0])
    _require(isinstance(kinds, dict))
    return {name: kind for name, kind in kinds.items() if kind != "NULL"}


def _load_as(base: Any, source: Source, kinds: dict[str, str]) -> bool:
    """Read all lines by the fields and types of the first ones; false, with nothing read, where those do not hold for all.

    Asking for the types of every line costs three times as much, and a hundred times the memory. Numbers and truths are read as
    they are written, so that no text passes for one. Each field of a line has a colon right after its name's quotes, and each
    text quotes right after that: if there are no more of these than values of the known fields, there are no other fields;
    if there are as many texts as values of the known text fields, each of them is a text. Where anything else looks
    like one of these, the answer is no, and the long way is taken.
    """
    if not all(isinstance(kind, str) and kind in ("VARCHAR", "BOOLEAN", *_NUMBERS) for kind in kinds.values()):
        return False
    marks = _count_marks(source)
    raw = {name: "VARCHAR" if kind == "VARCHAR" else "JSON" for name, kind in kinds.items()}
    columns = ", ".join(f"{_as_written(name, kind)} AS {_quoted(name)}" for name, kind in kinds.items())
    read = "read_json(?, format='newline_delimited', columns=?)"
    base.execute(f"CREATE TEMP TABLE log AS SELECT {columns} FROM {read}", [str(source.path), raw])
    counts = ", ".join(f"count({_quoted(name)})" for name in kinds)
    rows, *given = base.execute(f"SELECT count(*), {counts} FROM log").fetchone()
    texts = sum(count for count, kind in zip(given, kinds.values(), strict=True) if kind == "VARCHAR")
    if marks == {"lines": rows, "names": sum(given), "texts": texts, "apart": 0}:
        _require_known(kinds)
        return True
    base.execute("DROP TABLE log")
    return False


def _as_written(name: str, kind: str) -> str:
    """A field's value by its type, from how it is written; an error where it is written otherwise."""
    if kind == "VARCHAR":
        return _quoted(name)
    written = f"{_quoted(name)}::VARCHAR"
    if kind == "BOOLEAN":
        return f"CASE WHEN {written} IN ('true', 'false') OR {_quoted(name)} IS NULL THEN {written}::BOOLEAN ELSE error('') END"
    if name == "seq" or name in TEXT_FIELDS:
        whole = f"regexp_matches({written}, '{_WHOLE_NUMBER}') OR {_quoted(name)} IS NULL"
        return f"CASE WHEN {whole} THEN {written}::DOUBLE ELSE error('') END"
    return f"{written}::DOUBLE"


def _count_marks(source: Source) -> dict[str, int]:
    """Lines, ends of names, beginnings of texts after these, and names with something between their end and the colon."""
    patterns = {"lines": (b"\n",), "names": (b'":',), "texts": (b'":"', b'": "'), "apart": (b'" :', b'"\t:', b'"\r:')}
    counts = dict.fromkeys(patterns, 0)
    last = b"\n"
    with source.open(_MOST_BYTES) as stream:
        while data := stream.read(_AT_ONCE):
            data += stream.readline(_AT_ONCE)
            last = data[-1:]
            for mark, looks in patterns.items():
                counts[mark] += sum(data.count(look) for look in looks)
    counts["lines"] += last != b"\n"
    return counts


def _fits(name: str, kind: str) -> bool:
    """Whether a field of this type needs no second look."""
    if name in TEXT_FIELDS:
        return kind == "VARCHAR" or kind in _WHOLE
    if name in NUMBER_FIELDS:
        return kind in _NUMBERS
    if name == "seq":
        return kind in _WHOLE
    return name != "time" or kind == "VARCHAR" or kind in _NUMBERS


def _require(holds: bool) -> None:
    if not holds:
        raise _NotStrictError


class _Table:
    """The columns of the table ``log``, fetched one by one."""

    def __init__(self, base: Any, kinds: dict[str, str]) -> None:
        self.base, self.kinds = base, kinds
        self.rows = int(base.execute("SELECT count(*) FROM log").fetchone()[0])
        self.likeness = np.zeros(self.rows, np.uint64)

    def block(self) -> Block:
        """The whole file as a block."""
        text = {name: self._text(name) for name in TEXT_FIELDS & self.kinds.keys()}
        numbers = {name: self._numbers(name) for name in NUMBER_FIELDS & self.kinds.keys()}
        time, stamped = self._time()
        seq = self._numbers("seq") if "seq" in self.kinds else np.full(self.rows, np.nan)
        _require(not (np.abs(seq) >= _EXACT).any())
        tags = {name: self._tag(name) for name in self.kinds.keys() - FIELDS}
        _require(all((text[name].codes != ABSENT).all() for name in ("session", "event")))
        self._require_levels(text)
        if "progress" in numbers:
            _require(not ((numbers["progress"] < 0) | (numbers["progress"] > 1)).any())
        return Block(self.rows, text, numbers, time, stamped, seq, tags, self.likeness.view(np.int64))

    def _require_levels(self, text: dict[str, TextColumn]) -> None:
        needing = [code for code, word in enumerate(text["event"].values) if word in NEED_LEVEL]
        without = text["level"].codes == ABSENT if "level" in text else np.ones(self.rows, np.bool_)
        _require(not without[np.isin(text["event"].codes, needing)].any())

    def _fetch(self, what: str) -> Any:
        return self.base.execute(f"SELECT {what} AS v FROM log").fetchnumpy()["v"]

    def _numbers(self, name: str) -> Floats:
        quoted = _quoted(name)
        _require(self.base.execute(f"SELECT count(*) FROM log WHERE NOT isfinite({quoted})").fetchone()[0] == 0)
        values: Floats = self._fetch(f"coalesce({quoted}, 'nan'::DOUBLE)")
        self.likeness += column_likeness(name, float_numbers(values), ~np.isnan(values))
        return values

    def _text(self, name: str) -> TextColumn:
        if self.kinds[name] == "DOUBLE":
            return self._whole_text(name)
        quoted = f"nullif({_quoted(name)}, '')"
        listed = f"SELECT DISTINCT {quoted} AS v FROM log WHERE {quoted} IS NOT NULL ORDER BY v"
        values = [row[0] for row in self.base.execute(listed).fetchall()]
        if not values:
            return TextColumn(np.full(self.rows, ABSENT), [])
        kind = _quoted(f"codes of {name}")
        self.base.execute(f"CREATE TEMP TYPE {kind} AS ENUM ({listed})")
        codes: Ints = self._fetch(f"coalesce(enum_code({quoted}::{kind})::BIGINT, {ABSENT})")
        self.likeness += column_likeness(name, text_numbers(codes, values), codes != ABSENT)
        return TextColumn(codes, values)

    def _whole_text(self, name: str) -> TextColumn:
        numbers = self._numbers(name)
        given = ~np.isnan(numbers)
        _require(bool((np.abs(numbers[given]) < _EXACT).all()))
        distinct, inverse = np.unique(numbers[given], return_inverse=True)
        codes = np.full(self.rows, ABSENT)
        codes[given] = inverse
        return TextColumn(codes, [str(int(value)) for value in distinct])

    def _tag(self, name: str) -> TextColumn:
        if self.kinds[name] == "VARCHAR":
            return self._text(name)
        if self.kinds[name] == "DOUBLE":
            numbers = self._numbers(name)
            given = ~np.isnan(numbers)
            distinct, inverse = np.unique(numbers[given], return_inverse=True)
            values = [str(int(value)) if value.is_integer() else repr(value) for value in distinct.tolist()]
        else:
            truths: Ints = self._fetch(f"coalesce({_quoted(name)}::BIGINT, {ABSENT})")
            given, inverse, values = truths != ABSENT, truths[truths != ABSENT], ["false", "true"]
            self.likeness += column_likeness(name, bool_numbers(truths == 1), given)
        codes = np.full(self.rows, ABSENT)
        codes[given] = inverse
        return TextColumn(codes, values)

    def _time(self) -> tuple[Floats | Ints, bool]:
        if self.kinds["time"] == "DOUBLE":
            times = self._numbers("time")
            _require(not np.isnan(times).any())
            return times, False
        odd = "SELECT count(*) FROM log WHERE time IS NULL OR NOT regexp_full_match(time, ?)"
        _require(self.base.execute(odd, [_STAMP]).fetchone()[0] == 0)
        self.likeness += column_likeness("time", self._fetch("md5_number_lower(time)"), np.ones(self.rows, np.bool_))
        return self._fetch("epoch_us(time::TIMESTAMPTZ)"), True


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
