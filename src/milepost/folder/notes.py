"""The analyst's notes and the recordings of sessions: tables that stand beside the logs."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Final, TypedDict

from milepost.folder.small_tables import look_at, read_rows
from milepost.output import write_file

if TYPE_CHECKING:
    from milepost.folder.small_tables import Row, TableRow

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
    recordings: dict[str, Recording] = {}
    for row in read_rows(path, ("session",), ("file", "address", "offset")):
        session, place = row["session"], row["address"] or row["file"]
        if not session or not place:
            raise row.refuse("a recording needs a session, and a file or an address.")
        if session in recordings:
            raise row.refuse(f"{session!r} has a recording already. Leave one of the two rows.")
        recordings[session] = Recording(place, clock_seconds(row, "offset") or 0.0)
    return recordings


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


COLUMNS: Final = ("session", "player", "level", "build", "clock", "note")


class Noted(TypedDict):
    """A note, and what it is about; ``clock`` is in seconds of the session, or of its recording where it has one."""

    session: str | None
    player: str | None
    level: str | None
    build: str | None
    clock: float | None
    note: str


def read_notes(path: str | Path) -> list[Noted]:
    """The notes of a table, in its order.

    Raises:
        FolderError: it cannot be read, has no column `note`, or a clock that is none.
    """
    return [_noted(row) for row in read_rows(path, ("note",), COLUMNS) if row["note"]]


def _noted(row: Row) -> Noted:
    return Noted(
        session=row["session"] or None,
        player=row["player"] or None,
        level=row["level"] or None,
        build=row["build"] or None,
        clock=clock_seconds(row, "clock"),
        note=row["note"],
    )


def add_note(path: Path, cells: Mapping[str, str]) -> None:
    """Add a note to a table, which is written anew beside itself and put in its own place; it is made where there is none.

    Encoding, delimiter and columns stay as they are; a column that is not there yet is added.

    Raises:
        FolderError: the table cannot be read.
        OutputError: it cannot be written.
    """
    if not path.exists():
        table = io.StringIO()
        csv.writer(table, lineterminator="\n").writerows([COLUMNS, [cells.get(name, "") for name in COLUMNS]])
        _write_text(path, table.getvalue(), "utf-8")
        return
    read_rows(path, ("note",), COLUMNS)  # whatever is wrong with it is said before anything is written
    written = look_at(path)
    names = [name.strip().casefold() for name in written.columns]
    missing = [name for name in cells if name not in names]
    end = "\r\n" if "\r\n" in written.text else "\n"
    text = written.text if not missing else _widened(written, missing, end)
    row = io.StringIO()
    csv.writer(row, delimiter=written.delimiter, lineterminator=end).writerow(
        [cells.get(name, "") for name in (*names, *missing)]
    )
    joint = "" if not text or text.endswith(("\n", "\r")) else end
    _write_text(path, text + joint + row.getvalue(), written.encoding)


def _widened(written: TableRow, missing: list[str], end: str) -> str:
    """A table's text with more columns in its header; rows are as they were, and lines without cells stay so."""
    lines = written.text.splitlines(keepends=True)
    header = lines[written.header].rstrip("\r\n")
    lines[written.header] = written.delimiter.join([header, *missing]) + end
    return "".join(lines)


def _write_text(path: Path, text: str, encoding: str) -> None:
    try:
        data = text.encode(encoding)
    except UnicodeEncodeError:
        data = text.encode("utf-8-sig")  # which spreadsheets tell by its mark
    write_file(path, lambda stream: stream.write(data))
