"""The table of recordings: which file or address shows a session, and how far it had run when the session began."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Final

from milepost.folder.small_tables import read_rows

if TYPE_CHECKING:
    from milepost.folder.small_tables import Row

_LINKED: Final = ("http://", "https://")


@dataclass(frozen=True)
class Recording:
    """A session's recording: its file or address, and the seconds that it had run when the session's first record came."""

    place: str
    offset: float

    def link(self, second: float) -> str | None:
        """An address that opens it at a second of its own clock, by the media fragment of the W3C; None where it is a file."""
        if not self.place.lower().startswith(_LINKED):
            return None
        return f"{self.place.partition('#')[0]}#t={max(0, round(second))}"


Recordings = Mapping[str, Recording]


def read_recordings(path: str | Path) -> dict[str, Recording]:
    """The recordings by session.

    Raises:
        FolderError: the table cannot be read, names no file or address, a session twice, or an offset that is none.
    """
    found: dict[str, Recording] = {}
    for row in read_rows(path, ("session",), ("file", "address", "offset")):
        session, place = row["session"], row["address"] or row["file"]
        if not session or not place:
            raise row.refuse("a recording needs a session, and a file or an address.")
        if session in found:
            raise row.refuse(f"{session!r} has a recording already. Leave one of the two rows.")
        found[session] = Recording(place, clock_seconds(row, "offset") or 0.0)
    return found


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
