"""Verdicts on a plan: met, missed or undecided, and how many players would decide it."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, inf
from typing import Final, Literal

from milepost.numerics.intervals import NO_INTERVAL, Interval

Verdict = Literal["met", "missed", "no_telling"]
MOST_NEEDED: Final = 100_000  # players beyond which a number of them says no more than: never


@dataclass(frozen=True)
class Goal:
    """A target: values from ``low`` to ``high`` fulfil it."""

    low: float = -inf
    high: float = inf

    def holds(self, value: float) -> bool:
        """Return whether a value fulfils it."""
        return self.low - 1e-9 <= value <= self.high + 1e-9

    def apart(self, low: float, high: float) -> bool:
        """Return whether no value of an interval fulfils it."""
        return high < self.low - 1e-9 or low > self.high + 1e-9

    def distance(self, value: float) -> float:
        """How far a value is from fulfilling it."""
        return max(self.low - value, value - self.high, 0.0)


@dataclass(frozen=True)
class Measured:
    """A measured value beside its target.

    Attributes:
        value: the figure; None where it is not known.
        interval: its 95 % interval; an end that is not known is None, and of a figure that has no interval both are.
        players: how many players are behind it.
        open_ended: whether an unknown upper end means that the data do not bound it.
    """

    value: float | None
    interval: Interval = NO_INTERVAL
    players: int = 0
    open_ended: bool = False


def judged(goal: Goal, measured: Measured) -> Verdict:
    """The verdict: met by the figure itself, missed where all of its interval fails it, undecided in between."""
    value, (low, high) = measured.value, measured.interval
    if value is not None and goal.holds(value):
        return "met"
    if low is None and high is None:
        return "missed" if value is not None else "no_telling"
    least = low if low is not None else -inf
    most = high if high is not None else inf if measured.open_ended or value is None else value
    return "missed" if goal.apart(least, most) else "no_telling"


def players_needed(goal: Goal, measured: Measured) -> int | None:
    """How many players would tell, were the figure what was measured: intervals shrink with the root of their number.

    None where it is told already, where the figure is not known, or where no number of players that anybody has would do.
    """
    value, (low, high) = measured.value, measured.interval
    if value is None or judged(goal, measured) != "no_telling":
        return None
    end = low if value > goal.high else high
    away = goal.distance(value)
    if end is None or away <= 0:
        return None
    needed = ceil(measured.players * (abs(value - end) / away) ** 2)
    return max(measured.players + 1, needed) if needed <= MOST_NEEDED else None
