"""Rules on the types and ranges of a record's fields, in the one place that every reader uses."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta, tzinfo
from math import floor, isfinite
from typing import Any, Final

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.vocabulary import NEED_LEVEL, NUMBER_FIELDS, TEXT_FIELDS

_NUMBER: Final = re.compile(r"\s*[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?\s*", re.ASCII)
_WHOLE: Final = re.compile(r"\s*[+-]?\d{1,25}\s*", re.ASCII)
_NUMERIC: Final = (*NUMBER_FIELDS, "time", "seq")


def to_number(value: object) -> Any:
    """The number that a text stands for; anything else as it is."""
    if type(value) is not str:
        return value
    if _WHOLE.fullmatch(value):
        return int(value)
    return float(value) if len(value) < 400 and _NUMBER.fullmatch(value) else value


_COMMA: Final = re.compile(r"\s*[+-]?\d{1,3}(\.\d{3})*,\d+\s*|\s*[+-]?\d+,\d+\s*", re.ASCII)
_PARTS: Final = re.compile(r"\s*(?:(\d{1,4}):)?(\d{1,2}):(\d{2}(?:[.,]\d+)?)\s*", re.ASCII)


def parse_decimal(value: object) -> float | None:
    """The number that a cell stands for, also with a decimal comma, or as minutes and seconds; None for none."""
    if isinstance(value, str):
        if _COMMA.fullmatch(value):
            value = value.replace(".", "").replace(",", ".")
        elif (parts := _PARTS.fullmatch(value)) is not None:
            hours, minutes, seconds = parts.groups()
            return 3600 * int(hours or 0) + 60 * int(minutes) + float(seconds.replace(",", "."))
    number = to_number(value)
    return float(number) if type(number) in (int, float) else None


def convert_numbers(record: dict[str, object]) -> dict[str, object]:
    """The record with numbers where a field is a number."""
    for name in _NUMERIC:
        if type(record.get(name)) is str:
            record[name] = to_number(record[name])
    return record


BAD: Final = object()  # a value of the wrong type or out of range
TOGETHER: Final = "\x1f"  # between the names of players who play a session together
_INT64 = 1 << 63
_OPTIONAL_TEXT = ("level", "to", "player", "build", "cause", "actor", "id")
_TRUE_TEXTS = frozenset({"true", "1"})


class UnreadableError(Exception):
    """A record that has to be refused; its text says why."""


class Fields:
    """One record's fields, checked; those that were not given or not usable are missing from the dictionaries.

    ``stamp`` is nanoseconds since 1970 where the time was a time stamp, else None and ``clock`` holds seconds.
    ``bad`` says that a field was given and could not be used.
    """

    __slots__ = ("bad", "clock", "event", "numbers", "seq", "session", "stamp", "tags", "text")

    def __init__(self) -> None:
        self.session: str = ""
        self.event: str = ""
        self.clock: float = 0.0
        self.stamp: int | None = None
        self.text: dict[str, str] = {}
        self.numbers: dict[str, float] = {}
        self.seq: int | None = None
        self.tags: dict[str, str] = {}
        self.bad = False

    def second(self) -> tuple[float, bool]:
        """The whole second of the logged time, and whether the time is just that."""
        if self.stamp is not None:
            whole, rest = divmod(self.stamp, NANO)
            return float(whole), rest == 0
        whole_clock = float(floor(self.clock))
        return whole_clock, whole_clock == self.clock


def text_of(value: object) -> Any:
    """A string field: its text, None where absent or empty, BAD; a whole number is taken as its decimal text."""
    if type(value) is str:
        return value or None
    if value is None:
        return None
    if type(value) is int:
        return decimal_text(value)
    if type(value) is float and value.is_integer():
        return decimal_text(int(value))
    return BAD


def decimal_text(value: int) -> object:
    """The decimal text of a whole number; BAD where it has more digits than any id or level number."""
    return str(value) if -_INT64 <= value < 1 << 64 else BAD


def players_of_list(value: object) -> Any:
    """The field `player`: a name, or a list of those who play together, as one text; BAD where one of them is no name."""
    if type(value) is not list:
        return text_of(value)
    names = list(dict.fromkeys(text_of(item) for item in value))
    if not names or BAD in names or None in names:
        return BAD
    return TOGETHER.join(names)


def number_of(value: object) -> Any:
    """A number field: a finite float, None where absent, BAD."""
    if value is None:
        return None
    if type(value) is float or type(value) is int:
        try:
            number = float(value)
        except OverflowError:
            return BAD
        return number if isfinite(number) else BAD
    return BAD


def whole_of(value: object) -> object:
    """A whole-number field: an int of at most 64 bits, None where absent, BAD."""
    if value is None:
        return None
    if type(value) is float and value.is_integer():
        value = int(value)
    return value if type(value) is int and -_INT64 <= value < _INT64 else BAD


def tag_of(value: object) -> Any:
    """A tag's text, None where absent, BAD where it is no scalar or not finite."""
    if type(value) is str:
        return value or None
    if type(value) is bool:
        return "true" if value else "false"
    if type(value) is float and not value.is_integer():
        return repr(value) if isfinite(value) else BAD
    return text_of(value)


