"""How times are written: numbers, time stamps, local date-times, times of the day, and hours, minutes and seconds."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Final

import numpy as np

from milepost.arrays import Floats
from milepost.logs.records.timestamps import NANO, nanoseconds
from milepost.logs.records.untyped_cells import decimal

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
    numbers = [None if ":" in word else decimal(word) for word in words]
    if all(number is not None for number in numbers):
        return np.array(numbers, np.float64), TimeForm("number")
    if all(_CLOCK.fullmatch(word) for word in words):
        seconds = [decimal(word) for word in words]
        if all(second is not None for second in seconds):
            return np.array(seconds, np.float64), TimeForm("clock")
    stamps = [nanoseconds(word) for word in words]
    if all(stamp is not None for stamp in stamps):
        return np.array([stamp / NANO for stamp in stamps if stamp is not None]), TimeForm("stamp")
    if all(_ISO.fullmatch(word) for word in words):
        return _seconds(words, None), TimeForm("local")
    return _by_format(words)


def _by_format(words: Sequence[str]) -> tuple[Floats, TimeForm] | None:
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
    some = words[:: max(1, len(words) // _LOOKED_AT)]
    return sum(_moment(word, form) is not None for word in some) >= _FEWEST_READ * len(some)


def _moment(word: str, form: str | None) -> float | None:
    try:
        moment = datetime.fromisoformat(word.replace(",", ".")) if form is None else datetime.strptime(word, form)
    except ValueError:
        return None
    return moment.replace(tzinfo=UTC).timestamp()


def _seconds(words: Sequence[str], form: str | None) -> Floats:
    return np.array([np.nan if (moment := _moment(word, form)) is None else moment for word in words])
