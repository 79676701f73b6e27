"""Roles of a log's columns: by our names, or by a log map, if each of our fields has a column of its own."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Final

from milepost.logs.columnar.block import require
from milepost.logs.mapping.logmap import FieldRule, LogMap
from milepost.vocabulary import NUMBER_FIELDS

NUMERIC: Final = NUMBER_FIELDS | {"time", "seq"}
_NEEDED: Final = ("session", "time", "event")


@dataclass(frozen=True)
class Roles:
    """Column roles, known before the columns are read.

    Attributes:
        time: the one that says when.
        needed: those without which a row is no record.
        numbers: those of numbers, the time among them, with the field that each is.
        per_second: how many of their units of time a second has.
    """

    time: str
    needed: tuple[str, ...]
    numbers: Mapping[str, str]
    per_second: float = 1.0


OWN: Final = Roles("time", _NEEDED, {name: name for name in NUMERIC})


def is_columnwise(log_map: LogMap) -> bool:
    """Return whether a map has only rules on whole columns: columns for fields, words, and how times are written."""
    fields = all(_is_plain(rule) for name, rule in log_map.fields.items() if name in NUMERIC)
    fields = fields and not any(rule.pattern for rule in log_map.fields.values())
    events = all(not rule.sets.keys() & NUMERIC for rules in log_map.events.values() for rule in rules)
    return (
        fields and events and not log_map.ignores and log_map.session_gap is None and not log_map.carry and not log_map.rows.each
    )


def _is_plain(rule: FieldRule) -> bool:
    return len(rule.columns) == 1 and rule.default is None and rule.number is None


def roles_by(log_map: LogMap, names: Collection[str]) -> Roles:
    """The roles of columns of these names.

    Raises:
        NotStrictError: they are not as plain as that.
    """
    if not log_map.active:
        return OWN
    require(is_columnwise(log_map))
    fields = log_map.fields
    taken = {column.partition(".")[0] for rule in fields.values() for column in rule.columns}
    source = {name: name for name in NUMERIC if name in names and name not in fields and name not in taken}
    source |= {name: fields[name].columns[0] for name in NUMERIC if name in fields and fields[name].columns[0] in names}
    needed = [column for name in _NEEDED for column in _needed(name, fields.get(name))]
    require("time" in source and set(needed) <= set(names))
    numbers = {column: name for name, column in source.items()}
    texts = [column for name, rule in fields.items() if name not in NUMERIC for column in rule.columns]
    require(len(numbers) == len(source) and not numbers.keys() & {*texts, *_asked(log_map)})
    return Roles(source["time"], tuple(needed), numbers, log_map.per_second)


def _needed(name: str, rule: FieldRule | None) -> tuple[str, ...]:
    """The columns without which there is no such field."""
    if rule is None:
        return (name,)
    return rule.columns if rule.default is None else ()


def _asked(log_map: LogMap) -> set[str]:
    """The columns that rules on event words look at."""
    return {column for rules in log_map.events.values() for rule in rules for column in rule.when}


def used_columns(log_map: LogMap) -> dict[str, None]:
    """The columns that a map names, in its order."""
    return dict.fromkeys(column for rule in log_map.fields.values() for column in rule.columns) | dict.fromkeys(_asked(log_map))


def within(column: str, names: Collection[str]) -> bool:
    """Return whether a column that a map names lies in an object of one of these columns."""
    return "." in column and column.partition(".")[0] in names


def joined_name(columns: tuple[str, ...]) -> str:
    """Return the name of a column that is made of several; no column of a log has such a name."""
    return "\0".join(columns)
