"""Values as a course file gives them, refused with the place where they stand if they are something else."""

from __future__ import annotations

from math import isfinite

from milepost.errors import CourseError


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


def given_target(value: object, where: str) -> tuple[float | None, tuple[float, float] | None]:
    """A planned chance, or a range of them with its middle."""
    if isinstance(value, list) and len(value) == 2:
        low, high = (given_number(end, 0.0, 1.0, where) for end in value)
        if low is None or high is None or low > high:
            raise CourseError(f"{where}: a range is two chances, the lower first, not {value!r}.")
        return (low + high) / 2, (low, high)
    return given_number(value, 0.0, 1.0, where), None


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
