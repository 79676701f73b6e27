"""Large JSON Lines files at full speed: whole columns through DuckDB, where every line is as it should be.

The strict reader gives all of a file or nothing. Where anything is out of the ordinary (a bad line, a value out of range,
a field that the others do not have and that is nested) it gives nothing, and the file is read line by line, which is where
the rules stand.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

import numpy as np

from milepost.logs.fast.gathering import (
    BATCH,
    NOTHING,
    Block,
    Columns,
    Numbers,
    Stamps,
    Texts,
    WrittenTexts,
    given_up,
    moment_columns,
    quoted,
    require,
)
from milepost.logs.formats.envelope import is_envelope
from milepost.logs.sources.files import Source

if TYPE_CHECKING:
    from duckdb import DuckDBPyConnection

_SAMPLE: Final = 20_000  # lines
_AT_ONCE: Final = 1 << 20  # bytes
_MOST_BYTES: Final = 1 << 50
_NUMBERS: Final = ("UBIGINT", "BIGINT", "DOUBLE")
_WHOLE_NUMBER: Final = "[0-9]{1,15}"  # all of these are told apart as floats


def read_strict(source: Source) -> Block | None:
    """The columns of a JSON Lines file; None where it has to be read line by line."""
    if source.path is None:
        return None
    import duckdb

    with duckdb.connect() as base, given_up(source.path) as path:
        return _read(base, source, path)
    return None


def _read(base: DuckDBPyConnection, source: Source, path: str) -> Block:
    """Read by the fields of the first lines; where the others have more, by those of all lines."""
    marks = _Marks.of(source)
    written = _Written(_fields(base, path, f"LIMIT {_SAMPLE}"))
    written.read(base, path)
    if not written.account_for(marks):
        written = _Written(_fields(base, path, ""))
        written.read(base, path)
        require(written.account_for(marks))
    return written.columns.block()


def _fields(base: DuckDBPyConnection, path: str, limit: str) -> dict[str, str]:
    """The fields of the file's lines, or of the first of them, with their types."""
    lines = f"SELECT json FROM read_ndjson_objects(?) {limit}"
    written = base.execute(f"SELECT json_group_structure(json) FROM ({lines})", [path]).fetchall()[0][0]
    kinds: Any = json.loads(written or "null")  # nothing, of a file without a line
    require(isinstance(kinds, dict))
    return {name: str(kind) for name, kind in kinds.items() if kind != "NULL"}


@dataclass(frozen=True)
class _Marks:
    """How often some marks are in a file: ends of lines, colons, and fields of nothing."""

    lines: int
    colons: int
    nulls: int

    @classmethod
    def of(cls, source: Source) -> _Marks:
        """Those of a file."""
        lines = colons = nulls = 0
        last = b"\n"
        with source.open(_MOST_BYTES) as stream:
            while data := stream.read(_AT_ONCE):
                data += stream.readline(_AT_ONCE)  # no mark in two
                require(_plain(data))
                marks = np.frombuffer(data, np.uint8)
                lines += int(np.count_nonzero(marks == ord("\n")))
                colons += int(np.count_nonzero(marks == ord(":")))
                nulls += sum(data.count(mark.encode()) for mark in NOTHING) if b"null" in data else 0
                last = data[-1:]
        return cls(lines + (last != b"\n"), colons, nulls)


def _plain(data: bytes) -> bool:
    """Whether nothing is there that DuckDB takes for JSON and that is none: a comma after the last field, form feeds."""
    if any(mark in data for mark in (b",}", b"\x0b", b"\x0c")):
        return False
    spaced = any(mark in data for mark in (b" }", b"\t}", b"\r}"))  # most logs have none, and need no second look
    return not spaced or b",}" not in data.translate(None, b" \t\r")


class _Written:
    """The columns of a file by its fields, read as they are written, so that no text passes for a number.

    Each field of a line has a colon after its name. If the file has as many as there are values of the known fields and
    colons in these and in their names, there are no other fields, none twice in a line, and no lines with more than a record.
    Fields of nothing have a colon and no value, so these are counted too. Whatever else looks like one of these makes the
    numbers differ, and the file goes the long way.
    """

    def __init__(self, kinds: dict[str, str]) -> None:
        require({"session", "time", "event"} <= kinds.keys() and not is_envelope(kinds))
        self.columns = Columns.of(kinds, kinds["time"] not in _NUMBERS, WrittenTexts)
        self.kinds = kinds

    def read(self, base: DuckDBPyConnection, path: str) -> None:
        """Read the whole file."""
        columns = self.columns
        chosen = [*(_text(one.name) for one in columns.texts), *(_number(one.name) for one in columns.numbers)]
        chosen += _MOMENT if columns.stamps else ()
        query = f"SELECT {', '.join(chosen)} FROM read_json(?, format='newline_delimited', columns=?)"
        for batch in base.sql(query, params=[path, dict.fromkeys(self.kinds, "JSON")]).to_arrow_reader(BATCH):
            columns.take(batch)

    def account_for(self, marks: _Marks) -> bool:
        """Whether what was read is all that is in the file."""
        columns = self.columns
        gathered: list[Texts | Numbers | Stamps] = [*columns.texts, *columns.numbers]
        gathered += [columns.stamps] if columns.stamps else []
        colons = sum(one.given * (1 + one.name.count(":")) + one.colons for one in gathered)
        nulls = marks.nulls - sum(one.nulls for one in gathered)
        return marks.lines == columns.rows and marks.colons == colons + nulls


_MOMENT: Final = moment_columns("trim(time::VARCHAR, '\"')", "starts_with(time::VARCHAR, '\"')")


def _text(name: str) -> str:
    return f"{quoted(name)}::VARCHAR"


def _number(name: str) -> str:
    written = _text(name)
    if name != "seq":
        return f"{written}::DOUBLE"
    whole = f"regexp_full_match({written}, '{_WHOLE_NUMBER}') OR {quoted(name)} IS NULL"
    return f"CASE WHEN {whole} THEN {written}::DOUBLE ELSE error('') END"
