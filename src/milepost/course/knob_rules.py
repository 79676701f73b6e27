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
