"""Logs in which a row is a player's stay in a level, or a player with a column a level: each stay becomes its tries."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Final

from milepost.logs.interface import Place
from milepost.logs.mapping.languages import is_total, result_of
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.mapping.map_usage import match_pattern
from milepost.logs.records.attempt_rows import number_record
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.fields import convert_numbers, parse_decimal, text_of
from milepost.logs.records.record_hash import hash_record
from milepost.logs.records.translation import Translator
from milepost.vocabulary import EXACT, UNTIMED, WHOLE

_MOST_TRIES: Final = 100_000  # of a stay; more is no number of tries
_NUMBER_AND_WORD: Final = re.compile(r"\s*(\d*)\s*([^\d\s].*?)\s*")
_NOTHING: Final = frozenset({"-", "–", "—"})
_FALSE: Final = frozenset({"0", "0.0", "false", "-", "–"})
_TRUE: Final = frozenset({"1", "1.0", "true", "x", "✓", "✔"})


@dataclass(frozen=True)
class _Stay:
    """A stay: tries with the clearing one, seconds in all where they are known, and whether it was cleared."""

    level: str
    tries: int
    seconds: float | None
    cleared: bool


class StaySink:
    """Takes rows of one file; a player's stays follow each other in the order of the rows, or of the columns."""

    def __init__(self, builder: RecordBuilder, file: int, translator: Translator, cells: bool) -> None:
        self.builder, self.file, self.translator, self.cells = builder, file, translator, cells
        self.clock: dict[str, tuple[float, int]] = {}  # per session: the time so far, and how many records it has

    @property
    def map(self) -> LogMap:
        """The map."""
        return self.translator.map

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Take a row."""
        ours = self.translator.fields_of(record, self.cells)
        ours.pop("time", None)
        if is_total(ours.get("player")) or is_total(ours.get("session")):
            self.refuse(line, "a row of totals, and no player")
            return
        session = text_of(ours.get("session"))
        name = session if isinstance(session, str) else str(text_of(ours.get("player")) or "log")
        place, alike = Place(self.file, line), hash_record(record)
        for stay in self._stays(record, ours):
            if isinstance(stay, str):
                self.builder.refuse(place, stay, {"session": name})
            else:
                self._give(stay, {**ours, "session": name, "level": stay.level}, place, alike)

    def refuse(self, line: int, reason: str) -> None:
        """Note that something there is no record."""
        self.builder.refuse(Place(self.file, line), reason)

    def finish(self) -> None:
        """Nothing is left."""

    def _stays(self, record: Mapping[str, object], ours: Mapping[str, object]) -> Iterator[_Stay | str]:
        rows = self.map.rows
        if rows.each == "stay":
            values = {name: self.translator.value_of(record, column) for name, column in rows.columns().items()}
            stay = self._stay(str(text_of(ours.get("level")) or ""), values)
            if stay is not None:
                yield stay
            return
        by_level: dict[str, dict[str, object]] = {}
        for meaning, pattern in rows.patterns().items():
            for column, value in record.items():
                level = match_pattern(pattern, column)
                if level is not None and not is_total(level):
                    by_level.setdefault(column.strip() if rows.levels else level, {})[meaning] = None if value == "" else value
        for level, values in by_level.items():
            stay = self._stay(level, values)
            if stay is not None:
                yield stay

    def _stay(self, level: str, values: Mapping[str, object]) -> _Stay | str | None:
        """A stay; None where the level was not reached, and a sentence where a number is none."""
        values, word = self._split_word(values)
        numbers = {name: parse_decimal(values.get(name)) for name in ("tries", "seconds")}
        for name, number in numbers.items():
            if values.get(name) is not None and (number is None or number < 0):
                return f"{name} is no number from 0 up"
        tries, seconds = numbers["tries"], numbers["seconds"]
        if tries is not None and (tries != int(tries) or tries > _MOST_TRIES):
            return "tries is no number of tries"
        was_cleared = self._is_cleared(values["cleared"]) if "cleared" in values else None
        if word is not None:
            was_cleared = self.translator.outcome_of(word) == "complete"
        reached = bool(tries) or bool(seconds) or bool(was_cleared)
        if not reached:
            return None
        cleared = was_cleared if word is not None or "cleared" in values or self.map.rows.cleared else True
        return _Stay(level, max(1, int(tries or 1)), seconds, bool(cleared))

    def _split_word(self, values: Mapping[str, object]) -> tuple[Mapping[str, object], str | None]:
        """A cell such as ``5 DNF`` as its number, and the word behind it where the map knows that; a dash is nothing."""
        cell = values.get("tries")
        if not isinstance(cell, str):
            return values, None
        if cell.strip() in _NOTHING:
            return {**values, "tries": None}, None
        match = _NUMBER_AND_WORD.fullmatch(cell)
        if match is None or match[2] not in self.map.events:
            return values, None
        return {**values, "tries": match[1] or "1"}, match[2]

    def _is_cleared(self, value: object) -> bool | None:
        """Return whether a cell says that the level was cleared; None where it says nothing."""
        if value is None or isinstance(value, bool):
            return value
        text = str(value).strip().casefold()
        meaning = self.translator.outcome_of(str(value).strip()) or result_of(str(value))
        if text in _FALSE or text == "":
            return False
        return text in _TRUE or meaning == "complete"

    def _give(self, stay: _Stay, ours: dict[str, object], place: Place, alike: int) -> None:
        session = str(ours["session"])
        begun, count = self.clock.get(session, (0.0, 0))
        ended = begun + (stay.seconds or 0.0)
        closing = EXACT | UNTIMED | (WHOLE if stay.seconds is not None else 0)
        last = "complete" if stay.cleared else "reset"
        events = [("start", begun, EXACT)]
        for _ in range(stay.tries - 1):
            events += [("reset", begun, closing), ("retry", begun, EXACT)]
        events.append((last, ended, closing))
        for number, (event, time, marks) in enumerate(events, count):
            record = {**ours, "event": event, "time": time, "seq": number}
            self.builder.add(number_record(convert_numbers(record) if self.cells else record), place, alike + number, marks)
        self.clock[session] = (ended, count + len(events))
