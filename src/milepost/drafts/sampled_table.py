"""A sample of a foreign log as columns: what each cell says, as a text, as a code, as a number and as a time."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property
from typing import Final

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.logs.records.fields import NANO, parse_decimal, parse_stamp

_MOST_CELLS: Final = 200  # characters of a cell that are looked at


@dataclass(frozen=True, eq=False, repr=False)
class CellColumn:
    """A column of the sample; ``codes`` point into ``words`` and are -1 where the cell is empty."""

    name: str
    codes: Ints
    words: tuple[str, ...]

    @cached_property
    def given(self) -> float:
        """The share of records that have the column."""
        return float((self.codes >= 0).mean()) if len(self.codes) else 0.0

    @cached_property
    def numbers(self) -> Floats | None:
        """Per record its number, NaN where the cell is empty; None where some cells are no numbers."""
        values = [parse_decimal(word) for word in self.words]
        if not values or any(value is None for value in values):
            return None
        return np.append(np.array(values, np.float64), np.nan)[self.codes]

    @cached_property
    def times(self) -> tuple[Floats, TimeForm] | None:
        """Per record its time in seconds or the log's units, and how it is written; None where the cells are no times."""
        read = read_times(self.words)
        return None if read is None else (np.append(read[0], np.nan)[self.codes], read[1])


@dataclass(frozen=True)
class SampledTable:
    """The sampled records as columns, in the log's order."""

    columns: dict[str, CellColumn]
    records: int

    @classmethod
    def of(cls, records: Sequence[Mapping[str, object]]) -> SampledTable:
        """Make columns of records."""
        names = dict.fromkeys(name for record in records for name in record)
        return cls({name: _column(name, records) for name in names}, len(records))


def _column(name: str, records: Sequence[Mapping[str, object]]) -> CellColumn:
    words: dict[str, int] = {}
    codes = np.full(len(records), -1, np.int64)
    for place, record in enumerate(records):
        value = record.get(name)
        if value is not None and value != "":
            codes[place] = words.setdefault(text_of_cell(value), len(words))
    return CellColumn(name, codes, tuple(words))


def text_of_cell(value: object) -> str:
    """A cell as a text, as a log map would meet it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        return str(int(value))
    return str(value)[:_MOST_CELLS]


_FEWEST_READ: Final = 0.98  # share of the distinct values that a form has to read
_LOOKED_AT: Final = 400  # distinct values that decide on the form
_DATES: Final = (
    "%Y-%m-%d",
    "%d.%m.%Y",
    "%d/%m/%Y",
    "%m/%d/%Y",
    "%Y/%m/%d",
    "%Y%m%d",
    "%d-%m-%Y",
    "%d %b %Y",
    "%b %d %Y",
    "%b %d",
    "%d.%m.%y",
)
_CLOCKS: Final = ("%H:%M:%S", "%H:%M:%S.%f", "%H:%M:%S,%f", "%I:%M:%S %p", "%H:%M", "%I:%M %p", "%H%M%S", "%H.%M.%S")
_ISO: Final = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d([.,]\d+)?)?")
_CLOCK: Final = re.compile(r"\d{1,4}:\d\d(:\d\d)?([.,]\d+)?")


@dataclass(frozen=True)
class TimeForm:
    """How a column's times are written.

    Attributes:
        kind: `number`, `stamp` (with an offset), `local` (a date and a time of the day), `date`, or `clock` (a time of the
            day, or elapsed).
        format: how, in the letters of strptime; None where a log map need not say it.
        doubtful: another format that reads the values as well.
    """

    kind: str
    format: str | None = None
    doubtful: str | None = None


def read_times(words: Sequence[str]) -> tuple[Floats, TimeForm] | None:
    """Return the times that texts stand for, and how they are written; None where they are no times.

    Times are in the log's unit where they are numbers, else in seconds since 1970 or midnight.
    """
    if not words:
        return None
    numbers = [None if ":" in word else parse_decimal(word) for word in words]
    if all(number is not None for number in numbers):
        return np.array(numbers, np.float64), TimeForm("number")
    if all(_CLOCK.fullmatch(word) for word in words):
        seconds = [parse_decimal(word) for word in words]
        if all(second is not None for second in seconds):
            return np.array(seconds, np.float64), TimeForm("clock")
    stamps = [parse_stamp(word) for word in words]
    if all(stamp is not None for stamp in stamps):
        return np.array([stamp / NANO for stamp in stamps if stamp is not None]), TimeForm("stamp")
    if all(_ISO.fullmatch(word) for word in words):
        return _seconds(words, None), TimeForm("local")
    return _read_by_format(words)


def _read_by_format(words: Sequence[str]) -> tuple[Floats, TimeForm] | None:
    fitting = [form for form in _formats(words[0]) if _reads(form, words)]
    if not fitting:
        return None
    form = fitting[0]
    dated, timed = any(mark in form for mark in ("%d", "%j")), "%M" in form
    kind = "local" if dated and timed else "date" if dated else "clock"
    return _seconds(words, form), TimeForm(kind, form, fitting[1] if len(fitting) > 1 else None)


def _formats(word: str) -> list[str]:
    """The formats that read one value: dates, clocks, and each date with each clock behind it."""
    joints = [joint for joint in (" ", "T", ", ", "_", " - ") if joint in word]
    both = [date + joint + clock for date in _DATES for joint in joints for clock in _CLOCKS]
    return [form for form in (*both, *_DATES, *_CLOCKS) if _moment(word, form) is not None]


def _reads(form: str, words: Sequence[str]) -> bool:
    sample = words[:: max(1, len(words) // _LOOKED_AT)]
    return sum(_moment(word, form) is not None for word in sample) >= _FEWEST_READ * len(sample)


def _moment(word: str, form: str | None) -> float | None:
    try:
        moment = datetime.fromisoformat(word.replace(",", ".")) if form is None else datetime.strptime(word, form)
    except ValueError:
        return None
    return moment.replace(tzinfo=UTC).timestamp()


def _seconds(words: Sequence[str], form: str | None) -> Floats:
    return np.array([np.nan if (moment := _moment(word, form)) is None else moment for word in words])
