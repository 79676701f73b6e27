"""The course of a simulation: difficulties from a course's targets or a named shape, with planted events."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from milepost.arrays import Floats
from milepost.course.course import Course
from milepost.errors import UsageError
from milepost.level_names import fold_name

SHAPES: Final = ("flat", "rising", "ramp", "sawtooth")
KINDS: Final = ("spike", "dip", "step")
_LOW, _HIGH = -1.5, 0.3  # logits at the ends of a shape
_CYCLE = 8  # levels of a sawtooth's tooth
_PLANT: Final = re.compile(r"(spike|dip|step)@(.+?)(?:=([0-9.]+))?")
_SIZE = 1.5  # logits of an event that does not say its size
_NAMES: Final = ("Lock", "Wharf", "Bridge", "Weir", "Basin", "Reach", "Cut", "Stair")


@dataclass(frozen=True, eq=False, repr=False)
class Plan:
    """The levels to be played: names, difficulties in logits, what was planted where, and the course whose legs they are."""

    names: list[str]
    difficulty: Floats
    planted: list[dict[str, object]]
    course: Course | None = None


def from_course(course: Course) -> Plan:
    """A course that is played as planned: a first try of a middling player clears with the target's chance.

    Raises:
        UsageError: a level has no target.
    """
    without = [level.name for level in course.levels if level.target_clear is None]
    if without:
        raise UsageError(f"{without[0]} has no target_clear; give it one in the course, or a difficulty with --difficulty.")
    chance = np.clip([level.target_clear or 0.5 for level in course.levels], 0.005, 0.995)
    return Plan(course.names(), np.log((1 - chance) / chance), [], course)


def from_shape(shape: str, levels: int) -> Plan:
    """A course of a named shape: flat, rising, a ramp that levels off half way, or a sawtooth."""
    place = np.linspace(0, 1, levels)
    curve = {
        "flat": np.full(levels, (_LOW + _HIGH) / 2),
        "rising": _LOW + (_HIGH - _LOW) * place,
        "ramp": _LOW + (_HIGH - _LOW) * np.minimum(1.0, 2 * place),
        "sawtooth": _LOW + (_HIGH - _LOW) * (np.arange(levels) % _CYCLE) / (_CYCLE - 1),
    }[shape]
    return Plan([f"{_NAMES[n % len(_NAMES)]} {n + 1}" for n in range(levels)], curve, [])


def with_difficulties(plan: Plan, given: list[str]) -> Plan:
    """The plan with some levels' difficulties set, each as ``NAME=LOGITS``.

    Raises:
        UsageError: a text is not of that form, or names no level.
    """
    difficulty = plan.difficulty.copy()
    for text in given:
        name, mark, value = text.rpartition("=")
        try:
            difficulty[_place(plan, name)] = float(value)
        except ValueError:
            raise UsageError(f"--difficulty {text!r}: write NAME=LOGITS, such as 'Low Arch=1.2'.") from None
        if not mark:
            raise UsageError(f"--difficulty {text!r}: write NAME=LOGITS, such as 'Low Arch=1.2'.")
    return replace(plan, difficulty=difficulty)


def plant_events(plan: Plan, events: list[str], roughness: float, rng: np.random.Generator) -> Plan:
    """The plan with unevenness from level to level, and events planted as ``KIND@LEVEL=SIZE``.

    Raises:
        UsageError: an event is not of that form, or names no level.
    """
    difficulty = plan.difficulty + rng.normal(0.0, roughness, len(plan.names))
    truth: list[dict[str, object]] = []
    for text in events:
        match = _PLANT.fullmatch(text)
        if match is None:
            raise UsageError(
                f"--plant {text!r}: write spike@LEVEL=SIZE, dip@LEVEL=SIZE or step@LEVEL=SIZE, such as 'spike@Low Arch=1.5'."
            )
        kind, name, size = match[1], match[2], float(match[3] or _SIZE)
        place = _place(plan, name)
        if kind == "step":
            difficulty[place:] += size
        else:
            difficulty[place] += size if kind == "spike" else -size
        truth.append({"kind": kind, "level": plan.names[place], "size": size})
    return replace(plan, difficulty=difficulty, planted=truth)


def _place(plan: Plan, name: str) -> int:
    """A level by its name in any spelling, or by its number from 1."""
    for place, planned in enumerate(plan.names):
        if fold_name(planned) == fold_name(name):
            return place
    if name.strip().isdecimal() and 1 <= int(name) <= len(plan.names):
        return int(name) - 1
    raise UsageError(f"no level is called {name!r}. The levels: {', '.join(plan.names[:30])}.")
