"""The table of recordings: which file or address shows a session, and how far it had run when the session began."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from milepost.folder.clock_places import clock_seconds
from milepost.folder.small_tables import read_rows

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
