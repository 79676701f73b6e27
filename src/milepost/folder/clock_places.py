"""Places on a clock, as people write them in tables."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from milepost.folder.small_tables import Row

_CLOCK: Final = re.compile(r"([+-]?)(?:(?:(\d+):)?(\d+):)?(\d+(?:[.,]\d+)?)", re.ASCII)


def seconds_of(text: str) -> float | None:
    """Seconds from 1:02:03, 12:30, 200 or 12,5, with or without a sign; None where it is none of these."""
    match = _CLOCK.fullmatch(text.strip().replace("−", "-"))
    if match is None:
        return None
    sign, hours, minutes, rest = match.groups()
    value = 3600.0 * int(hours or 0) + 60.0 * int(minutes or 0) + float(rest.replace(",", "."))
    return -value if sign == "-" else value


def clock_seconds(row: Row, column: str) -> float | None:
    """The seconds that a cell stands for; None where it is empty.

    Raises:
        FolderError: it is no place on a clock.
    """
    text = row[column]
    value = seconds_of(text) if text else None
    if text and value is None:
        raise row.refuse(f"{column}: {text!r} is no place on a clock, such as 12:30 or 1:02:03.")
    return value
