"""Workbooks (.xlsx, .ods): a sheet whose first row with several cells names the columns (python-calamine, an extra)."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from typing import Final

from milepost.errors import LogError
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.sources.files import TABLE_MARK, Source
from milepost.progress import Progress

_STEP: Final = 5000


def read_workbook(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the rows of a sheet to the sink; places are row numbers.

    Raises:
        LogError: the library is not installed, the file is no workbook, or a sheet is not there or not named.
    """
    rows = rows_of_sheet(source)
    first, header = find_header(rows)
    for number, row in enumerate(rows[first:], first + 1):
        record = {name: plain_cell(cell) for name, cell in zip(header, row, strict=False) if name and cell != ""}
        if record:
            sink.add(record, number)
        if number % _STEP == 0:
            progress.advance(_STEP)


def find_header(rows: Sequence[Sequence[object]]) -> tuple[int, list[str]]:
    """How many rows stand before those of records, and the names of the columns: the first row with several cells."""
    for number, row in enumerate(rows, 1):
        cells = [str(cell).strip() for cell in row]
        if sum(bool(cell) for cell in cells) > 1:
            return number, cells
    return len(rows), []


def rows_of_sheet(source: Source) -> Sequence[Sequence[object]]:
    """Return the rows of the sheet that is meant.

    Raises:
        LogError: as `read_workbook`.
    """
    if source.path is None:
        raise LogError("standard input: a workbook has to be a file. Name the file.")
    try:
        from python_calamine import CalamineError, CalamineWorkbook
    except ImportError:
        raise LogError(f"{source.label}: workbooks are read with an extra: pip install 'milepost[sheets]'.") from None
    try:
        book = CalamineWorkbook.from_path(str(source.path))
        names = list(book.sheet_names)
        name = source.table or (names[0] if len(names) == 1 else None)
        if name is None or name not in names:
            problem = f"no sheet {name!r}" if name else "no sheet is named"
            listed = ", ".join(names) or "none"
            raise LogError(f"{source.path}: {problem}. Write {source.path}{TABLE_MARK}SHEET; its sheets are: {listed}.")
        return book.get_sheet_by_name(name).to_python()
    except (CalamineError, ValueError, OSError) as error:
        raise LogError(f"{source.label}: cannot be read as a workbook ({error}). Is the file whole?") from error


def plain_cell(cell: object) -> object:
    """A cell as JSON would have it."""
    if isinstance(cell, timedelta):
        return cell.total_seconds()
    if isinstance(cell, datetime | date | time):
        return cell.isoformat()
    if isinstance(cell, float) and cell.is_integer():
        return int(cell)
    return cell
