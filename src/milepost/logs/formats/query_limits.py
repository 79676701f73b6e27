"""Bounds on queries that a log map holds, which may be anybody's: memory, and time where some is set."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Event, Thread
from typing import Final

from milepost.memory_estimates import memory_of_machine

_SHARE: Final = 2  # of this machine's memory, one part in so many is the most that a query takes
_LEAST: Final = 256 << 20  # bytes
_AGAIN: Final = 0.1  # seconds
_UNKNOWN: Final = 2 << 30  # bytes, where the machine does not say how many it has


def query_memory() -> int:
    """How many bytes of memory a query may take."""
    machine = memory_of_machine()
    return max(_LEAST, _UNKNOWN if machine is None else machine // _SHARE)


@contextmanager
def stopped_after(seconds: float | None, stop: Callable[[], None]) -> Iterator[None]:
    """Have something stopped that goes on after so many seconds; never where these are None."""
    if seconds is None:
        yield
        return
    done = Event()

    def watch() -> None:
        waited = done.wait(seconds)
        while not waited:  # again and again, for a stop is forgotten that comes before the query has begun
            stop()
            waited = done.wait(_AGAIN)

    Thread(target=watch, daemon=True).start()
    try:
        yield
    finally:
        done.set()


def took_too_long(seconds: float | None) -> str:
    """Why a query was stopped."""
    if seconds is None:
        return "the query was interrupted."
    return f"the query was stopped after {seconds:g} s. Make it simpler, or raise query_seconds."
