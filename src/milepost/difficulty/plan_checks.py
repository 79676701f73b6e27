"""The plan beside the measures: targets, knobs that jump where a level stands out, and inversions."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.course.course import Course, Level
from milepost.difficulty.row_types import Cap, Change, EqualLevels, Inversion, KnobNotes
from milepost.measures.attempts import AttemptsRow
from milepost.numerics.intervals import Z95, t_quantile
from milepost.numerics.try_model import Fit

_TARGET_SLACK = 0.05  # a single target stands for a range of so much to each side
_LONG_ENOUGH = 4  # levels on each side of a cap
_JUMP = 2.5  # times the usual step from which a knob's change is a jump


def judge_against_plan(level: Level | None, row: AttemptsRow) -> str | None:
    """Return the verdict on the try-clear rate: below, in or above the plan, or too few to tell; None without a plan."""
    if level is None or level.target_clear is None:
        return None
    low, high = level.target_range or (level.target_clear - _TARGET_SLACK, level.target_clear + _TARGET_SLACK)
    rate, least, most = row["try_clear"], row["try_clear_low"], row["try_clear_high"]
    if rate is None or least is None or most is None:
        return "too few to tell"
    if most < low:
        return "below"
    if least > high:
        return "above"
    return "in" if low <= rate <= high else "too few to tell"


def list_knob_jumps(course: Course, place: int) -> list[Change]:
    """The knobs that jump at a level, by how often their usual step, and those that are new there.

    A knob whose direction the course declares (`harder`) is listed only where it moves that way.
    """
    levels = course.levels
    rows: list[Change] = []
    for name, value in levels[place].knobs.items():
        before = levels[place - 1].knobs.get(name) if place else None
        if before is None and place:
            rows.append({"knob": name, "from": None, "to": value, "times_usual": None})
        elif _number(value) and _number(before) and value != before:
            usual = _usual_step(levels, name, place)
            jump = abs(value - before) / usual if usual else None
            is_harder = {"up": value > before, "down": value < before}.get(course.harder.get(name, ""), True)
            if is_harder and jump is not None and jump >= _JUMP:
                rows.append({"knob": name, "from": before, "to": value, "times_usual": jump})
    return rows


def _number(value: object) -> bool:
    return type(value) in (int, float)


def _usual_step(levels: Sequence[Level], name: str, place: int) -> float | None:
    """The median step of a knob between neighbours that differ in it, the level's own aside."""
    values = [level.knobs.get(name) for level in levels]
    steps = [
        abs(float(after) - float(before))
        for number, (before, after) in enumerate(zip(values, values[1:], strict=False), 1)
        if number not in (place, place + 1)
        and _number(before)
        and _number(after)
        and after != before
        and before is not None
        and after is not None
    ]
    return float(np.median(steps)) if steps else None


def find_inversions(names: Sequence[str], fit: Fit, leg: Ints) -> list[Inversion]:
    """Neighbours of which the later is easier than the earlier, beyond what chance does in one of forty.

    A level beside others in its leg has no place of its own in the order, so that nothing is said of it.

    Args:
        names: of the levels.
        fit: their difficulties.
        leg: per level, the number of its leg.
    """
    rows = []
    alone = np.bincount(leg)[leg[: len(fit.difficulty)]] == 1
    for place in np.flatnonzero(alone[:-1] & alone[1:]).tolist():
        drop = float(fit.difficulty[place] - fit.difficulty[place + 1])
        covariance = fit.covariance[place : place + 2, place : place + 2]
        se = float(np.sqrt(covariance[0, 0] + covariance[1, 1] - 2 * covariance[0, 1]))
        if drop > Z95 * se:
            low, high = drop - Z95 * se, drop + Z95 * se
            rows.append(Inversion(level=names[place + 1], easier_than=names[place], by=drop, se=se, low=low, high=high))
    return rows


def knob_notes(course: Course, fit: Fit) -> KnobNotes:
    """Return notes on knobs: where one stops growing and what difficulty does then, and how levels with equal knobs differ."""
    levels = course.levels
    names = list(dict.fromkeys(name for level in levels for name in level.knobs))
    caps = [cap for name in names if (cap := _cap(levels, name, fit)) is not None]
    equal = [
        _equal(levels, fit, a, b)
        for a in range(len(levels))
        for b in range(a + 1, len(levels))
        if levels[a].knobs and levels[a].knobs == levels[b].knobs
    ]
    return KnobNotes(caps=caps, equal_levels=equal)


def _equal(levels: Sequence[Level], fit: Fit, a: int, b: int) -> EqualLevels:
    difference = float(fit.difficulty[b] - fit.difficulty[a])
    se = float(np.sqrt(fit.covariance[a, a] + fit.covariance[b, b] - 2 * fit.covariance[a, b]))
    names = [levels[a].name, levels[b].name]
    return EqualLevels(levels=names, difference=difference, se=se, low=difference - Z95 * se, high=difference + Z95 * se)


def _cap(levels: Sequence[Level], name: str, fit: Fit) -> Cap | None:
    """The level from which a knob stays as it is to the end, with the slope of difficulty before and after."""
    values = [level.knobs.get(name) for level in levels]
    last = max((n for n in range(1, len(values)) if values[n] != values[n - 1]), default=0)
    if not _LONG_ENOUGH <= last <= len(values) - _LONG_ENOUGH:
        return None
    before, before_low, before_high = _slope(fit.difficulty[: last + 1])
    after, after_low, after_high = _slope(fit.difficulty[last:])
    return Cap(
        knob=name,
        level=levels[last].name,
        value=values[last],
        slope_before=before,
        slope_before_low=before_low,
        slope_before_high=before_high,
        slope_after=after,
        slope_after_low=after_low,
        slope_after_high=after_high,
    )


def _slope(values: Floats) -> tuple[float, float, float]:
    """Logits a level, by least squares, with an interval by how unevenly the levels lie about the line."""
    place = np.arange(len(values)) - (len(values) - 1) / 2
    slope = float(place @ values / (place @ place))
    rest = values - values.mean() - slope * place
    freedom = len(values) - 2
    half = t_quantile(freedom) * float(np.sqrt(rest @ rest / freedom / (place @ place)))
    return slope, slope - half, slope + half
