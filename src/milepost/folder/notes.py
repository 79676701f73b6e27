"""The analyst's notes: a table that stands beside the logs, to be read, and added to."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Final, TypedDict

from milepost.folder.clocks import clock_seconds
from milepost.folder.tables import look_at, read_rows
from milepost.output import write_file

if TYPE_CHECKING:
    from milepost.folder.tables import Row

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
        _write(path, [list(COLUMNS), [cells.get(name, "") for name in COLUMNS]], ",", "utf-8", "")
        return
    read_rows(path, ("note",), COLUMNS)  # whatever is wrong with it is said before anything is written
    written = look_at(path)
    rows = list(csv.reader(io.StringIO(written.text, newline=""), delimiter=written.delimiter))
    before, rows = rows[: written.header], rows[written.header :]
    names = [name.strip().casefold() for name in rows[0]]
    missing = [name for name in cells if name not in names]
    rows = [[*row, *[""] * (len(names) - len(row)), *(missing if not n else [""] * len(missing))] for n, row in enumerate(rows)]
    rows.append([cells.get(name, "") for name in (*names, *missing)])
    lead = "".join(written.delimiter.join(row) + "\r\n" for row in before)
    _write(path, rows, written.delimiter, written.encoding, lead)


def _write(path: Path, rows: list[list[str]], delimiter: str, encoding: str, lead: str) -> None:
    text = io.StringIO()
    text.write(lead)
    csv.writer(text, delimiter=delimiter, lineterminator="\r\n" if lead else "\n").writerows(rows)
    try:
        data = text.getvalue().encode(encoding)
    except UnicodeEncodeError:
        data = text.getvalue().encode("utf-8-sig")  # which spreadsheets tell by its mark
    write_file(path, lambda stream: stream.write(data))
