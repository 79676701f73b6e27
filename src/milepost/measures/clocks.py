"""Other clocks for time in level: from the first input instead of the load, and with long silences cut short."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.errors import UsageError
from milepost.playback.play import P, with_records
from milepost.vocabulary import PAUSE, RESUME

if TYPE_CHECKING:
    from milepost.playback.play import FullPlay


def on_clock(play: P, clock: str = "load", idle_cap: float | None = None) -> P:
    """The play with the active time of its attempts taken by another clock.

    Args:
        play: a play.
        clock: `load`, from the opening of an attempt, or `input`, from its first input; an attempt without any input
            then lasts no time.
        idle_cap: seconds to which a stretch without a record, outside pauses, counts at most.

    Raises:
        UsageError: there is no such clock.
        RecordsGoneError: idle stretches are asked of a play that has let its records go.
    """
    if clock not in ("load", "input"):
        raise UsageError(f"clock={clock!r}: give 'load' or 'input'.")
    if clock == "load" and idle_cap is None:
        return play
    active = play.attempts.active
    if idle_cap is not None:
        active = active_without_idle(with_records(play), idle_cap)
    if clock == "input":
        settling = play.attempts.settling
        active = np.where(np.isnan(active), np.nan, np.where(np.isnan(settling), 0.0, np.maximum(0.0, active - settling)))
    return replace(play, attempts=replace(play.attempts, active=active))


def active_without_idle(play: FullPlay, cap: float) -> Floats:
    """Per attempt, its active seconds, of which a stretch without a record, outside pauses, counts so many at most."""
    active: Floats = np.maximum(0.0, play.attempts.active - _beyond(play, cap))
    return active


def _beyond(play: FullPlay, cap: float) -> Floats:
    """Per attempt, the seconds by which silences in it go beyond the cap."""
    records, order = play.gated.log.records, play.gated.order
    gap = np.diff(records.time[order], append=0.0)
    gap[-1:] = 0.0
    excess = np.where((gap > cap) & ~_paused(play), gap - cap, 0.0)
    table = play.attempts
    if not len(table):
        return np.zeros(0)
    ends = np.stack((table.opened_at, table.closed_at), axis=1).astype(np.int64)
    sums = np.add.reduceat(np.append(excess, 0.0), ends.ravel())[::2]  # each by itself, so that parts give just the same
    return np.where(ends[:, 0] < ends[:, 1], sums, 0.0)


def _paused(play: FullPlay) -> Bools:
    """Per record in replay order, whether a pause goes on after it."""
    event = play.gated.log.records.event[play.gated.order]
    if not len(event):
        return np.zeros(0, np.bool_)
    session = play.gated.log.records.session[play.gated.order]
    switch = np.where(np.isin(event, (PAUSE, RESUME)), np.arange(len(event)), -1)
    last = np.maximum.accumulate(switch)
    paused: Bools = (last >= 0) & (event[last] == PAUSE) & (session[last] == session)
    return paused
