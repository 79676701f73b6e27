"""What one record's fields must be: the rules on types and ranges, in the one place that every reader uses."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import floor, isfinite
from typing import Any, Final

from milepost.logs.timestamps import NANO, nanoseconds
from milepost.vocabulary import FIELDS, NEED_LEVEL, NUMBER_FIELDS

BAD: Final = object()  # a value of the wrong type or out of range
_INT64 = 1 << 63
_OPTIONAL_TEXT = ("level", "to", "player", "build", "cause", "actor", "id")
_TRUE_TEXTS = frozenset({"true", "1"})


class UnreadableError(Exception):
    """A record that has to be refused; its text says why."""


@dataclass(slots=True)
class Fields:
    """One record's fields, checked; None where absent.

    ``stamp`` is nanoseconds since 1970 where the time was a time stamp, else None and ``clock`` holds seconds.
    """

    session: str
    event: str
    clock: float
    stamp: int | None
    text: dict[str, str | None]
    numbers: dict[str, float | None]
    seq: int | None
    tags: dict[str, str]
    bad: bool = False
    sets: Mapping[str, str] = field(default_factory=dict)

    def second(self) -> tuple[float, bool]:
        """The whole second of the logged time, and whether the time is just that."""
        if self.stamp is not None:
            whole, rest = divmod(self.stamp, NANO)
            return float(whole), rest == 0
        whole_clock = float(floor(self.clock))
        return whole_clock, whole_clock == self.clock


def text_of(value: Any) -> Any:
    """A string field: its text, None where absent or empty, BAD; a whole number is taken as its decimal text."""
    if type(value) is str:
        return value or None
    if value is None:
        return None
    if type(value) is int:
        return decimal(value)
    if type(value) is float and value.is_integer():
        return decimal(int(value))
    return BAD


def decimal(value: int) -> Any:
    """The decimal text of a whole number; BAD where it has more digits than any id or level number."""
    return str(value) if -_INT64 <= value < 1 << 64 else BAD


def number_of(value: Any) -> Any:
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


def whole_of(value: Any) -> Any:
    """A whole-number field: an int of at most 64 bits, None where absent, BAD."""
    if value is None:
        return None
    if type(value) is float and value.is_integer():
        value = int(value)
    return value if type(value) is int and -_INT64 <= value < _INT64 else BAD


def tag_of(value: Any) -> Any:
    """A tag's text, None where absent, BAD where it is no scalar or not finite."""
    if type(value) is str:
        return value or None
    if type(value) is bool:
        return "true" if value else "false"
    if type(value) is float and not value.is_integer():
        return repr(value) if isfinite(value) else BAD
    return text_of(value)


def is_true(value: str | None) -> bool:
    """Whether a tag's text says yes, as `debug` does."""
    return value is not None and value.strip().casefold() in _TRUE_TEXTS


def checked(record: Mapping[str, Any]) -> Fields:
    """Check one record, fields by our names.

    Raises:
        UnreadableError: it has no usable session, time or event, or a level event has no level.
    """
    session, event = text_of(record.get("session")), text_of(record.get("event"))
    if session is None or session is BAD:
        raise UnreadableError("no usable session")
    clock, stamp = _time(record.get("time"))
    if event is None or event is BAD:
        raise UnreadableError("no usable event")
    text = {name: text_of(record.get(name)) for name in _OPTIONAL_TEXT}
    numbers = {name: number_of(record.get(name)) for name in NUMBER_FIELDS}
    tags = {name: tag_of(value) for name, value in record.items() if name not in FIELDS}
    seq = whole_of(record.get("seq"))
    progress = numbers["progress"]
    if isinstance(progress, float) and not 0 <= progress <= 1:
        numbers["progress"] = BAD
    bad = seq is BAD or BAD in text.values() or BAD in numbers.values() or BAD in tags.values()
    if bad:
        text, numbers = _good(text), _good(numbers)
        seq = None if seq is BAD else seq
    if event in NEED_LEVEL and text["level"] is None:
        raise UnreadableError(f"{event} without a level")
    kept = {name: value for name, value in tags.items() if value is not None and value is not BAD}
    return Fields(session, event, clock, stamp, text, numbers, seq, kept, bad)


def _good(values: dict[str, Any]) -> dict[str, Any]:
    return {name: None if value is BAD else value for name, value in values.items()}


def _time(value: Any) -> tuple[float, int | None]:
    if type(value) is str and value:
        stamp = nanoseconds(value)
        if stamp is None:
            raise UnreadableError("time is no time stamp with an offset")
        return 0.0, stamp
    number = number_of(value)
    if number is None or number == "":
        raise UnreadableError("no time")
    if number is BAD:
        raise UnreadableError("time is not a finite number")
    return number, None
