"""How values are worded: percent, seconds, plurals, lists, and text from logs made safe to show."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Iterable, Sequence
from math import floor, log10

_UNSAFE = {"Cc", "Cs", "Zl", "Zp"}
# Marks of direction, and characters that are not seen at all; joiners, which some scripts need, are none of them.
_BIDI = frozenset("\u061c\u200b\u200e\u200f\u2060\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069\u180e\ufeff") | {
    chr(code) for code in range(0xE0000, 0xE0080)
}
_MANY_SECONDS = 99.5
NOTHING = "–"
_COLUMNS = "_▁▂▃▄▅▆▇█"


ENDED = {
    "complete": "cleared",
    "death": "died",
    "reset": "reset",
    "left": "left",
    "quit": "quit",
    "time_up": "time up",
    "crash": "crashed",
    "unknown": "not known",
}


def safe(text: str) -> str:
    """Text from a log with control, direction and lone surrogate characters escaped, so that it can only be read."""
    if text.isascii() and text.isprintable():
        return text
    return "".join(
        char.encode("unicode_escape").decode("ascii") if unicodedata.category(char) in _UNSAFE or char in _BIDI else char
        for char in text
    )


def percent(share: float | None) -> str:
    """A share in whole percent; 0 and 100 only where it is just that."""
    if share is None:
        return NOTHING
    if share in (0, 1):
        return f"{share:.0%}".replace("%", " %")
    rounded = min(99, max(1, round(100 * share))) if 0 < share < 1 else round(100 * share)
    return f"{rounded} %"


def seconds(value: float | None) -> str:
    """A duration: tenths below ten seconds, minutes and seconds from a hundred on."""
    if value is None:
        return NOTHING
    if value >= 1e7:
        return f"{value:.1e} s"
    if value < 9.95:
        return f"{value:.1f} s"
    if value < _MANY_SECONDS:
        return f"{value:.0f} s"
    whole = floor(value + 0.5)
    hours, rest = divmod(whole, 3600)
    return f"{hours}:{rest // 60:02d}:{rest % 60:02d} h" if hours else f"{rest // 60}:{rest % 60:02d} min"


def durations(values: Iterable[float | None]) -> Callable[[float | None], str]:
    """How the durations of a table are worded, all in one unit: seconds, or minutes and seconds where one has so many."""
    longest = max((value for value in values if value is not None), default=0.0)
    return seconds if longest < _MANY_SECONDS else clock


def clock(value: float | None) -> str:
    """A place on a session's clock: minutes and seconds, hours where there are any."""
    if value is None:
        return NOTHING
    whole = floor(abs(value) + 0.5)
    hours, rest = divmod(whole, 3600)
    sign = "−" if value < 0 and whole else ""
    return f"{sign}{hours}:{rest // 60:02d}:{rest % 60:02d}" if hours else f"{sign}{rest // 60}:{rest % 60:02d}"


def number(value: float | int | None) -> str:
    """A plain number, with as many digits as say something."""
    if value is None:
        return NOTHING
    if isinstance(value, int) or value == int(value):
        return f"{int(value):,}"
    digits = max(0, 2 - floor(log10(abs(value)))) if abs(value) >= 1e-6 else 8
    return f"{value:,.{digits}f}"


def logits(value: float, plus: bool = False) -> str:
    """Logits in hundredths, with a true minus, and never one before zero."""
    rounded = round(value, 2) + 0.0
    return f"{rounded:{'+' if plus else ''}.2f}".replace("-", "−")


def whole(value: float) -> str:
    """A number without its fraction; never a negative zero."""
    return f"{round(value):,}".replace("-", "−")


def rate(value: float | None) -> str:
    """A rate with two decimals."""
    return NOTHING if value is None else f"{value:.2f}"


def plural(count: int, single: str, many: str | None = None) -> str:
    """A count with its noun."""
    return f"{count:,} {single if count == 1 else many or single + 's'}"


def listed(items: list[str]) -> str:
    """Items as a phrase: a, b and c."""
    return " and ".join((", ".join(items[:-1]), items[-1])) if len(items) > 1 else "".join(items)


def listed_first(names: list[str], most: int) -> str:
    """Names from a log as a phrase: the first of them, and how many more there are."""
    more = [f"{len(names) - most} more"] if len(names) > most else []
    return listed([*map(safe, names[:most]), *more])


def words(code: str) -> str:
    """A code as words."""
    return code.replace("_", " ")


def spark(shares: Sequence[float | None]) -> str:
    """Shares as columns of eight heights; more than nothing is never drawn as nothing, and None leaves a gap."""
    return "".join(" " if share is None else _COLUMNS[0 if share <= 0 else max(1, min(8, round(8 * share)))] for share in shares)


def bar(share: float | None, width: int) -> str:
    """A bar for a share, in halves of a character; more than nothing is never drawn as nothing."""
    if not share:
        return ""
    full, half = divmod(max(1, round(2 * width * min(1.0, max(0.0, share)))), 2)
    return "━" * full + "╸" * half
