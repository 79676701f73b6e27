"""The exit statuses, by name."""

from __future__ import annotations

from enum import IntEnum


class Exit(IntEnum):
    """The exit status of a command."""

    DONE = 0
    GATE_HIT = 1  # a gate that was asked for
    UNUSABLE = 2  # wrong usage, or a log or course that cannot be used
    INTERRUPTED = 130
