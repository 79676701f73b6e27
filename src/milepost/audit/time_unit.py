"""The unit of a log's times, inferred from the length of tries, from gaps between records, and from planned times."""

from __future__ import annotations

from math import log
from typing import Final, NamedTuple

import numpy as np

from milepost.measures.sums.time_counts import TypicalTimes
from milepost.playback.play import Summed
from milepost.playback.tallies import tallies_of
from milepost.wording import seconds

# How many of each a second has, and how a log map says so.
_UNITS: Final = {
    "days": 1 / 86_400,
    "hours": 1 / 3600,
    "minutes": 1 / 60,
    "seconds": 1.0,
    "frames": 60.0,
    "milliseconds": 1e3,
    "microseconds": 1e6,
    "nanoseconds": 1e9,
}
_SET_BY: Final = {
    "days": 'unit = "days"',
    "hours": 'unit = "h"',
    "minutes": 'unit = "min"',
    "frames": 'unit = "frames" and rate = 60',
    "milliseconds": 'unit = "ms"',
    "microseconds": 'unit = "us"',
    "nanoseconds": 'unit = "ns"',
}
_COUNTED: Final = ("frames", "milliseconds", "microseconds", "nanoseconds")  # which have no fractions
_TELLING: Final = 5.0  # by how much another unit has to fit better, in squared standard deviations
_SHORTEST: Final = 1.0  # seconds; a median try that is shorter is not believed
_WHOLE: Final = 0.98  # share of whole numbers among times that are counted
_LEAST: Final = 5  # tries


class Guess(NamedTuple):
    """A unit that fits far better than seconds.

    Attributes:
        unit: its name.
        tries: how many tries say so.
        why: what was seen and what to do, as a sentence without its stop.
    """

    unit: str
    tries: int
    why: str


def guessed_unit(play: Summed) -> Guess | None:
    """The unit that fits a log's times far better than seconds; None where there is none, or all times are stamps."""
    times = play.sums(TypicalTimes)
    typical = times.settled.median()
    if typical is None or times.settled.total < _LEAST or not times.numeric:
        return None
    signs = _signs(play, typical)
    odd = {
        unit: sum(((log(value) - log(usual) - log(size)) / spread) ** 2 for value, usual, spread in signs)
        for unit, size in _UNITS.items()
    }
    counted, short = tallies_of(play).whole >= _WHOLE, typical < _SHORTEST
    odd = {unit: value for unit, value in odd.items() if unit == "seconds" or (counted if unit in _COUNTED else short)}
    best = min(odd, key=lambda unit: odd[unit])
    if best == "seconds" or odd["seconds"] - odd[best] < _TELLING:
        return None
    took = seconds(typical) if typical >= 0.1 else f"{typical:.2g} s"
    why = f"the median try takes {took}: are these {best}? Set {_SET_BY[best]} under [time] in a log map"
    return Guess(best, times.settled.total, why)


def _signs(play: Summed, typical: float) -> list[tuple[float, float, float]]:
    """Figures that show the unit, each with what it is in seconds as a rule, and how far its logarithm spreads."""
    signs = [(typical, 30.0, 1.3)]
    gaps = tallies_of(play).gap
    if gaps is not None:
        signs.append((gaps, 8.0, 1.3))
    to_clear = play.sums(TypicalTimes).to_clear
    over = [
        median / level.par_seconds
        for n, level in enumerate(play.course.levels if play.course else ())
        if level.par_seconds and (median := to_clear.at(n).median())
    ]
    if over:
        signs.append((float(np.median(over)), 1.2, 0.7))
    return signs
