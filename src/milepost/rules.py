"""The settings of a replay, in one frozen object."""

from __future__ import annotations

from dataclasses import dataclass
from math import isfinite

from milepost.errors import UsageError


@dataclass(frozen=True)
class ReplayRules:
    """How a log is replayed.

    Attributes:
        repeat_window: seconds within which the same thing again is a repeat.
        instant: seconds; a clear sooner than this is named `instant_clear`.
        implied_complete: for logs without completions, moving on clears the level played.
        keep_debug: keep sessions tagged `debug`.
        keep_shortcuts: go on after a skip.
    """

    repeat_window: float = 0.25
    instant: float = 0.5
    implied_complete: bool = False
    keep_debug: bool = False
    keep_shortcuts: bool = False

    def __post_init__(self) -> None:
        for name in ("repeat_window", "instant"):
            value = getattr(self, name)
            if isinstance(value, bool) or not isinstance(value, int | float) or not isfinite(value) or value < 0:
                raise UsageError(f"{name} must be a number of seconds from 0 up, not {value!r}.")
