"""The log map: reads logs with other field names, event words and time units as if they were our own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import isfinite
from pathlib import Path
from typing import Any

from milepost.errors import MapError
from milepost.logs.toml import load_toml
from milepost.vocabulary import EVENT_CODES, FIELDS

_TABLES = {"fields", "time", "events", "replay"}
_SECONDS = {"s": 1.0, "ms": 1e3, "us": 1e6}
_SETTINGS = {"repeat_window": float, "instant": float, "implied_complete": bool}
_SETTABLE = FIELDS - {"session", "time", "event"}


@dataclass(frozen=True)
class LogMap:
    """How foreign records become ours.

    Attributes:
        fields: our field names with theirs.
        per_second: how many of their time units a second has.
        events: their event words, each with the fields that it sets (`event` among them).
        replay: replay settings given in the map.
    """

    fields: Mapping[str, str] = field(default_factory=dict)
    per_second: float = 1.0
    events: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    replay: Mapping[str, Any] = field(default_factory=dict)

    @property
    def active(self) -> bool:
        """Whether records have to be translated at all."""
        return bool(self.fields or self.events) or self.per_second != 1.0

    def translated(self, record: Mapping[str, Any]) -> dict[str, Any]:
        """One record with our names, words and seconds; fields that the map does not name stay as they are."""
        taken = set(self.fields.values())
        ours = {name: value for name, value in record.items() if name not in taken and name not in self.fields}
        for name, theirs in self.fields.items():
            if theirs in record:
                ours[name] = record[theirs]
        time = ours.get("time")
        if self.per_second != 1.0 and (type(time) is int or type(time) is float):
            ours["time"] = time / self.per_second
        word = ours.get("event")
        if isinstance(word, str | int) and str(word) in self.events:
            ours.update(self.events[str(word)])
        return ours


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
    return LogMap(
        _fields(tables.get("fields", {}), path),
        _per_second(tables.get("time", {}), path),
        {word: _event(word, value, path) for word, value in tables.get("events", {}).items()},
        _replay(tables.get("replay", {}), path),
    )


def _listed(names: Any) -> str:
    return ", ".join(sorted(names))


def _fields(table: Mapping[str, Any], path: str | Path) -> dict[str, str]:
    for ours, theirs in table.items():
        if not isinstance(theirs, str) or not theirs:
            raise MapError(f"{path}: fields.{ours} must name a column of the log, not {theirs!r}.")
    return dict(table)


def _per_second(table: Mapping[str, Any], path: str | Path) -> float:
    for key in table:
        if key not in ("unit", "rate"):
            raise MapError(f"{path}: time.{key} is no setting. [time] takes unit and rate.")
    unit, rate = table.get("unit", "s"), table.get("rate")
    if unit == "frames":
        if isinstance(rate, bool) or not isinstance(rate, int | float) or not isfinite(rate) or rate <= 0:
            raise MapError(f"{path}: time.rate must be the frames per second, such as 60, not {rate!r}.")
        return float(rate)
    if unit not in _SECONDS:
        raise MapError(f"{path}: time.unit must be one of s, ms, us, frames, not {unit!r}.")
    if rate is not None:
        raise MapError(f'{path}: time.rate goes with unit = "frames" only.')
    return _SECONDS[unit]


def _event(word: str, value: Any, path: str | Path) -> dict[str, Any]:
    sets = {"event": value} if isinstance(value, str) else value
    if not isinstance(sets, dict) or sets.get("event") not in EVENT_CODES:
        found = sets.get("event") if isinstance(sets, dict) else value
        raise MapError(f"{path}: events.{word} must lead to one of {', '.join(EVENT_CODES)}, not {found!r}.")
    for key, given in sets.items():
        if key in ("session", "time") or isinstance(given, dict | list):
            raise MapError(f"{path}: events.{word} cannot set {key} to {given!r}; it sets {_listed(_SETTABLE)} or a tag.")
    return dict(sets)


def _replay(table: Mapping[str, Any], path: str | Path) -> dict[str, Any]:
    for key, value in table.items():
        if key not in _SETTINGS:
            raise MapError(f"{path}: replay.{key} is no setting. [replay] takes {_listed(_SETTINGS)}.")
        wants_bool = _SETTINGS[key] is bool
        if isinstance(value, bool) != wants_bool or not isinstance(value, int | float):
            raise MapError(f"{path}: replay.{key} must be {'true or false' if wants_bool else 'seconds'}, not {value!r}.")
    return dict(table)
