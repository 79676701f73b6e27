"""Texts from tables that know no types: the fields that are numbers, as numbers."""

from __future__ import annotations

import re
from typing import Any, Final

from milepost.vocabulary import NUMBER_FIELDS

_NUMBER: Final = re.compile(r"\s*[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?\s*", re.ASCII)
_WHOLE: Final = re.compile(r"\s*[+-]?\d{1,25}\s*", re.ASCII)
_NUMERIC: Final = (*NUMBER_FIELDS, "time", "seq")


def as_number(value: object) -> Any:
    """The number that a text stands for; anything else as it is."""
    if type(value) is not str:
        return value
    if _WHOLE.fullmatch(value):
        return int(value)
    return float(value) if len(value) < 400 and _NUMBER.fullmatch(value) else value


_COMMA: Final = re.compile(r"\s*[+-]?\d{1,3}(\.\d{3})*,\d+\s*|\s*[+-]?\d+,\d+\s*", re.ASCII)
_PARTS: Final = re.compile(r"\s*(?:(\d{1,4}):)?(\d{1,2}):(\d{2}(?:[.,]\d+)?)\s*", re.ASCII)


def decimal(value: object) -> float | None:
    """The number that a cell stands for, also with a decimal comma, or as minutes and seconds; None for none."""
    if isinstance(value, str):
        if _COMMA.fullmatch(value):
            value = value.replace(".", "").replace(",", ".")
        elif (parts := _PARTS.fullmatch(value)) is not None:
            hours, minutes, seconds = parts.groups()
            return 3600 * int(hours or 0) + 60 * int(minutes) + float(seconds.replace(",", "."))
    number = as_number(value)
    return float(number) if type(number) in (int, float) else None


def typed(record: dict[str, object]) -> dict[str, object]:
    """The record with numbers where a field is a number."""
    for name in _NUMERIC:
        if type(record.get(name)) is str:
            record[name] = as_number(record[name])
    return record
