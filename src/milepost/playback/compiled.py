"""The state machine compiled, for logs of millions of records: the same source, with every function through Numba.

The first time on a machine that takes half a minute; after that the compiled code lies in the user's cache, under a
name that changes with the source.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from hashlib import sha256
from importlib.util import find_spec, module_from_spec
from inspect import getmembers, isfunction
from pathlib import Path
from types import ModuleType
from typing import Any, Final

import numpy as np

from milepost.playback.tape import FLOATS, TRUTHS, State

_UNCOUNTED: Final[dict[str, Any]] = {"_nrt": False}  # no counting of references, which would take half of the time
_MODULES: Final = ("milepost.playback.attempting", "milepost.playback.machine")


def available() -> bool:
    """Whether Numba is installed."""
    return find_spec("numba") is not None


def run_sessions() -> Callable[..., None]:
    """The compiled ``machine.run_sessions``; it takes arrays and a record of the state."""
    from numba import config, njit

    copies = [_copy(name) for name in _MODULES]
    cache = _cache_folder()
    if cache is not None:
        setattr(config, "CACHE_DIR", str(cache))  # noqa: B010  # no name that its types know
    compiled: dict[str, Any] = {}
    for copy in copies:
        for name, function in getmembers(copy, isfunction):
            if function.__module__ == copy.__name__:
                compiled[name] = njit(cache=cache is not None, **_UNCOUNTED)(function)
    for copy in copies:  # each calls the others by these names
        vars(copy).update({name: function for name, function in compiled.items() if name in vars(copy)})
    runner: Callable[..., None] = compiled["run_sessions"]
    return runner


def empty_state() -> Any:
    """A state as a record that compiled code can write to."""
    kinds = [(name, np.bool_ if name in TRUTHS else np.float64 if name in FLOATS else np.int64) for name in State.__slots__]
    return np.zeros(1, np.dtype(kinds)).view(np.recarray)[0]


def _copy(name: str) -> ModuleType:
    """A second instance of a module, so that the first stays plain."""
    spec = find_spec(name)
    if spec is None or spec.loader is None:
        raise ImportError(name)
    copy = module_from_spec(spec)
    spec.loader.exec_module(copy)
    return copy


def _cache_folder() -> Path | None:
    """Where compiled code is kept; None where nothing can be."""
    digest = sha256()
    for name in _MODULES:
        spec = find_spec(name)
        digest.update(Path(str(spec.origin if spec else "")).read_bytes())
    base = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    folder = base / "milepost" / digest.hexdigest()[:16]
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError:
        return None
    return folder if os.access(folder, os.W_OK) else None
