"""CSV and TSV: a header, then a record a row; quoted cells, line breaks in cells, any usual delimiter."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator
from typing import Any

from milepost.errors import LogError
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.sources import Source
from milepost.progress import Progress

DELIMITERS = (",", ";", "\t", "|")
MAX_CELL = 1 << 20
_FORMULA = re.compile(r"'*[=+\-@\t\r]")
_STEP = 5000


def find_delimiter(header: str) -> str:
    """The delimiter that a header line uses: the one that cuts it into the most cells; a comma where none does."""
    return max(DELIMITERS, key=lambda delimiter: len(next(csv.reader([header], delimiter=delimiter), [])))


def read_delimited(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the rows of one file to the sink as texts; places are line numbers.

    Raises:
        LogError: the file cannot be read, or its header is missing or has a name twice.
    """
    csv.field_size_limit(MAX_CELL)
    with source.open(options.max_bytes) as stream:
        text = io.TextIOWrapper(stream, encoding="utf-8-sig", errors="surrogateescape", newline="")
        lines = _bounded_lines(text)
        header_line = next((line for line in lines if line.strip()), "")
        delimiter = options.delimiter or ("\t" if options.form == "tsv" else find_delimiter(header_line))
        header = next(csv.reader([header_line], delimiter=delimiter), [])
        _check_header(source, header)
        _read_rows(csv.reader(lines, delimiter=delimiter), header, sink, progress)
        text.detach()


def _bounded_lines(text: io.TextIOWrapper) -> Iterator[str]:
    """The lines, each cut off at the longest that a cell may be, so that one line cannot fill the memory."""
    while line := text.readline(MAX_CELL):
        yield line


def _check_header(source: Source, header: list[str]) -> None:
    names = [name.strip() for name in header]
    if not names or not any(names):
        raise LogError(f"{source.label}:1: no header. The first line of a CSV file names its columns.")
    twice = sorted({name for name in names if names.count(name) > 1 and name})
    if twice:
        raise LogError(f"{source.label}:1: the column {twice[0]!r} is there twice. Give each column a name of its own.")


def _read_rows(rows: Any, header: list[str], sink: Sink, progress: Progress) -> None:
    """Each row with the number of its first line; the header is line 1 (blank lines before it aside)."""
    names = [name.strip() for name in header]
    count, line = 0, 2
    while True:
        try:
            row = next(rows, None)
        except csv.Error as error:
            sink.refuse(line, f"no row that can be read ({error})")
            line = rows.line_num + 2
            continue
        if row is None:
            break
        if len(row) > len(names):
            sink.refuse(line, f"{len(row)} cells under a header of {len(names)}")
        elif any(row):
            _add(names, row, line, sink)
        line = rows.line_num + 2
        count += 1
        if count % _STEP == 0:
            progress.advance(_STEP)


def _add(names: list[str], row: list[str], line: int, sink: Sink) -> None:
    if any("\udc80" <= char <= "\udcff" for cell in row if not cell.isascii() for char in cell):
        sink.refuse(line, "not UTF-8")
        return
    sink.add({name: _plain(cell) for name, cell in zip(names, row, strict=False) if name and cell != ""}, line)


def guarded(text: str) -> str:
    """A text as a cell that no spreadsheet takes for a formula: with an apostrophe before it, if it looks like one."""
    return f"'{text}" if _FORMULA.match(text) else text


def _plain(cell: str) -> str:
    return cell[1:] if cell.startswith("'") and _FORMULA.match(cell) else cell
