"""Entries of a course file: rules on runs and on knobs, pictures of levels, and checks of single values."""

from __future__ import annotations

from dataclasses import dataclass
from difflib import get_close_matches
from math import isfinite
from pathlib import Path
from typing import TypedDict

from milepost.errors import CourseError


@dataclass(frozen=True)
class RunRule:
    """The beginning of runs, if the course gives it.

    Attributes:
        at: the level; None where records say it, or nothing does.
        every_start: whether every start there begins one, and not only one that follows another level.
        endless: whether there is no last level; levels that the course does not have follow it in natural order.
    """

    at: str | None = None
    every_start: bool = False
    endless: bool = False


BY_RECORDS = RunRule()


def read_runs(table: dict[str, object], levels: dict[str, str], path: object) -> RunRule:
    """The rule of a course file.

    Args:
        table: the file.
        levels: the course's levels by their names and aliases.
        path: the file's name.

    Raises:
        CourseError: it names no level, or says what cannot be.
    """
    at, on, endless = table.get("run_starts_at"), table.get("run_starts_on"), table.get("endless", False)
    if not isinstance(endless, bool):
        raise CourseError(f"{path}: endless must be true or false, not {endless!r}.")
    if on is not None and (on != "start" or at is None):
        raise CourseError(f'{path}: run_starts_on: write "start", beside run_starts_at, or leave it out.')
    if at is None:
        return RunRule(endless=endless)
    if not isinstance(at, str) or at not in levels:
        near = get_close_matches(str(at), levels, 1) or list(levels)[:1]
        raise CourseError(f"{path}: run_starts_at: no level is called {at!r}. Write {near[0]!r}, or add that level.")
    return RunRule(levels[at], on == "start", endless)


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


def read_text(value: object, where: str) -> str | None:
    """Text, or nothing."""
    if value is not None and (not isinstance(value, str) or not value.strip()):
        raise CourseError(f"{where} must be text, not {value!r}.")
    return value


def read_truth(value: object, where: str) -> bool:
    """True or false."""
    if not isinstance(value, bool):
        raise CourseError(f"{where} must be true or false, not {value!r}.")
    return value


def read_marks(value: object, where: str) -> tuple[str, ...]:
    """Marks of a level, each of them once."""
    marks = read_texts(value, where)
    twice = next((mark for mark in marks if marks.count(mark) > 1), None)
    if twice is not None:
        raise CourseError(f"{where}: the mark {twice!r} is there twice. Each mark is passed once.")
    return marks


def read_target(value: object, least: float, most: float, where: str) -> tuple[float | None, tuple[float, float] | None]:
    """A planned figure from ``least`` to ``most``, or a range of them with its middle."""
    if isinstance(value, list) and len(value) == 2:
        low, high = (read_number(end, least, most, where) for end in value)
        if low is None or high is None or low > high:
            raise CourseError(f"{where}: a range is two numbers, the lower first, not {value!r}.")
        return (low + high) / 2, (low, high)
    return read_number(value, least, most, where), None


def read_texts(value: object, where: str) -> tuple[str, ...]:
    """A list of names."""
    if not isinstance(value, list) or not all(isinstance(item, str) and item for item in value):
        raise CourseError(f"{where}: must be a list of names, not {value!r}.")
    return tuple(value)


def read_number(value: object, low: float, high: float, where: str) -> float | None:
    """A number within bounds, or nothing."""
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float) or not isfinite(value) or not low <= value <= high:
        raise CourseError(f"{where}: must be a number from {low:g} to {high:g}, not {value!r}.")
    return float(value)


class MapPicture(TypedDict):
    """A picture, and the coordinates of its lower left and its upper right corner."""

    file: str
    left: float
    bottom: float
    right: float
    top: float


def read_picture(name: object, corners: object, folder: Path, where: str) -> MapPicture | None:
    """The picture of a level; None where it has none.

    Args:
        name: the picture's file, relative to the course's.
        corners: x and y of its lower left corner, then of its upper right one.
        folder: where the course lies.
        where: how messages name the level.

    Raises:
        CourseError: there is no such file, or the corners are not two corners.
    """
    if name is None and corners is None:
        return None
    if not isinstance(name, str) or not name:
        raise CourseError(f"{where}: map must be the name of a picture, not {name!r}.")
    if not (folder / name).is_file():
        raise CourseError(f"{where}: map: there is no picture {name!r} beside the course. Name one that is there.")
    numbers = corners if isinstance(corners, list) and len(corners) == 4 else []
    if not numbers or any(
        isinstance(number, bool) or not isinstance(number, int | float) or not isfinite(number) for number in numbers
    ):
        raise CourseError(f"{where}: map_corners must be x and y of two corners, such as [0, 0, 100, 40], not {corners!r}.")
    left, bottom, right, top = map(float, numbers)
    if left == right or bottom == top:
        raise CourseError(f"{where}: map_corners: the corners {corners!r} have no room between them.")
    return MapPicture(file=str(folder / name), left=left, bottom=bottom, right=right, top=top)
