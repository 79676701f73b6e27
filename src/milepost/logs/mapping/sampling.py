"""The first records of a foreign log, with what lies in arrays of them taken out, and nested objects as paths."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from milepost.logs.formats.otlp import is_envelope, is_export, log_records, unpack_envelope
from milepost.logs.mapping.shapes import Exploding

SAMPLE: Final = 8_000  # records that are looked at
_DEEPEST: Final = 4
_MOSTLY: Final = 0.5  # share of records with an array of records in them, from which these are what the log holds


class EnoughRecords(Exception):
    """A sample has as many records as it takes."""


class Sample:
    """A sink that keeps the first records as they were logged.

    Attributes:
        records: the records, nested objects as dotted paths.
        refused: how many lines are none.
        stops: whether it ends the reading, once it has as many records as it takes.
        whole: the records with their arrays and nested objects.
    """

    def __init__(self, stops: bool = False) -> None:
        self.stops = stops
        self.records: list[Mapping[str, object]] = []
        self.refused = 0
        self._source: Mapping[str, object] = {}
        self.whole: list[Mapping[str, object]] = []

    def begin(self, source: Mapping[str, object]) -> None:
        """Begin with the records of a file, which all get these columns."""
        self._source = source

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Keep a record."""
        if is_export(record):
            for inner in log_records(record):
                if not isinstance(inner, str):
                    self.add(inner, line)
            return
        if len(self.records) < SAMPLE:
            whole = {**(unpack_envelope(record) if is_envelope(record) else record), **self._source}
            self.whole.append(whole)
            self.records.append(flatten(whole))
        elif self.stops:
            raise EnoughRecords

    def refuse(self, line: int, reason: str) -> None:
        """Count what is no record."""
        self.refused += 1

    def finish(self) -> None:
        """Nothing is left."""

    def taken_out(self) -> tuple[str, ...]:
        """Take out what lies in arrays of records; the names of these, outermost first."""
        path: list[str] = []
        inner = self.whole
        while len(path) < _DEEPEST and (name := _array(inner)) is not None:
            path.append(name)
            inner = [element for record in inner for element in _elements(record, name)]
        if path:
            inside = Sample()
            stage = Exploding(inside, tuple(path), "")
            for record in self.whole:
                stage.add(record, 0)
            self.records = inside.records
        return tuple(path)


def _array(records: list[Mapping[str, object]]) -> str | None:
    """The field that most records have an array of records in; None where none is."""
    names = dict.fromkeys(name for record in records[:100] for name, value in record.items() if isinstance(value, list))
    for name in names:
        if sum(bool(_elements(record, name)) for record in records) >= _MOSTLY * len(records):
            return name
    return None


def _elements(record: Mapping[str, object], name: str) -> list[Mapping[str, object]]:
    value = record.get(name)
    return [element for element in value if isinstance(element, Mapping)] if isinstance(value, list) else []


def flatten(record: Mapping[str, object], prefix: str = "", depth: int = 0) -> dict[str, object]:
    """A record with nested objects as dotted paths, and without arrays."""
    paths: dict[str, object] = {}
    for name, value in record.items():
        if isinstance(value, Mapping) and depth < _DEEPEST:
            paths |= flatten(value, f"{prefix}{name}.", depth + 1)
        elif not isinstance(value, list) and value is not None and value != "":
            paths[prefix + name] = value
    return paths
