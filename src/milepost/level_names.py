"""How names compare: the folded form, the order in which people expect names, and the nearest to one that is not known."""

from __future__ import annotations

import re
from collections.abc import Iterable
from difflib import get_close_matches

_JOINERS = re.compile(r"[\s_\-]+")
_DIGITS = re.compile(r"(\d+)")


def fold_name(name: str) -> str:
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


def suggest_nearest(name: str, known: Iterable[str]) -> str:
    """A sentence, after a space, that asks for the nearest of the names that are known; empty where none is near."""
    by_fold = {fold_name(name): name for name in known}
    wanted = fold_name(name)
    begins = sorted((candidate for candidate in by_fold if wanted and candidate.startswith(wanted)), key=natural_key)
    near = begins or get_close_matches(wanted, by_fold, 1, cutoff=0.5)
    return f" Did you mean {by_fold[near[0]]}?" if near else ""
