"""The state machine compiled, for logs of millions of records."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

import numpy as np

from milepost.compiling import compiled_functions, is_kept
from milepost.playback.tape import FLOATS, NOWHERE, TRUTHS, State

MODULES: Final = tuple(f"milepost.playback.{name}" for name in ("attempting", "noting", "transitions", "running", "machine"))


def run_sessions() -> Callable[..., None]:
    """The compiled ``machine.run_sessions``; it takes arrays and a record of the state."""
    return compiled_functions(MODULES)["run_sessions"]


def waits() -> bool:
    """Whether it has to be compiled first, which takes a while."""
    return not is_kept(MODULES)


def empty_state() -> object:
    """A state as a record that compiled code can write to."""
    kinds = [(name, np.bool_ if name in TRUTHS else np.float64 if name in FLOATS else np.int64) for name in State.__slots__]
    state = np.zeros(1, np.dtype(kinds)).view(np.recarray)[0]
    state.player = state.over = NOWHERE  # as a plain one begins
    return state
