"""CSV and TSV: a header, then a record a row; quoted cells, line breaks in cells, any usual delimiter."""

from __future__ import annotations

import csv
import io
import itertools
import re
from collections.abc import Iterator
from typing import Any, NamedTuple

from milepost.errors import LogError
from milepost.logs.formats.other_kinds import seems_to_be_no_log
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.sources.encodings import LOOKED_AT, guess_text_encoding
from milepost.logs.sources.files import Source
from milepost.progress import Progress

DELIMITERS = (",", ";", "\t", "|")
MAX_CELL = 1 << 20
_FORMULA = re.compile(r"'*[=+\-@\t\r]")
_STEP = 5000
_FIRST_LINES = 20  # in which the header is sought
_FEWEST_UNDER_TITLE = 3  # columns of a table that may have a title


def find_delimiter(header: str) -> str:
    """The delimiter that a header line uses: the one that cuts it into the most cells; a comma where none does."""
    return max(DELIMITERS, key=lambda delimiter: len(next(csv.reader([header], delimiter=delimiter), [])))


def read_delimited(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the rows of one file to the sink as texts; places are line numbers.

    Raises:
        LogError: the file cannot be read, its header is missing, has a name twice, or is not in the encoding.
    """
    with source.open(options.max_bytes) as stream:
        head = stream.peek(LOOKED_AT)
        encoding = (options.encoding or "utf-8").replace("utf-8", "utf-8-sig")
        text = io.TextIOWrapper(stream, encoding=encoding, errors="surrogateescape", newline="")
        table, rows = _begun(source, text, options, head)
        _read_rows(rows, table, RowsOfTexts(sink, f"not {options.encoding or 'UTF-8'}"), progress)
        text.detach()


class Table(NamedTuple):
    """The form of a table: the names of its columns, what is between cells, and how many lines stand before the names."""

    names: list[str]
    delimiter: str
    before: int


def find_table_form(source: Source, options: ReadOptions) -> Table:
    """Return the form of a file's table in UTF-8.

    Raises:
        LogError: as `read_delimited`.
    """
    with source.open(options.max_bytes) as stream:
        head = stream.peek(LOOKED_AT)
        text = io.TextIOWrapper(stream, encoding="utf-8-sig", errors="surrogateescape", newline="")
        table, _ = _begun(source, text, options, head)
        text.detach()
        return table


def _begun(source: Source, text: io.TextIOWrapper, options: ReadOptions, head: bytes) -> tuple[Table, Any]:
    """The form of a table, and its rows from the first on."""
    csv.field_size_limit(MAX_CELL)
    lines = _bounded_lines(text)
    first = list(itertools.islice(lines, _FIRST_LINES))
    named = options.delimiter or ("\t" if options.form == "tsv" else None)
    before = _lines_before_header(first, named)
    delimiter = named or find_delimiter(first[before] if first else "")
    rows = csv.reader(itertools.chain(first[before:], lines), delimiter=delimiter)
    return Table(_header(source, rows, options, head), delimiter, before), rows


def _lines_before_header(lines: list[str], delimiter: str | None) -> int:
    """How many lines stand before the names of the columns: blank ones, and titles, which fill half as many cells or fewer."""
    filled = [_filled_cells(line, delimiter or find_delimiter(line)) for line in lines]
    widest = max(filled, default=0)
    first = next((place for place, cells in enumerate(filled) if cells), 0)
    titled = next((place for place, cells in enumerate(filled) if 2 * cells > widest), first)
    return first if widest < _FEWEST_UNDER_TITLE else titled


def _filled_cells(line: str, delimiter: str) -> int:
    """How many cells of a line say something."""
    try:
        return sum(bool(cell.strip()) for row in csv.reader([line], delimiter=delimiter) for cell in row)
    except csv.Error:
        return 0


def _header(source: Source, rows: Iterator[list[str]], options: ReadOptions, head: bytes) -> list[str]:
    """The names of the columns, checked; spaces around a name are none of it, but where two names differ by these alone."""
    try:
        header: list[str] = next(rows, [])
    except csv.Error as error:
        raise LogError(f"{source.label}:1: no header that can be read ({error}).") from None
    if any(_is_odd(name) for name in header):
        if kind := seems_to_be_no_log(head):
            raise LogError(f"{source.label}: {kind}")
        seems = guess_text_encoding(head)
        hint = f'; it seems to be {seems}. Say so in a log map: [input] encoding = "{seems}"' if seems else ""
        raise LogError(f"{source.label}:1: the header is not {options.encoding or 'UTF-8'}{hint}.")
    names = [unguard_cell(name.strip()) for name in header]
    names = names if len(set(names)) == len(names) else [unguard_cell(name) for name in header]
    if not any(names):
        raise LogError(f"{source.label}:1: no header. The first line of a CSV file names its columns.")
    twice = sorted({name for name in names if names.count(name) > 1 and name})
    if twice:
        raise LogError(f"{source.label}:1: the column {twice[0]!r} is there twice. Give each column a name of its own.")
    return names


def _bounded_lines(text: io.TextIOWrapper) -> Iterator[str]:
    """The lines, each cut off at the longest that a cell may be, so that one line cannot fill the memory."""
    while line := text.readline(MAX_CELL):
        yield line


def _read_rows(rows: Any, table: Table, sink: RowsOfTexts, progress: Progress) -> None:
    """Each row with the number of its first line."""
    count, line = 0, table.before + rows.line_num + 1
    while True:
        try:
            row = next(rows, None)
        except csv.Error as error:
            sink.refuse(line, f"no row that can be read ({error})")
            line = table.before + rows.line_num + 1
            continue
        if row is None:
            break
        sink.give(table.names, row, line)
        line = table.before + rows.line_num + 1
        count += 1
        if count % _STEP == 0:
            progress.advance(_STEP)


class RowsOfTexts:
    """Gives rows to a sink as records of texts; one with bytes that are no text is refused."""

    def __init__(self, sink: Sink, unlike: str) -> None:
        self.sink, self.unlike, self.refuse = sink, unlike, sink.refuse

    def give(self, names: list[str], row: list[str], line: int) -> None:
        """Give a row that says something."""
        if len(row) > len(names):
            self.refuse(line, f"{len(row)} cells under a header of {len(names)}")
        elif any(row):
            self._give(names, row, line)

    def _give(self, names: list[str], row: list[str], line: int) -> None:
        whole = "".join(row)
        if not whole.isascii() and any(_is_odd(cell) for cell in row):
            self.refuse(line, self.unlike)
            return
        cells = {name: cell for name, cell in zip(names, row, strict=False) if cell != "" and name}
        if "'" in whole:
            cells = {name: unguard_cell(cell) for name, cell in cells.items()}
        self.sink.add(cells, line)


def _is_odd(cell: str) -> bool:
    """Return whether some of its bytes were no text."""
    return not cell.isascii() and any("\udc80" <= char <= "\udcff" for char in cell)


def guard_cell(text: str) -> str:
    """A text as a cell that no spreadsheet takes for a formula: with an apostrophe before it, if it looks like one."""
    return f"'{text}" if _FORMULA.match(text) else text


def unguard_cell(cell: str) -> str:
    """A cell without the apostrophe that keeps a spreadsheet from taking it for a formula."""
    return cell[1:] if cell.startswith("'") and _FORMULA.match(cell) else cell
