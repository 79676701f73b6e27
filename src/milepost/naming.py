"""How level names compare: the folded form, and the order in which people expect names."""

from __future__ import annotations

import re

_JOINERS = re.compile(r"[\s_\-]+")
_DIGITS = re.compile(r"(\d+)")


def folded(name: str) -> str:
    """The form in which two spellings of one level agree: trimmed, case folded, runs of space, _ and - as one -."""
    return _JOINERS.sub("-", name.strip().casefold())


def natural_key(name: str) -> tuple[list[tuple[int, int, str]], str]:
    """A sort key that puts digits in order as numbers and ignores case, the plain name breaking ties."""
    parts = []
    for part in _DIGITS.split(name.casefold()):
        if part.isdecimal() and len(part) < 300:
            parts.append((0, int(part), ""))
        elif part:
            parts.append((1, 0, part))
    return parts, name
