"""Fits the model of tries and reads the course, looking again where a level may be easier than expected."""

from __future__ import annotations

from dataclasses import replace
from typing import Final

import numpy as np

from milepost.difficulty.anomalies import Reading, read_events
from milepost.numerics.tries_of_items import TriesOfItems
from milepost.numerics.try_model import Fit, fit_around, fit_tries

_MAYBE_EASIER: Final = -0.7  # logits of excess from which a level is looked at again


def read_tries(tries: TriesOfItems, n_levels: int) -> tuple[Fit, Reading]:
    """The fitted difficulties, and the course read from them.

    The likelihood of a level that nearly every try clears is steep towards harder and flat towards easier, so the usual
    standard error makes too little of it. Such levels are read from the likelihood's shape half way to what the others
    lead one to expect.
    """
    fit = fit_tries(tries, n_levels)
    reading = read_events(fit.difficulty, fit.covariance)
    maybe = (reading.excess < _MAYBE_EASIER) & (np.bincount(tries.item, minlength=n_levels) > 0)
    if not maybe.any():
        return fit, reading
    half_way = np.where(maybe, fit.difficulty - reading.excess / 2, fit.difficulty)
    near, covariance = fit_around(fit, half_way, tries)
    again = read_events(near, covariance)
    return fit, replace(again, excess=np.where(maybe, fit.difficulty - again.expected, again.excess))
