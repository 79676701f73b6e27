"""Large JSON Lines files at full speed: whole columns through DuckDB, where every line is as it should be.

The strict reader gives all of a file or nothing. Where anything is out of the ordinary (a bad line, a value out of range,
a field that the others do not have and that is nested) it gives nothing, and the file is read line by line, which is where
the rules stand.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from milepost.logs.gathering import Likeness, NotStrictError, Numbers, Stamps, Texts, require
from milepost.logs.interface import ABSENT, Floats, Ints
from milepost.logs.sources import Source
from milepost.vocabulary import FIELDS, NEED_LEVEL, NUMBER_FIELDS, TEXT_FIELDS

WORTHWHILE: Final = 4 << 20  # bytes on disk from which the strict reader pays
_SAMPLE: Final = 20_000  # lines
_BATCH: Final = 1 << 18  # lines
_AT_ONCE: Final = 1 << 20  # bytes
_MOST_BYTES: Final = 1 << 50
_NUMBERS: Final = ("UBIGINT", "BIGINT", "DOUBLE")
_WHOLE_NUMBER: Final = "[0-9]{1,15}"  # all of these are told apart as floats
_STAMP: Final = r'"\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d:[0-5]\d(\.\d{1,6})?([Zz]|[+-][01]\d:[0-5]\d)"'


@dataclass
class TextColumn:
    """Texts as codes into a list; ABSENT where not given."""

    codes: NDArray[np.int32]
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
    seq: Floats | None
    tags: dict[str, TextColumn]
    likeness: Ints


def read_strict(source: Source) -> Block | None:
    """The columns of a JSON Lines file; None where it has to be read line by line."""
    if source.path is None:
        return None
    import duckdb

    with duckdb.connect() as base:
        try:
            return _read(base, source)
        except (duckdb.Error, NotStrictError):
            return None


def _read(base: Any, source: Source) -> Block:
    """Read by the fields of the first lines; where the others have more, by those of all lines."""
    path, marks = str(source.path), _Marks.of(source)
    columns = _Columns(_fields(base, path, f"LIMIT {_SAMPLE}"))
    columns.read(base, path)
    if not columns.account_for(marks):
        columns = _Columns(_fields(base, path, ""))
        columns.read(base, path)
        require(columns.account_for(marks))
    return columns.block()


def _fields(base: Any, path: str, limit: str) -> dict[str, str]:
    """The fields of the file's lines, or of the first of them, with their types."""
    lines = f"SELECT json FROM read_ndjson_objects(?) {limit}"
    kinds: Any = json.loads(base.execute(f"SELECT json_group_structure(json) FROM ({lines})", [path]).fetchall()[0][0])
    require(isinstance(kinds, dict))
    return {name: str(kind) for name, kind in kinds.items() if kind != "NULL"}


@dataclass(frozen=True)
class _Marks:
    """How often some marks are in a file: ends of lines, colons, and the word for nothing."""

    lines: int
    colons: int
    nulls: int

    @classmethod
    def of(cls, source: Source) -> _Marks:
        lines = colons = nulls = 0
        last = b"\n"
        with source.open(_MOST_BYTES) as stream:
            while data := stream.read(_AT_ONCE):
                while data[-1:] in b"nul" and (more := stream.read(1)):  # no word in two
                    data += more
                marks = np.frombuffer(data, np.uint8)
                lines += int(np.count_nonzero(marks == ord("\n")))
                colons += int(np.count_nonzero(marks == ord(":")))
                nulls += data.count(b"null")
                last = data[-1:]
        return cls(lines + (last != b"\n"), colons, nulls)


