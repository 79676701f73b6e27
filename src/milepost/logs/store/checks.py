"""Checks of a packed store's contents, since somebody else may have made it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Final, Self

import numpy as np

from milepost.arrays import Column
from milepost.errors import LogError, require_true
from milepost.logs.interface import ABSENT, TAG, BareLog
from milepost.logs.records.name_tables import FAR
from milepost.vocabulary import EVENTS

_MOST: Final = 1e300  # of a coordinate or a count
_LINES: Final = 1 << 62


@dataclass(frozen=True)
class Limits:
    """The bounds on the values of records.

    Attributes:
        codes: per column of codes, how many names there are.
        words: how many event words outside the list.
        tags: per tag, how many values there are.
    """

    codes: Mapping[str, int]
    words: int
    tags: Mapping[str, int]

    @classmethod
    def of(cls, log: BareLog, sessions: int) -> Self:
        """Return the limits of a log with so many sessions."""
        sizes = {"stops": len(log.stops), "causes": len(log.causes), "layouts": len(log.layouts), "ratings": len(log.ratings)}
        codes = {"level": sizes["stops"], "to": sizes["stops"], "cause": sizes["causes"], "layout": sizes["layouts"]}
        codes |= {"rating": sizes["ratings"], "session": sessions, "file": len(log.files)}
        return cls(codes, len(log.unknown_words), {name: len(values) for name, values in log.tags.items()})


def require_sound(columns: Mapping[str, Column], limits: Limits) -> None:
    """Refuse columns of records with a value that none can have.

    Raises:
        ValueError: there is one.
    """
    lengths = {len(column) for column in columns.values()}
    require_true(len(lengths) <= 1, "its columns differ in length")
    if lengths in (set(), {0}):
        return
    for name, column in columns.items():
        if name.startswith(TAG):
            _require_within(name, column, ABSENT, limits.tags.get(name.removeprefix(TAG), 0) - 1)
        elif name in limits.codes:
            _require_within(name, column, 0 if name in ("session", "file") else ABSENT, limits.codes[name] - 1)
        elif name in _RANGES:
            _require_within(name, column, *_RANGES[name])
        elif column.dtype.kind == "f":
            _require_within(name, column, -_MOST, _MOST)
    if "event" in columns:
        _require_within("event", columns["event"], -limits.words, len(EVENTS) - 1)


_RANGES: Final[Mapping[str, tuple[float, float]]] = {
    "line": (1, _LINES),
    "time": (-FAR, FAR),
    "second": (-FAR, FAR),
    "progress": (0, 1),
}
_NEVER_ABSENT: Final = frozenset({"time", "second"})


def _require_within(name: str, column: Column, least: float, most: float) -> None:
    if column.dtype.kind == "f":
        given = column[~np.isnan(column)]
        require_true(name not in _NEVER_ABSENT or len(given) == len(column), f"a record without {name}")
    else:
        require_true(column.dtype.kind in "iub", f"{name} is no column of numbers")
        given = column
    if len(given):
        require_true(least <= given.min() and given.max() <= most, f"{name} of a record is out of range")


def require_sound_tables(tables: Mapping[str, Mapping[str, list[object]]], files: int) -> None:
    """Refuse tables of sessions, names and refused records with a value that none can have.

    Raises:
        ValueError: there is one.
        KeyError: a column is missing.
    """
    names, sessions, refused = tables["names"], tables["sessions"], tables["refused"]
    _require_texts("names", names["kind"], names["text"])
    _require_texts("sessions", sessions["name"], sessions["tags"])
    require_true(len(set(sessions["name"])) == len(sessions["name"]), "a session is there twice")
    for key in ("player", "build", "epoch"):
        _require_texts("sessions", [value for value in sessions[key] if value is not None])
    require_true(all(type(value) is bool for value in sessions["debug"]), "debug of a session is neither true nor false")
    require_true(
        all(type(value) is float and abs(value) < np.inf for value in sessions["first_clock"]), "a session begins at no time"
    )
    require_true(all(type(value) is int and value >= ABSENT for value in sessions["part"]), "a session lies in no part")
    _require_texts("refused", refused["reason"], [value for value in refused["session"] if value is not None])
    for key, least, most in (("file", 0, files - 1), ("line", 0, _LINES), ("times", 1, _LINES)):
        require_true(
            all(type(value) is int and least <= value <= most for value in refused[key]),
            f"{key} of a refused record is out of range",
        )


def _require_texts(where: str, *columns: list[object]) -> None:
    require_true(all(isinstance(value, str) for column in columns for value in column), f"{where} holds what is no text")


@contextmanager
def sound(folder: Path) -> Iterator[None]:
    """Say of a store whose content makes no sense that it is damaged, whoever wrote it.

    Raises:
        LogError: it is.
    """
    from pyarrow import ArrowException

    try:
        yield
    except (ValueError, TypeError, KeyError, IndexError, AttributeError, OverflowError, OSError, ArrowException) as error:
        reason = str(error).partition("\n")[0] or type(error).__name__
        raise LogError(f"{folder}: the store is damaged ({reason}). Pack the logs again.") from error
