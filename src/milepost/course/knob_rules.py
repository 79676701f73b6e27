"""Rules of knobs: what a knob should be at each level, by how many levels come before it."""

from __future__ import annotations

from dataclasses import dataclass
from math import isfinite

from milepost.errors import CourseError

_KEYS = {"first", "step", "factor", "every", "cap"}


@dataclass(frozen=True)
class KnobRule:
    """A knob that grows along the course.

    Attributes:
        first: its value at the first level.
        step: what is added; None where it is multiplied.
        factor: what it is multiplied with.
        every: after how many levels that happens.
        cap: the value that it does not go beyond.
    """

    first: float
    step: float | None = None
    factor: float | None = None
    every: int = 1
    cap: float | None = None

    def at(self, place: int) -> float:
        """The value at a level, by its place from 0."""
        times = place // self.every
        value = self.first + self.step * times if self.step is not None else self.first * (self.factor or 1.0) ** times
        if self.cap is None:
            return value
        return min(value, self.cap) if self.cap >= self.first else max(value, self.cap)


def read_knob_rules(table: object, path: object) -> dict[str, KnobRule]:
    """Return the rules of a course, by knob.

    Raises:
        CourseError: one makes no sense.
    """
    if not isinstance(table, dict):
        raise CourseError(f"{path}: rules is a table of knobs, such as [rules.current] with first = 1.0 and step = 0.2.")
    return {str(knob): _rule(row, f"{path}: rules.{knob}") for knob, row in table.items()}


def _rule(row: object, where: str) -> KnobRule:
    if not isinstance(row, dict) or row.keys() - _KEYS or "first" not in row or ("step" in row) == ("factor" in row):
        raise CourseError(f"{where}: has first, and step or factor; and every and cap if they matter.")
    numbers = {name: row[name] for name in ("first", "step", "factor", "cap") if name in row}
    for name, value in numbers.items():
        if isinstance(value, bool) or not isinstance(value, int | float) or not isfinite(value):
            raise CourseError(f"{where}: {name} must be a number, not {value!r}.")
    every = row.get("every", 1)
    if isinstance(every, bool) or not isinstance(every, int) or every < 1:
        raise CourseError(f"{where}: every must be a whole number of levels from 1 up, not {every!r}.")
    return KnobRule(every=every, **{name: float(value) for name, value in numbers.items()})


def given_text(value: object, where: str) -> str | None:
    """Text, or nothing."""
    if value is not None and (not isinstance(value, str) or not value.strip()):
        raise CourseError(f"{where} must be text, not {value!r}.")
    return value


def given_truth(value: object, where: str) -> bool:
    """True or false."""
    if not isinstance(value, bool):
        raise CourseError(f"{where} must be true or false, not {value!r}.")
    return value


def given_marks(value: object, where: str) -> tuple[str, ...]:
    """Marks of a level, each of them once."""
    marks = given_texts(value, where)
    twice = next((mark for mark in marks if marks.count(mark) > 1), None)
    if twice is not None:
        raise CourseError(f"{where}: the mark {twice!r} is there twice. Each mark is passed once.")
    return marks


def given_target(value: object, least: float, most: float, where: str) -> tuple[float | None, tuple[float, float] | None]:
    """A planned figure from ``least`` to ``most``, or a range of them with its middle."""
    if isinstance(value, list) and len(value) == 2:
        low, high = (given_number(end, least, most, where) for end in value)
        if low is None or high is None or low > high:
            raise CourseError(f"{where}: a range is two numbers, the lower first, not {value!r}.")
        return (low + high) / 2, (low, high)
    return given_number(value, least, most, where), None


def given_texts(value: object, where: str) -> tuple[str, ...]:
    """A list of names."""
    if not isinstance(value, list) or not all(isinstance(item, str) and item for item in value):
        raise CourseError(f"{where}: must be a list of names, not {value!r}.")
    return tuple(value)


def given_number(value: object, low: float, high: float, where: str) -> float | None:
    """A number within bounds, or nothing."""
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float) or not isfinite(value) or not low <= value <= high:
        raise CourseError(f"{where}: must be a number from {low:g} to {high:g}, not {value!r}.")
    return float(value)
