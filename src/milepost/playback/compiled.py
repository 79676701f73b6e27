"""The state machine compiled, for logs of millions of records."""

from __future__ import annotations

from typing import Any, Final

import numpy as np

from milepost.compiling import Compiled
from milepost.playback.machine_io import FLOATS, NOWHERE, TRUTHS, State

MODULES: Final = tuple(f"milepost.playback.{name}" for name in ("machine_actions", "machine_moves", "run_rules", "machine"))
run_sessions: Final = Compiled(MODULES, "run_sessions")  # it takes arrays, and a record of the state


def empty_state() -> Any:
    """A state as a record that compiled code can write to: an array without dimensions."""
    kinds = [(name, np.bool_ if name in TRUTHS else np.float64 if name in FLOATS else np.int64) for name in State.__slots__]
    state = np.zeros((), np.dtype(kinds)).view(np.recarray)
    state.player = state.over = NOWHERE  # as a plain one begins
    return state
