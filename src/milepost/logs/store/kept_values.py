"""Values as files that can be believed or thrown away: a tree as JSON, its columns as NumPy's archive beside it.

Nothing in the files is ever executed, and only kinds that the reader names are made of them.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, is_dataclass
from pathlib import Path
from types import UnionType
from typing import Any, Final, Union, get_args, get_origin, get_type_hints
from zipfile import BadZipFile
from zlib import crc32

import numpy as np

from milepost.arrays import Column
from milepost.errors import require_true

_TREE: Final = "tree.json"
_COLUMNS: Final = "columns.npz"
_PIECE: Final = 1 << 20  # bytes
_NUMBERS: Final = "biuf"  # kinds of columns: whether, whole, and real numbers
_BROKEN: Final = (OSError, ValueError, KeyError, TypeError, IndexError, AttributeError, RecursionError, BadZipFile)


class ValuesError(Exception):
    """Values that cannot be read again, or are not as they were written."""


def write_values(folder: Path, values: Mapping[str, object]) -> None:
    """Write values by name into an empty folder: dataclasses and named tuples, containers, numbers, texts, columns of numbers.

    Raises:
        OSError: it cannot be written.
        TypeError: something in it is of another kind.
    """
    columns: list[Column] = []
    trees = {name: _plain(value, columns) for name, value in values.items()}
    np.savez(folder / _COLUMNS, *columns)
    text = json.dumps({"crc32": _checksum(folder / _COLUMNS), "values": trees}, ensure_ascii=True, separators=(",", ":"))
    (folder / _TREE).write_text(f"{crc32(text.encode()):08x}{text}", encoding="ascii")


@dataclass(frozen=True, eq=False, repr=False)
class WrittenValues:
    """Values that were written, by name; each is made when it is asked for."""

    trees: Mapping[str, object]
    columns: Mapping[str, Column]

    def value(self, name: str, *kinds: type) -> Any:
        """One of them; None where there is none of this name.

        Args:
            name: its name.
            kinds: the classes of which there may be instances in it, with all that their fields name.

        Raises:
            ValuesError: it is of other kinds.
        """
        try:
            known = {kind.__qualname__: kind for kind in _add_parts(kinds)}
            return _value(self.trees[name], self.columns, known) if name in self.trees else None
        except (*_BROKEN, StopIteration) as error:
            raise ValuesError(str(error)) from None


def read_values(folder: Path) -> WrittenValues:
    """Return the values that were written into a folder.

    Raises:
        ValuesError: it is not as it was written.
    """
    try:
        text = (folder / _TREE).read_text(encoding="ascii")
        require_true(text[:8] == f"{crc32(text[8:].encode()):08x}", "the tree is damaged")
        written = json.loads(text[8:])
        require_true(_checksum(folder / _COLUMNS) == written["crc32"], "the columns are damaged")
        return WrittenValues(dict(written["values"]), np.load(folder / _COLUMNS, allow_pickle=False))
    except _BROKEN as error:
        raise ValuesError(str(error)) from None


def _checksum(path: Path) -> int:
    """Return the CRC-32 of a file, of which a piece at a time is in memory."""
    check = 0
    with path.open("rb") as stream:
        while piece := stream.read(_PIECE):
            check = crc32(piece, check)
    return check


def _plain(value: object, columns: list[Column]) -> object:
    """A value as JSON can have it; each kind of container under its name."""
    if value is None or type(value) in (bool, int, float, str):
        return value
    if isinstance(value, np.ndarray):
        return _pack_column(value, columns)
    if isinstance(value, np.generic):
        return value.item()
    if is_dataclass(value) and not isinstance(value, type):
        values = {field.name: _plain(getattr(value, field.name), columns) for field in fields(value) if field.init}
        return {"of": type(value).__qualname__, "fields": values}
    if isinstance(value, tuple) and hasattr(value, "_fields"):
        return {"of": type(value).__qualname__, "items": [_plain(item, columns) for item in value]}
    if isinstance(value, dict):
        return (
            {"plain": value}
            if _is_plain(value)
            else {"dict": [[_plain(k, columns), _plain(v, columns)] for k, v in value.items()]}
        )
    for name, kind in (("list", list), ("tuple", tuple), ("set", frozenset)):
        if type(value) is kind:
            alike = kind is list and _is_plain(value)
            return {"plain": value} if alike else {name: [_plain(item, columns) for item in value]}
    raise TypeError(f"{type(value)} is not among the kinds of values that are written")


def _is_plain(value: object) -> bool:
    """Return whether JSON has it just as it is."""
    if type(value) is list:
        return all(type(item) in (str, int, bool, float) or item is None or _is_plain(item) for item in value)
    return type(value) is dict and all(
        type(key) is str and (type(item) in (str, int, bool, float) or item is None or _is_plain(item))
        for key, item in value.items()
    )


def _pack_column(column: Column, columns: list[Column]) -> object:
    if column.dtype.kind not in _NUMBERS:
        raise TypeError(f"a column of {column.dtype} is not written")
    same = column.ndim == 1 and len(column) > 1 and column.strides == (0,)
    columns.append(np.ascontiguousarray(column[:1] if same else column))
    number = len(columns) - 1
    return {"same": number, "rows": len(column)} if same else {"column": number}


def _value(tree: object, columns: Mapping[str, Column], kinds: Mapping[str, type]) -> object:
    if not isinstance(tree, dict):
        return tree
    if "plain" in tree:
        return tree["plain"]
    if "column" in tree:
        return columns[_column_name(tree["column"])]
    if "same" in tree:
        return np.broadcast_to(columns[_column_name(tree["same"])][0], tree["rows"])
    if "fields" in tree:
        return kinds[tree["of"]](**{name: _value(item, columns, kinds) for name, item in tree["fields"].items()})
    if "items" in tree:
        return kinds[tree["of"]](*(_value(item, columns, kinds) for item in tree["items"]))
    if "dict" in tree:
        return {_value(key, columns, kinds): _value(item, columns, kinds) for key, item in tree["dict"]}
    name, kind = next((name, kind) for name, kind in (("list", list), ("tuple", tuple), ("set", frozenset)) if name in tree)
    return kind(_value(item, columns, kinds) for item in tree[name])


def _column_name(number: int) -> str:
    """Return the name that NumPy gives a column by its number."""
    return f"arr_{number}"


def _add_parts(kinds: Iterable[type]) -> set[type]:
    """Some classes, and those that their fields name."""
    classes: set[type] = set()
    waiting = list(kinds)
    while waiting:
        kind = waiting.pop()
        if kind in classes or not (is_dataclass(kind) or hasattr(kind, "_fields")):
            continue
        classes.add(kind)
        for hint in get_type_hints(kind).values():
            waiting += _list_classes_in(hint)
    return classes


def _list_classes_in(hint: object) -> list[type]:
    if get_origin(hint) is None:
        return [hint] if isinstance(hint, type) else []
    inside = get_args(hint)
    origins = [] if get_origin(hint) in (Union, UnionType) else [get_origin(hint)]
    return [kind for kind in origins if isinstance(kind, type)] + [named for arg in inside for named in _list_classes_in(arg)]
