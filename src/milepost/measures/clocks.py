"""Other clocks for time in level: from the first input instead of the load, and with long silences cut short."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from milepost.errors import UsageError
from milepost.playback.idle import active_without_idle
from milepost.playback.play import P, with_records


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
