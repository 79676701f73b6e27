"""How bytes are text: names of encodings, and which one a file seems to be written in."""

from __future__ import annotations

import codecs
from typing import Final

LOOKED_AT: Final = 1 << 16  # bytes


def is_encoding(name: object) -> bool:
    """Return whether something is the name of an encoding of text."""
    try:
        return isinstance(name, str) and bool(codecs.lookup(name)._is_text_encoding)
    except (LookupError, ValueError):
        return False


def guess_text_encoding(data: bytes) -> str | None:
    """The encoding in which some bytes, which are not UTF-8, seem to be text; None where nothing fits."""
    from charset_normalizer import from_bytes

    best = from_bytes(data[:LOOKED_AT]).best()
    return None if best is None else best.encoding
