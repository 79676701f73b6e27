"""What a command says on the way, and the status with which it ends."""

from __future__ import annotations

import logging
import sys
from contextlib import suppress
from enum import IntEnum
from typing import Final

LOGGER: Final = logging.getLogger("milepost")
_HANDLER_NAME: Final = "milepost's own"
_FORMAT: Final = "milepost: %(asctime)s %(message)s"
_quiet = False


def tell(line: str, always: bool = False) -> None:
    """Say something in a line; where quiet is asked for, only what has to be said always."""
    if sys.stderr is not None and (always or not _quiet):
        with suppress(OSError):
            print(line, file=sys.stderr, flush=True)


def speak(quiet: bool, verbose: bool) -> None:
    """Settle how much is said: nothing but errors, the usual, or each step of the work with its time."""
    global _quiet
    _quiet = quiet
    for handler in [handler for handler in LOGGER.handlers if handler.name == _HANDLER_NAME]:
        LOGGER.removeHandler(handler)
    LOGGER.setLevel(logging.INFO if verbose else logging.NOTSET)
    if verbose and sys.stderr is not None:
        handler = logging.StreamHandler(sys.stderr)
        handler.name = _HANDLER_NAME
        handler.setFormatter(logging.Formatter(_FORMAT, "%H:%M:%S"))
        LOGGER.addHandler(handler)


def is_verbose() -> bool:
    """Return whether each step is told."""
    return LOGGER.isEnabledFor(logging.INFO) and any(handler.name == _HANDLER_NAME for handler in LOGGER.handlers)


class Exit(IntEnum):
    """The exit status of a command."""

    DONE = 0
    GATE_HIT = 1  # a gate that was asked for
    UNUSABLE = 2  # wrong usage, or a log or course that cannot be used
    INTERRUPTED = 130
