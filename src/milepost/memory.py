"""How the process keeps its memory small."""

from __future__ import annotations

import os
import sys
from typing import Final

_MAPPED_OPTION: Final = -3  # of the C library's mallopt: from which size on a block is mapped by itself
_KEPT_OPTION: Final = -1  # and how much that was freed stays for later
_BYTES: Final = 8 << 20  # smaller ones are made again and again, and each page of a new one costs
_KEPT: Final = 32 << 20
_ARROW: Final = "ARROW_DEFAULT_MEMORY_POOL"


def give_back_now() -> None:
    """Return to the system what the C library keeps of memory that was freed, where it can."""
    import ctypes

    try:
        ctypes.CDLL(None).malloc_trim(0)
    except (OSError, AttributeError, TypeError):
        return


def give_back_early() -> None:
    """Have columns that are freed return to the system at once, not stay with the process for later.

    The C library raises the size from which it does so as a program goes; where there are many columns of a few megabytes,
    as in work over parts, that keeps twice the memory that is in use. Where the C library has no such setting, nothing is done.
    Arrow has memory of its own, which it keeps likewise; it is told to ask the C library.
    """
    import ctypes

    os.environ.setdefault(_ARROW, "system")  # which it looks at when it loads; many a command never needs it
    if "pyarrow" in sys.modules:
        import pyarrow as pa

        pa.set_memory_pool(pa.system_memory_pool())
    try:
        library = ctypes.CDLL(None)
        library.mallopt(_MAPPED_OPTION, _BYTES)
        library.mallopt(_KEPT_OPTION, _KEPT)
    except (OSError, AttributeError, TypeError):
        return