def is_true(value: str | None) -> bool:
    """Return whether a tag's text says yes, as `debug` does."""
    return value is not None and value.strip().casefold() in _TRUE_TEXTS


def progress_of(value: object) -> object:
    """A share from 0 to 1, None where absent, BAD."""
    number = number_of(value)
    return BAD if type(number) is float and not 0 <= number <= 1 else number


_CHECKS: Final = (
    dict.fromkeys(_OPTIONAL_TEXT, text_of)
    | dict.fromkeys(NUMBER_FIELDS, number_of)
    | {"player": players_of_list, "progress": progress_of, "seq": whole_of}
)
_NEEDED: Final = frozenset({"session", "time", "event"})


def check_record(record: Mapping[str, object]) -> Fields:
    """Check one record, fields by our names.

    Raises:
        UnreadableError: it has no usable session, time or event, or a level event has no level.
    """
    fields = Fields()
    session, event = text_of(record.get("session")), text_of(record.get("event"))
    if session is None or session is BAD:
        raise UnreadableError("no usable session")
    fields.clock, fields.stamp = _time(record.get("time"))
    if event is None or event is BAD:
        raise UnreadableError("no usable event")
    fields.session, fields.event = session, event
    _check_others(fields, record)
    if event in NEED_LEVEL and "level" not in fields.text:
        raise UnreadableError(f"{event} without a level")
    return fields


def _check_others(fields: Fields, record: Mapping[str, object]) -> None:
    """Check the fields that a record need not have."""
    for name, given in record.items():
        if given is None or name in _NEEDED:
            continue
        value = _CHECKS.get(name, tag_of)(given)
        if value is None:
            continue
        if value is BAD:
            fields.bad = True
        elif name in TEXT_FIELDS:
            fields.text[name] = value
        elif name in NUMBER_FIELDS:
            fields.numbers[name] = value
        elif name == "seq":
            fields.seq = value
        else:
            fields.tags[name] = value


def _time(value: object) -> tuple[float, int | None]:
    if type(value) is float or type(value) is int:
        number = number_of(value)
        if number is BAD:
            raise UnreadableError("time is not a finite number")
        return number, None
    if value is None or value == "":
        raise UnreadableError("no time")
    stamp = parse_stamp(value) if type(value) is str else None
    if stamp is None:
        raise UnreadableError("time is neither a number nor a time stamp with an offset")
    return 0.0, stamp


_STAMP = re.compile(r"(\d{4})-(\d\d)-(\d\d)[Tt ](\d\d):(\d\d):(\d\d)(?:\.(\d+))?(?:([Zz])|([+-])(\d\d):(\d\d))", re.ASCII)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
NANO = 1_000_000_000


def parse_stamp(stamp: str) -> int | None:
    """Nanoseconds since 1970 of a time stamp with its offset; None where the text is no such stamp.

    Digits beyond the ninth of a fraction are cut off. A leap second counts as the first second of the next minute.
    """
    match = _STAMP.fullmatch(stamp)
    if match is None:
        return None
    year, month, day, hour, minute, second = (int(part) for part in match.groups()[:6])
    fraction, zulu, sign, off_hours, off_minutes = match.groups()[6:]
    offset = 0 if zulu else (int(off_hours) * 60 + int(off_minutes)) * (-1 if sign == "-" else 1)
    if second > 60 or (not zulu and (int(off_hours) > 23 or int(off_minutes) > 59)):
        return None
    try:
        moment = datetime(year, month, day, hour, minute, min(second, 59), tzinfo=UTC)
    except ValueError:
        return None
    whole = (moment - _EPOCH) // timedelta(seconds=1) + (second == 60) - offset * 60
    return whole * NANO + int((fraction or "0")[:9].ljust(9, "0"))


def add_offset(text: str, zone: tzinfo | None, form: str | None) -> str:
    """A date-time with its offset; one that cannot be read stays as it is."""
    if form is None and (zone is None or parse_stamp(text) is not None):
        return text
    try:
        moment = datetime.strptime(text, form) if form else datetime.fromisoformat(text)
    except ValueError:
        return text
    if moment.tzinfo is None:
        if zone is None:
            return text
        moment = moment.replace(tzinfo=zone)
    return moment.astimezone(UTC).isoformat()


def within_reach(progress: Floats) -> tuple[Floats, Bools | None]:
    """Progress where it is from 0 to 1, NaN elsewhere; and the rows in which it cannot be used, if there are some."""
    beyond: Bools = (progress < 0) | (progress > 1)
    return (np.where(beyond, np.nan, progress), beyond) if beyond.any() else (progress, None)
