"""Survival curves of right-censored values: one table of who was at risk, from which the quantiles are read."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.numerics.intervals import NO_INTERVAL, Interval, log_log_ends

TOLERANCE = 1e-9


@dataclass(frozen=True, eq=False, repr=False)
class Curve:
    """A Kaplan-Meier curve: per distinct value, rising, the number at risk, of events, and survival after it."""

    value: Floats
    at_risk: Ints
    events: Ints
    survival: Floats

    def quantile(self, share: float) -> float | None:
        """The least value at which survival is at most 1 - share; None where that is never reached."""
        reached = np.flatnonzero(self.survival <= 1 - share + TOLERANCE)
        return float(self.value[reached[0]]) if len(reached) else None

    def quantile_interval(self, share: float) -> Interval:
        """The 95 % interval of a quantile: the values at which survival may be 1 - share; an end that is not reached is None.

        Where not even the lower end is reached, it is the greatest value, beyond which the quantile has to be.

        Source: R. Brookmeyer and J. Crowley, "A confidence interval for the median survival time", Biometrics 38 (1982).
        """
        if not len(self.value):
            return NO_INTERVAL
        left = self.at_risk - self.events
        with np.errstate(divide="ignore", invalid="ignore"):
            greenwood = np.cumsum(np.where(left > 0, self.events / (self.at_risk * left), 0.0))
        lower, upper = log_log_ends(self.survival, greenwood)
        first, last = (np.flatnonzero(side <= 1 - share + TOLERANCE) for side in (lower, upper))
        low = float(self.value[first[0]] if len(first) else self.value[-1])
        return low, float(self.value[last[0]]) if len(last) else None


def kaplan_meier(values: Floats, event: Bools, count: Ints | None = None) -> Curve:
    """The product-limit estimate; values that differ by at most 1e-9 are one, and events come before cut-offs there.

    Args:
        values: per subject, when it had its event or was cut off.
        event: per subject, whether it had its event.
        count: how many such subjects there are; one each where it is not given.

    Source: E. L. Kaplan and P. Meier, "Nonparametric estimation from incomplete observations", JASA 53 (1958).
    """
    order = np.argsort(values, kind="stable")
    values, event = values[order], event[order]
    count = np.ones(len(values), np.int64) if count is None else count[order]
    new = np.ones(len(values), np.bool_)
    new[1:] = np.diff(values) > TOLERANCE
    starts = np.flatnonzero(new)
    at_risk = int(count.sum()) - (np.cumsum(count) - count)[starts]
    events = np.add.reduceat(event * count, starts) if len(starts) else np.zeros(0, np.int64)
    survival = np.cumprod(1.0 - events / at_risk).astype(np.float64)
    return Curve(values[starts], at_risk, events, survival)
