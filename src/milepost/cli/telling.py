"""What is said beside the output: on standard error, if anybody can hear it."""

from __future__ import annotations

import sys
from contextlib import suppress


def tell(line: str) -> None:
    """Say something in a line."""
    if sys.stderr is not None:
        with suppress(OSError):
            print(line, file=sys.stderr, flush=True)
