"""Candidates for events along a course: a spike, a dip, a wall of two, a step that stays, a fall, teeth; and their priors."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from milepost.arrays import Floats

SPIKE, DIP, WALL, STEP, FALL, TEETH = range(6)
# Of each of these, the height's mean and standard deviation, were it not above zero, on a course of usual roughness. Spikes are
# rarely as low as what a course does by itself; on a rougher one they are higher.
HEIGHT_MEAN: Final = (1.4, 0.0, 0.0, 0.0, 0.0, 0.0)
HEIGHT_SD: Final = (0.65, 1.3, 1.3, 1.2, 1.2, 1.2)
_PRIOR = (1.2, 0.2, 0.3, 0.4, 0.15, 0.4)  # expected number of each in a course
_PERIODS = range(4, 13)  # levels of a tooth, in a course that rises and begins anew, chapter by chapter
_SIDE = 3  # levels on each side of a step


@dataclass(frozen=True)
class Event:
    """A candidate: its kind and the level at which it stands or begins."""

    kind: int
    level: int
    period: int = 0  # of teeth

    def shape(self, n: int) -> Floats:
        """Per level, how far the event raises it, of its height."""
        if self.kind == TEETH:
            rise: Floats = ((np.arange(n) - self.level) % self.period) / (self.period - 1) - 0.5
            return rise
        shape = np.zeros(n)
        last = {SPIKE: self.level + 1, DIP: self.level + 1, WALL: self.level + 2}.get(self.kind, n)
        shape[self.level : last] = -1.0 if self.kind in (DIP, FALL) else 1.0
        return shape

    @property
    def stays(self) -> bool:
        """Return whether it belongs to the course's own way, not to one level."""
        return self.kind in (STEP, FALL, TEETH)


def candidates(n: int) -> list[Event]:
    """Every event that a course of so many levels may have."""
    single = [Event(kind, level) for kind in (SPIKE, DIP) for level in range(n)]
    walls = [Event(WALL, level) for level in range(n - 1)] if n >= 5 else []
    stays = [Event(kind, level) for kind in (STEP, FALL) for level in range(_SIDE, n - _SIDE + 1)]
    periods = [period for period in _PERIODS if 2 * period <= n]
    teeth = [Event(TEETH, level, period) for period in periods for level in range(period)]
    return [*single, *walls, *stays, *teeth]


def prior_log_odds(events: list[Event]) -> Floats:
    """Per candidate, the log odds that the course has it: each kind's expected number, shared out among its candidates."""
    counts = np.bincount([event.kind for event in events], minlength=len(_PRIOR))
    share = np.array([_PRIOR[event.kind] / counts[event.kind] for event in events])
    odds: Floats = np.log(share / (1 - np.minimum(share, 0.5)))
    return odds
