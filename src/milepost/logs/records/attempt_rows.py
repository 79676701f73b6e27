"""Logs in which a row is an attempt: each row becomes what opened it and what closed it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from math import isfinite
from typing import Final

from milepost.logs.interface import Place
from milepost.logs.mapping.languages import is_total
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.fields import NANO, convert_numbers, parse_decimal, parse_stamp, text_of
from milepost.logs.records.record_hash import hash_record
from milepost.logs.records.translation import Translator
from milepost.vocabulary import BIT, EXACT, UNTIMED

_OUTCOMES: Final = frozenset({"complete", "death", "reset"})
_ENDS: Final = frozenset({"quit", "time_up", "crash"})  # of a session, where the row is its last
_OF_THE_END: Final = frozenset({"cause", "progress", "x", "y", "collected", "available", "hits", "rating"})
_UNKNOWN: Final = BIT["row_without_result"]


@dataclass(frozen=True)
class _Row:
    """A row: its fields, when it began and ended in seconds (on the session's clock, or since 1970), its result, its place."""

    ours: dict[str, object]
    started: float | None
    ended: float | None
    lasted: float | None
    result: str | None
    stamped: bool
    place: Place
    alike: int


class AttemptSink:
    """Takes rows of one file, and gives their records to the builder once it has all of them."""

    def __init__(self, builder: RecordBuilder, file: int, translator: Translator, cells: bool) -> None:
        self.builder, self.file, self.translator, self.cells = builder, file, translator, cells
        self.sessions: dict[str, list[_Row]] = {}

    @property
    def map(self) -> LogMap:
        """The map."""
        return self.translator.map

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Take a row."""
        ours = self.translator.fields_of(record, self.cells)
        rows, value = self.map.rows, self.translator.value_of
        started = value(record, rows.started) if rows.started else ours.pop("time", None)
        ours.pop("time", None)
        begun, stamped = self._moment(started)
        ended, of_end = self._moment(value(record, rows.ended) if rows.ended else None)
        lasted = parse_decimal(value(record, rows.lasted)) if rows.lasted else None
        stamped = stamped or (begun is None and of_end)
        if lasted is not None and not stamped:
            lasted = lasted / self.map.per_second
        if begun is None and ended is not None and lasted is not None and lasted >= 0:
            begun = ended - lasted
        word = text_of(value(record, rows.result)) if rows.result else None
        result = self.translator.outcome_of(word)
        if is_total(ours.get("player")) or is_total(ours.get("session")):
            self.refuse(line, "a row of totals, and no player")
            return
        session = text_of(ours.get("session"))
        name = session if isinstance(session, str) else str(text_of(ours.get("player")) or "log")
        row = _Row({**ours, "session": name}, begun, ended, lasted, result, stamped, Place(self.file, line), hash_record(record))
        self.sessions.setdefault(name, []).append(row)

    def refuse(self, line: int, reason: str) -> None:
        """Note that something there is no record."""
        self.builder.refuse(Place(self.file, line), reason)

    def _moment(self, value: object) -> tuple[float | None, bool]:
        """A time in seconds, and whether it is a time stamp; None for what is none, or a mere date."""
        if self.cells:
            value = parse_decimal(value) if parse_decimal(value) is not None else value
        moment = self.translator.time_of(value)
        if isinstance(moment, str):
            stamp = parse_stamp(moment)
            return (None, True) if stamp is None or _is_date(value) else (stamp / NANO, True)
        if isinstance(moment, int | float) and not isinstance(moment, bool):
            return float(moment), False
        return None, False

    def finish(self) -> None:
        """Give the records, session by session."""
        for rows in self.sessions.values():
            self._give(rows)

    def _give(self, rows: list[_Row]) -> None:
        ordered = _laid_out(rows)
        stamped = all(row.stamped for row in rows)
        for number, row in enumerate(ordered):
            last = number == len(ordered) - 1
            begun, ended = row.started or 0.0, row.ended
            opening = {name: value for name, value in row.ours.items() if name not in _OF_THE_END}
            self._add(row, opening | {"event": "start", "time": _format_moment(begun, stamped), "seq": 2 * number})
            closing = row.ours | {"time": _format_moment(begun if ended is None else ended, stamped), "seq": 2 * number + 1}
            untimed = UNTIMED if ended is None else 0
            if row.result in _OUTCOMES:
                self._add(row, closing | {"event": row.result}, untimed)
            elif row.result in _ENDS and last:
                self._add(row, closing | {"event": "session_end", "cause": row.result}, untimed)
            else:
                self._add(row, closing | {"event": "transition", "to": None}, untimed | (0 if row.result in _ENDS else _UNKNOWN))

    def _add(self, row: _Row, record: dict[str, object], marks: int = 0) -> None:
        numbered_record = number_record(convert_numbers(record) if self.cells else record)
        self.builder.add(numbered_record, row.place, row.alike + int(str(record["seq"])), marks | EXACT)


def number_record(record: dict[str, object]) -> dict[str, object]:
    """A record that is a part of a row, with an `id` of its own where the row has one."""
    identifier = record.get("id")
    return record if identifier is None else record | {"id": f"{identifier}.{record['seq']}"}


def _is_date(value: object) -> bool:
    """Return whether a text is a date without a time of day."""
    return isinstance(value, str) and ":" not in value


def _laid_out(rows: list[_Row]) -> list[_Row]:
    """The rows in order, each with its beginning and end: by their own times, and where these tie or lack, end to end."""
    keyed, last = [], float("-inf")
    for number, row in enumerate(rows):
        moment = row.started if row.started is not None else row.ended
        last = moment if moment is not None else last
        keyed.append((last, number, row))
    keyed.sort(key=lambda entry: entry[:2])
    clock, laid = min((at for at, _, _ in keyed if isfinite(at)), default=0.0), []
    for number, (_, _, row) in enumerate(keyed):
        begun = clock if row.started is None else max(row.started, clock)
        unknown = number == 0 and row.started is None and row.lasted is None  # whatever it began with, nothing says when
        ended = row.ended if row.ended is not None and row.ended >= begun and not unknown else None
        if ended is None and row.lasted is not None and row.lasted >= 0:
            ended = begun + row.lasted
        clock = ended if ended is not None else begun
        laid.append(replace(row, started=begun, ended=ended))
    return laid


def _format_moment(moment: float, stamped: bool) -> object:
    """A time as a record has it."""
    from datetime import UTC, datetime, timedelta

    if not stamped:
        return moment
    return (datetime(1970, 1, 1, tzinfo=UTC) + timedelta(seconds=moment)).isoformat()
