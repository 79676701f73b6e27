"""Other clocks for time in level: from the first input instead of the load, and with long silences cut short."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from milepost.logs.interface import Bools, Floats
from milepost.playback.play import Play
from milepost.vocabulary import PAUSE, RESUME


def on_clock(play: Play, clock: str = "load", idle_cap: float | None = None) -> Play:
    """The play with the active time of its attempts taken by another clock.

    Args:
        play: a play.
        clock: `load`, from the opening of an attempt, or `input`, from its first input; an attempt without any input
            then lasts no time.
        idle_cap: seconds to which a stretch without a record, outside pauses, counts at most.
    """
    active = play.attempts.active
    if idle_cap is not None:
        active = np.maximum(0.0, active - _beyond(play, idle_cap))
    if clock == "input":
        settling = play.attempts.settling
        active = np.where(np.isnan(active), np.nan, np.where(np.isnan(settling), 0.0, np.maximum(0.0, active - settling)))
    return replace(play, attempts=replace(play.attempts, active=active))


def _beyond(play: Play, cap: float) -> Floats:
    """Per attempt, the seconds by which silences in it go beyond the cap."""
    records, order = play.gated.log.records, play.gated.order
    gap = np.diff(records.time[order], append=0.0)
    gap[-1:] = 0.0
    excess = np.where((gap > cap) & ~_paused(play), gap - cap, 0.0)
    total = np.concatenate(([0.0], np.cumsum(excess)))
    table = play.attempts
    return total[table.closed_at] - total[table.opened_at]


def _paused(play: Play) -> Bools:
    """Per record in replay order, whether a pause goes on after it."""
    event = play.gated.log.records.event[play.gated.order]
    if not len(event):
        return np.zeros(0, np.bool_)
    session = play.gated.log.records.session[play.gated.order]
    switch = np.where(np.isin(event, (PAUSE, RESUME)), np.arange(len(event)), -1)
    last = np.maximum.accumulate(switch)
    paused: Bools = (last >= 0) & (event[last] == PAUSE) & (session[last] == session)
    return paused
