"""Modules of plain loops compiled with Numba: the same source, every function of it, kept in the user's cache.

The first time on a machine that takes a while; after that the compiled code lies under a name that changes with the source.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from hashlib import sha256
from importlib.util import find_spec, module_from_spec
from inspect import getmembers, isfunction
from pathlib import Path
from types import ModuleType
from typing import Any, Final

# No counting of references, and nothing handed from function to function: these would take nine tenths of the time.
_BARE: Final[dict[str, Any]] = {"_nrt": False, "forceinline": True}
_ANY_ORDER: Final[dict[str, Any]] = {"fastmath": {"reassoc", "contract"}}  # sums several numbers at a time


def available() -> bool:
    """Whether Numba is installed."""
    return find_spec("numba") is not None


@cache
def compiled_functions(modules: tuple[str, ...], numeric: bool = False) -> dict[str, Callable[..., Any]]:
    """The functions of some modules by name, compiled once a process; they may call each other.

    Args:
        modules: their names; each is loaded a second time, so that the first instance stays plain.
        numeric: whether their sums may be taken in any order.
    """
    from numba import njit

    copies = [_copy(name) for name in modules]
    folder = cache_folder(modules)
    made = njit(cache=folder is not None, **_BARE, **(_ANY_ORDER if numeric else {}))
    with _kept_in(folder):
        compiled: dict[str, Any] = {
            name: made(function)
            for copy in copies
            for name, function in getmembers(copy, isfunction)
            if function.__module__ == copy.__name__
        }
    for copy in copies:  # each calls the others by these names
        vars(copy).update({name: function for name, function in compiled.items() if name in vars(copy)})
    return compiled


@contextmanager
def _kept_in(folder: Path | None) -> Iterator[None]:
    """Have functions made here kept in a folder, and those of whoever uses Mile Post as a library where they were."""
    from numba import config

    before = getattr(config, "CACHE_DIR")  # noqa: B009  # no name that its types know
    setattr(config, "CACHE_DIR", str(folder or before))  # noqa: B010
    try:
        yield
    finally:
        setattr(config, "CACHE_DIR", before)  # noqa: B010


def _copy(name: str) -> ModuleType:
    spec = find_spec(name)
    if spec is None or spec.loader is None:
        raise ImportError(name)
    copy = module_from_spec(spec)
    spec.loader.exec_module(copy)
    return copy


def is_kept(modules: tuple[str, ...]) -> bool:
    """Whether the compiled code of these modules lies in the user's cache already."""
    folder = cache_folder(modules)
    return folder is not None and any(folder.rglob("*.nbi"))


def cache_folder(modules: tuple[str, ...]) -> Path | None:
    """Where the compiled code of these modules is kept; None where nothing can be."""
    digest = sha256(Path(__file__).read_bytes())  # which says how they are compiled
    for name in modules:
        spec = find_spec(name)
        digest.update(Path(str(spec.origin if spec else "")).read_bytes())
    base = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    folder = base / "milepost" / digest.hexdigest()[:16]
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError:
        return None
    return folder if os.access(folder, os.W_OK) else None