class _Columns:
    """The columns of a file by its fields, read as they are written, so that no text passes for a number.

    Each field of a line has a colon after its name. If the file has as many as there are values of the known fields and
    colons in these and in their names, there are no other fields, none twice in a line, and no lines with more than a record.
    Fields of nothing have a colon and no value, so these are counted too.
    """

    def __init__(self, kinds: dict[str, str]) -> None:
        require({"session", "time", "event"} <= kinds.keys())
        self.kinds = kinds
        self.stamps = Stamps() if kinds["time"] not in _NUMBERS else None
        numeric = NUMBER_FIELDS | {"seq"} | (set() if self.stamps else {"time"})
        self.numbers = {name: Numbers(name) for name in kinds if name in numeric}
        self.texts = {name: Texts(name) for name in kinds if name not in numeric and name != "time"}
        self.rows = 0
        self._likeness: list[Likeness] = []

    def read(self, base: Any, path: str) -> None:
        """Read the whole file."""
        chosen = [*map(_text, self.texts), *map(_number, self.numbers), *(_MOMENT if self.stamps else ())]
        written = dict.fromkeys(self.kinds, "JSON")
        query = f"SELECT {', '.join(chosen)} FROM read_json(?, format='newline_delimited', columns=?)"
        gatherers: tuple[Texts | Numbers, ...] = (*self.texts.values(), *self.numbers.values())
        for batch in base.sql(query, params=[path, written]).to_arrow_reader(_BATCH):
            self.rows += batch.num_rows
            each = iter(batch.columns)
            like: Likeness = np.zeros(batch.num_rows, np.uint64)
            for gatherer in gatherers:
                like += gatherer.take(next(each))
            if self.stamps:
                like += self.stamps.take(*each)
            self._likeness.append(like)

    def account_for(self, marks: _Marks) -> bool:
        """Whether what was read is all that is in the file."""
        gathered: list[Texts | Numbers | Stamps] = [*self.texts.values(), *self.numbers.values()]
        gathered += [self.stamps] if self.stamps else []
        colons = sum(one.given * (1 + one.name.count(":")) + one.colons for one in gathered)
        nulls = marks.nulls - sum(one.given * one.name.count("null") + one.nulls for one in gathered)
        return marks.lines == self.rows and marks.colons == colons + nulls

    def block(self) -> Block:
        """The whole file as a block."""
        columns = {name: TextColumn(one.codes(), list(one.values)) for name, one in self.texts.items()}
        text = {name: column for name, column in columns.items() if name in TEXT_FIELDS}
        numbers = {name: one.values() for name, one in self.numbers.items()}
        time = self.stamps.values() if self.stamps else numbers.pop("time")
        require(not np.isnan(time).any() and all((text[name].codes != ABSENT).all() for name in ("session", "event")))
        self._require_levels(text)
        if "progress" in numbers:
            require(not ((numbers["progress"] < 0) | (numbers["progress"] > 1)).any())
        tags = {name: column for name, column in columns.items() if name not in FIELDS}
        seq = numbers.pop("seq", None)
        like: Ints = np.concatenate(self._likeness).view(np.int64)
        return Block(self.rows, text, numbers, time, self.stamps is not None, seq, tags, like)

    def _require_levels(self, text: dict[str, TextColumn]) -> None:
        needing = [word in NEED_LEVEL for word in text["event"].values]
        without = text["level"].codes == ABSENT if "level" in text else np.ones(self.rows, np.bool_)
        require(not np.array(needing)[text["event"].codes[without]].any())


_PLAIN: Final = "trim(time::VARCHAR, '\"')"
_MOMENT: Final = (
    f"CASE WHEN regexp_full_match(time::VARCHAR, '{_STAMP}') THEN epoch_us({_PLAIN}::TIMESTAMPTZ) ELSE error('') END",
    f"md5_number_lower({_PLAIN})",
    "length(time::VARCHAR) - length(replace(time::VARCHAR, ':', ''))",
)


def _text(name: str) -> str:
    return f"{_quoted(name)}::VARCHAR"


def _number(name: str) -> str:
    written = _text(name)
    if name != "seq":
        return f"{written}::DOUBLE"
    whole = f"regexp_full_match({written}, '{_WHOLE_NUMBER}') OR {_quoted(name)} IS NULL"
    return f"CASE WHEN {whole} THEN {written}::DOUBLE ELSE error('') END"


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
