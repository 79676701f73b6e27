"""Survival curves of right-censored values: one table of who was at risk, from which the quantiles are read."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Floats, Ints

TOLERANCE = 1e-9


@dataclass(frozen=True)
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


def kaplan_meier(values: Floats, event: Bools) -> Curve:
    """The product-limit estimate; values that differ by at most 1e-9 are one, and events come before cut-offs there.

    Args:
        values: per subject, when it had its event or was cut off.
        event: per subject, whether it had its event.

    Source: E. L. Kaplan and P. Meier, "Nonparametric estimation from incomplete observations", JASA 53 (1958).
    """
    order = np.argsort(values, kind="stable")
    values, event = values[order], event[order]
    new = np.ones(len(values), np.bool_)
    new[1:] = np.diff(values) > TOLERANCE
    starts = np.flatnonzero(new)
    at_risk = len(values) - starts
    events = np.add.reduceat(event.astype(np.int64), starts) if len(starts) else np.zeros(0, np.int64)
    survival = np.cumprod(1.0 - events / at_risk).astype(np.float64)
    return Curve(values[starts], at_risk, events, survival)
