"""The use of a log map in a log: the columns and words that are there, and failed conversions."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from difflib import get_close_matches
from typing import Final

from milepost.errors import MapError
from milepost.logs.interface import MapMet, MissingColumn
from milepost.logs.mapping.logmap import LogMap
from milepost.wording import plural, safe

NEEDED: Final = ("session", "player", "time", "event", "level")  # fields whose column has to be there, if the map names one
_MOST_SEEN: Final = 500  # names of columns that are remembered
_NAMED: Final = 6


@dataclass
class MapUse:
    """Counts over the records that were translated.

    Attributes:
        records: how many.
        met: per column that the map names, in how many records it is.
        words: per event word that the map names, in how many records it is.
        failed: per field, conversions that failed.
        without_event: records that have no event.
        ignored: records of event words that the map ignores.
        seen: names of the log's columns, as a set in order.
    """

    records: int = 0
    met: Counter[str] = field(default_factory=Counter)
    words: Counter[str] = field(default_factory=Counter)
    failed: Counter[str] = field(default_factory=Counter)
    without_event: int = 0
    ignored: int = 0
    seen: dict[str, None] = field(default_factory=dict)

    def take(self, record: Mapping[str, object]) -> None:
        """Count a record as logged."""
        self.records += 1
        if len(self.seen) < _MOST_SEEN:
            self.seen.update(dict.fromkeys(record))

    def add(self, other: MapUse) -> None:
        """Count the records of another one, too."""
        self.records += other.records
        for counts, more in ((self.met, other.met), (self.words, other.words), (self.failed, other.failed)):
            counts.update(more)
        self.without_event += other.without_event
        self.ignored += other.ignored
        self.seen.update(other.seen if len(self.seen) < _MOST_SEEN else {})

    def missing(self, log_map: LogMap) -> list[tuple[str, str]]:
        """Fields of the map, each with a column for it that no record has, where nothing stands in for that."""
        rules = [(name, rule) for name, rule in log_map.fields.items() if rule.default is None]
        named = [(f"fields.{name}", column) for name, rule in rules for column in rule.columns]
        named += [(f"rows.{name}", column) for name, column in log_map.rows.columns().items()]
        missing = [(name, column) for name, column in named if not self.met[column]]
        patterns = [(f"rows.{name}", pattern) for name, pattern in log_map.rows.patterns().items()]
        return missing + [
            (name, pattern) for name, pattern in patterns if not any(match_pattern(pattern, column) for column in self.seen)
        ]

    def require(self, log_map: LogMap) -> None:
        """Refuse a map that names columns which no record has, for fields that a log cannot be read without.

        Raises:
            MapError: it does.
        """
        for name, column in self.missing(log_map) if self.records else ():
            if name.startswith("rows.") or name.removeprefix("fields.") in NEEDED:
                near = get_close_matches(column, self.seen, 3, 0.5) or list(self.seen)[:_NAMED]
                shown = ", ".join(safe(name) for name in near)
                raise MapError(f"{log_map.path}: {name}: no record has the column {column!r}. Nearest to it: {shown}.")

    def document(self, log_map: LogMap) -> MapMet:
        """Return the use as `check` shows it."""
        return MapMet(
            missing_column=[
                MissingColumn(field=name.removeprefix("fields."), column=column) for name, column in self.missing(log_map)
            ],
            unused_words=[word for word in log_map.events if not self.words[word]],
            failed_conversions=dict(+self.failed),
            records_without_event=self.without_event,
            records_ignored=self.ignored,
        )


def match_pattern(pattern: str, column: str) -> str | None:
    """The level of a column that fits a pattern: what stands for the *; None where it does not fit."""
    before, _, after = pattern.partition("*")
    long_enough = len(column) > len(before) + len(after)
    if not long_enough or not column.startswith(before) or not column.endswith(after):
        return None
    return column[len(before) : len(column) - len(after)].strip()


def map_notes(met: MapMet) -> list[str]:
    """Return the use as sentences; empty if there is nothing to say."""
    lines = [
        f"missing_column: no record has the column {safe(missing['column'])}, which the map names for {safe(missing['field'])}."
        for missing in met["missing_column"]
    ]
    if met["unused_words"]:
        words = ", ".join(safe(word) for word in met["unused_words"][:_NAMED])
        more = len(met["unused_words"]) - _NAMED
        lines.append(f"Event words of the map that no record has: {words}{f' and {more} more' if more > 0 else ''}.")
    for name, count in met["failed_conversions"].items():
        lines.append(
            f"{plural(count, 'value')} could not be converted to {safe(name)}; it stays as logged."
            if count == 1
            else f"{plural(count, 'value')} could not be converted to {safe(name)}; they stay as logged."
        )
    if met["records_ignored"]:
        ignored = plural(met["records_ignored"], "record has an event word", "records have event words")
        lines.append(f"{ignored} that the map ignores.")
    if met["records_without_event"]:
        empty = plural(met["records_without_event"], "record makes", "records make")
        lines.append(f"{empty} no event: the event's column is empty there.")
    return lines
