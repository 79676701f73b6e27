"""Which unit times are in, and which column says how long a try took: told by when tries follow each other."""

from __future__ import annotations

from itertools import product
from math import exp, log
from typing import Final, NamedTuple

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.drafts.sampled_table import CellColumn, SampledTable
from milepost.logs.mapping.languages import score_heading

UNITS: Final = {"s": 1.0, "ms": 1e3, "us": 1e6, "ns": 1e9, "frames": 60.0, "min": 1 / 60, "h": 1 / 3600, "days": 1 / 86_400}
_PRIORS: Final = {"s": 1.0, "ms": 1.0, "frames": 0.25, "us": 0.3, "ns": 0.2, "min": 0.05, "h": 0.02, "days": 0.05}
_TYPICAL, _SPREAD = 20.0, 1.3  # seconds that tries take, and the spread of their logarithms over games
_EPOCHS: Final = (("ns", 1e17), ("us", 1e14), ("ms", 1e11), ("s", 1e8))
_NAMES: Final = {
    "ms": ("ms", "milli"),
    "frames": ("tick", "frame"),
    "us": ("us", "micro"),
    "s": ("sec", "seconds"),
    "min": ("min",),
    "h": ("hour",),
    "days": ("day", "serial"),
}
_FACTORS: Final = (1.0, 1e-3, 60.0, 1e3)  # by which durations may be in another unit than times
_FILLED: Final = 0.75  # of the time between rows, as far as it is told, that durations have to fill
_ENOUGH: Final = 8
_NO_CLOCK: Final = 0.3  # how much a heading of time speaks for a duration, beside one of durations


class Unit(NamedTuple):
    """A unit of time, and the next likeliest where it is not certain."""

    name: str
    runner_up: str | None
    why: str


def guess_time_unit(times: Floats, tries: Floats, name: str) -> Unit:
    """Return the unit of numeric times.

    Args:
        times: all of them.
        tries: how long tries took, in that unit.
        name: the column's heading.
    """
    largest = float(np.nanmax(times)) if np.isfinite(times).any() else 0.0
    for unit, least in _EPOCHS:
        if largest >= least and (unit != "s" or float(np.nanmin(times)) >= least):
            return Unit(unit, None, f"times since 1970, up to {largest:.0f}")
    usable = tries[np.isfinite(tries) & (tries > 0)]
    if not len(usable):
        return Unit("s", "ms", "no try whose duration could be told")
    middle = float(np.median(usable))
    fits = {}
    for unit, size in UNITS.items():
        named = any(part in name.lower() for part in _NAMES.get(unit, ()))
        fits[unit] = _PRIORS[unit] * (8.0 if named else 1.0) * exp(-0.5 * (log(middle / size / _TYPICAL) / _SPREAD) ** 2)
    best, second = sorted(fits, key=lambda unit: -fits[unit])[:2]
    doubtful = fits[second] > 0.2 * fits[best]
    return Unit(best, second if doubtful else None, f"half of the tries take {middle / UNITS[best]:.3g} seconds so")


class Duration(NamedTuple):
    """A column that says how long a try took, and how its rows are timed.

    Attributes:
        column: the column.
        factor: what its numbers are multiplied with to be in the unit of the times.
        ended: whether the row's time is that of its end.
    """

    column: CellColumn
    factor: float
    ended: bool


def duration_column(table: SampledTable, taken: set[str], groups: Ints, times: Floats | None) -> Duration | None:
    """Return the column that says how long a row's try took; None where none does."""
    scored: list[tuple[float, Duration]] = []
    for column in table.columns.values():
        values = column.numbers
        if column.name in taken or values is None or column.given < 0.6 or len(column.words) < 4 or np.nanmin(values) < 0:
            continue
        heading = score_heading("lasted", column.name)
        if times is None:
            # The time that it took, where no clock rises.
            heading = heading or _NO_CLOCK * score_heading("time", column.name)
            if heading:
                scored.append((heading, Duration(column, 1.0, False)))
            continue
        for factor, ended in product(_FACTORS, (False, True)):
            fit = _spacing_fit(groups, times, values * factor, ended)
            if fit > _FILLED:
                scored.append((fit + 0.2 * heading, Duration(column, factor, ended)))
    return max(scored, key=lambda pair: pair[0])[1] if scored else None


def _spacing_fit(groups: Ints, times: Floats, lasted: Floats, ended: bool) -> float:
    """How well durations fill the time between a row and the next, or, where times are of the end, the one before."""
    order = np.lexsort((np.arange(len(times)), times, groups))
    same = (np.diff(groups[order]) == 0) & (groups[order][1:] >= 0)
    steps = np.diff(times[order])[same]
    durations = (lasted[order][1:] if ended else lasted[order][:-1])[same]
    use = np.isfinite(steps) & np.isfinite(durations) & (durations > 0)
    steps, durations = steps[use], durations[use]
    if len(durations) < _ENOUGH:
        return 0.0
    inside = float((steps >= durations * 0.98 - 1.01).mean())
    filled = float(np.median(np.minimum(1.0, durations / np.maximum(steps, 1e-9))))
    close = steps < np.quantile(steps, 0.9) + 1e-9
    tied = (
        float(np.corrcoef(steps[close], durations[close])[0, 1])
        if close.sum() > 3 and np.std(durations[close]) > 0 < np.std(steps[close])
        else 0.0
    )
    return min(inside, 0.3 + 0.7 * filled) * (0.5 + 0.5 * max(0.0, tied))


def ended_column(table: SampledTable, taken: set[str], groups: Ints, times: Floats) -> CellColumn | None:
    """Return the column that says when a row's try ended, where another says when it began."""
    order = np.lexsort((times, groups))
    same = (np.diff(groups[order]) == 0) & (groups[order][1:] >= 0)
    for column in table.columns.values():
        read = column.times
        if column.name in taken or read is None or column.given < 0.6:
            continue
        ends = read[0]
        after = float(np.mean((ends >= times)[np.isfinite(ends)]))
        before_next = float(np.mean((ends[order][:-1] <= times[order][1:] + 1.0)[same])) if same.any() else 0.0
        if after >= 0.98 and before_next >= 0.95 and float(np.nanmedian(ends - times)) > 0:
            return column
    return None
