"""Columns to and from the Parquet files of a store."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final, cast

import numpy as np

from milepost.arrays import Bools, Column, Ints
from milepost.logs.columnar.arrow import Arrow, array_of, codes_at, texts_at, texts_of, values_of
from milepost.logs.interface import ABSENT, TAG, Sessions

Cells = Mapping[str, list[Any] | Column]  # of each column
_TYPES: Final = {
    "file": np.int64,
    "times": np.int64,
    "line": np.int64,
    "part": np.int64,
    "debug": np.bool_,
    "first_clock": np.float64,
}  # of what is no text
_ESCAPE: Final = "\U0010ffff"  # before the number of a code unit that is no text; it is escaped itself
_LONE: Final = re.compile(f"[\ud800-\udfff{_ESCAPE}]")
_ESCAPED: Final = re.compile(_ESCAPE + "(10ffff|d[89a-f][0-9a-f]{2})")
_NARROW: Final = 2  # bytes; in wider columns few values come often, and a dictionary of them only takes time


def write_table(path: Path, columns: Cells) -> None:
    """Write columns: arrays of numbers, or lists with None for nothing.

    Raises:
        OSError: the file cannot be written.
    """
    import pyarrow as pa
    from pyarrow import parquet

    table = pa.table({name: _cells(name, column) for name, column in columns.items()})
    few = [name for name, column in columns.items() if isinstance(column, list) or column.dtype.itemsize <= _NARROW]
    parquet.write_table(table, path, compression="zstd", write_statistics=False, use_dictionary=few)


def _cells(name: str, column: Column | list[str | None]) -> object:
    if not isinstance(column, list):
        return array_of(column)
    kind = _TYPES.get(name)
    if kind is None:
        return texts_of([_encodable(cell) for cell in column])
    given = np.array([cell is not None for cell in column], dtype=np.bool_)
    return array_of(np.array([cell or 0 for cell in column], dtype=kind), given)


def _encodable(cell: str | None) -> str | None:
    """Text as UTF-8 can have it: lone surrogates are escaped, so that `restored` gives the text to the last code unit."""
    if cell is None or cell.isascii():
        return cell
    return _LONE.sub(lambda match: f"{_ESCAPE}{ord(match[0]):x}", cell)


def restore_cell(cell: object) -> object:
    """A cell as it was before it was written."""
    if not isinstance(cell, str) or cell.isascii() or _ESCAPE not in cell:
        return cell
    return _ESCAPED.sub(lambda match: chr(int(match[1], 16)), cell)


def read_lists(path: Path) -> dict[str, list[object]]:
    """The columns of a file as lists, with None for nothing."""
    return {name: [restore_cell(cell) for cell in column.to_pylist()] for name, column in _read(path, None)}


def read_columns(path: Path, names: tuple[str, ...], few: tuple[str, ...]) -> dict[str, Arrow]:
    """Some columns of a file as Arrow's arrays.

    Args:
        path: the file.
        names: the columns.
        few: those of them in which few texts come often, which are kept as codes.
    """
    from pyarrow import parquet

    with parquet.ParquetFile(path, read_dictionary=list(few)) as file:
        table = file.read(columns=list(names), use_threads=False).unify_dictionaries()
    return {name: column.combine_chunks() for name, column in zip(table.column_names, table.columns, strict=True)}


def read_arrays(paths: list[Path], names: tuple[str, ...] | None = None) -> dict[str, Column]:
    """The columns of numbers of several files, one after the other, which may differ in how narrow their columns are."""
    parts = [dict(_read(path, names)) for path in paths]
    columns = names or tuple(dict.fromkeys(name for part in parts for name in part))
    lengths = [len(next(iter(part.values()))) for part in parts]
    arrays = {}
    for name in columns:
        chunks = [_chunks(part, name, rows) for part, rows in zip(parts, lengths, strict=True)]
        arrays[name] = np.concatenate([chunk for group in chunks for chunk in group])
    return arrays


def _chunks(part: dict[str, Arrow], name: str, rows: int) -> list[Column]:
    """A column piece by piece, which is freed; a tag that no record of the file has is nowhere given."""
    if name not in part and name.startswith(TAG):
        return [np.full(rows, ABSENT, np.int8)]
    return [values_of(chunk) for chunk in part.pop(name).chunks]


def _read(path: Path, names: tuple[str, ...] | None) -> Iterator[tuple[str, Arrow]]:
    from pyarrow import parquet

    with parquet.ParquetFile(path) as file:
        present = file.schema_arrow.names
        wanted = None if names is None else [name for name in names if name in present or not name.startswith(TAG)]
        table = file.read(columns=wanted, use_threads=False)
    return zip(table.column_names, table.columns, strict=True)


_TEXTS: Final = ("name", "player", "epoch")
_FEW: Final = ("build", "tags")  # in which few texts come often


@dataclass(frozen=True, eq=False, repr=False)
class SessionTable:
    """Sessions as they lie in a store.

    Attributes:
        texts: columns of texts as Arrow's arrays.
        few: columns in which few texts come often.
        debug: which say that they are debug.
        debug_only: those that only a refused record says are.
    """

    texts: dict[str, Arrow]
    few: dict[str, Arrow]
    debug: Bools
    debug_only: frozenset[str]

    @classmethod
    def read(cls, path: Path, debug_only: list[str]) -> SessionTable:
        """Return the session table of a file."""
        columns = read_columns(path, (*_TEXTS, *_FEW, "debug"), _FEW)
        texts, few = ({name: columns[name] for name in names} for names in (_TEXTS, _FEW))
        return cls(texts, few, values_of(columns["debug"]), frozenset(debug_only))

    def pick(self, rows: Ints) -> Sessions:
        """Some of them by their numbers."""
        name, player, epoch = (
            cast("list[str | None]", [*map(restore_cell, texts_at(self.texts[column], rows))]) for column in _TEXTS
        )
        build, tags = (_spelled_out(self.few[column], rows) for column in _FEW)
        known = {text: json.loads(text) for text in set(tags)}
        debug = zip(name, self.debug[rows].tolist(), strict=True)
        return Sessions(
            name=cast("list[str]", name),
            player=player,
            build=build,
            epoch=[None if text is None else int(text) for text in epoch],
            debug=[is_debug or session in self.debug_only for session, is_debug in debug],
            tags=[known[text] for text in tags],
        )


def _spelled_out(column: Arrow, rows: Ints) -> list[Any]:
    codes, texts = codes_at(column, rows)
    return [*np.array([*map(restore_cell, texts), None], object)[codes]]


def sessions_of(columns: dict[str, list[Any]]) -> Sessions:
    """Sessions from the columns of a store."""
    plain = {name: columns[name] for name in ("name", "player", "build", "debug")}
    epoch = [None if text is None else int(text) for text in columns["epoch"]]  # years far off do not fit into 64 bits
    return Sessions(**plain, epoch=epoch, tags=[json.loads(tags) for tags in columns["tags"]])
