"""Small tables that people keep beside their logs, as spreadsheets write them: any delimiter, encoding and decimal mark."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from milepost.errors import FolderError
from milepost.logs.formats.delimited import MAX_CELL, find_delimiter
from milepost.logs.sources.encodings import guess_text_encoding
from milepost.logs.sources.remote import fetch_files, is_address
from milepost.measures.interface import Answer, Theme

MAX_BYTES: Final = 64 << 20
_MARKS: Final = {b"\xff\xfe": "utf-16", b"\xfe\xff": "utf-16", b"\xef\xbb\xbf": "utf-8-sig"}


@dataclass(frozen=True)
class Row:
    """A row of a table: its file and line, and its cells by column; cells with nothing in them are left out."""

    file: str
    line: int
    cells: Mapping[str, str]

    def __getitem__(self, column: str) -> str:
        """A cell; empty where there is nothing in it."""
        return self.cells.get(column, "")

    def refuse(self, why: str) -> FolderError:
        """The error that says what is wrong with it."""
        return FolderError(f"{self.file}:{self.line}: {why}")


@dataclass(frozen=True)
class TableRow:
    """How a table's file is written."""

    text: str
    encoding: str
    delimiter: str
    header: int  # lines before its header
    columns: tuple[str, ...]


def read_rows(path: str | Path, needed: tuple[str, ...], known: tuple[str, ...] | None = None) -> list[Row]:
    """The rows of a table.

    Args:
        path: the file, or an address.
        needed: columns that have to be there.
        known: the columns that it may have; None where it may have any.

    Raises:
        FolderError: it cannot be read, lacks a column, has one twice or one that means nothing, or a row has too many cells.
    """
    written = look_at(path)
    columns = _columns(str(path), written, needed, known)
    return list(_rows(str(path), written, columns))


def look_at(path: str | Path) -> TableRow:
    """How a table is written, and its text.

    Raises:
        FolderError: it cannot be read, or has no header.
    """
    data = _data(path)
    encoding = next((name for mark, name in _MARKS.items() if data.startswith(mark)), "utf-8")
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError:
        encoding = guess_text_encoding(data) or "latin-1"
        text = data.decode(encoding, "replace")
    if "\0" in text:
        raise FolderError(f"{path}: is no table of texts. Save it as CSV.")
    lines = text.splitlines()
    skipped = next((n for n, line in enumerate(lines) if line.strip() and not line.lower().startswith("sep=")), None)
    if skipped is None:
        raise FolderError(f"{path}: is empty. The first line of a table names its columns.")
    delimiter = find_delimiter(lines[skipped])
    names = tuple(name.strip() for name in next(csv.reader([lines[skipped]], delimiter=delimiter)))
    return TableRow(text, encoding, delimiter, skipped, names)


def _data(path: str | Path) -> bytes:
    place = fetch_files(str(path), lambda name: True)[0][1] if is_address(str(path)) else Path(path)
    try:
        if place.is_dir():
            raise FolderError(f"{path}: is a folder. Name the table itself.")
        with place.open("rb") as stream:
            data = stream.read(MAX_BYTES + 1)
    except OSError as error:
        raise FolderError(f"{path}: the table cannot be read ({error.strerror or error}).") from error
    if len(data) > MAX_BYTES:
        raise FolderError(f"{path}: is larger than {MAX_BYTES >> 20} MB. Such a table has a row for each player, answer or note.")
    return data


def _columns(path: str, written: TableRow, needed: tuple[str, ...], known: tuple[str, ...] | None) -> list[str]:
    """The columns' names; ours in whatever capitals they are written."""
    ours = {name.casefold(): name for name in (*needed, *(known or ()))}
    columns = [ours.get(name.casefold(), name) for name in written.columns]
    at = f"{path}:{written.header + 1}"
    for name in needed:
        if name not in columns:
            raise FolderError(f"{at}: there is no column {name!r}. It has: {', '.join(columns)}.")
    for name in columns:
        if name and columns.count(name) > 1:
            raise FolderError(f"{at}: the column {name!r} is there twice. Give each column a name of its own.")
        if name and known is not None and name not in (*needed, *known):
            raise FolderError(f"{at}: the column {name!r} means nothing here. It may have: {', '.join((*needed, *known))}.")
    return columns


def _rows(path: str, written: TableRow, columns: list[str]) -> Iterator[Row]:
    csv.field_size_limit(MAX_CELL)
    body = io.StringIO(written.text, newline="")
    for _ in range(written.header + 1):
        body.readline()
    rows = csv.reader(body, delimiter=written.delimiter)
    line = written.header + 2
    while True:
        try:
            row = next(rows, None)
        except csv.Error as error:
            raise FolderError(f"{path}:{line}: no row that can be read ({error}).") from None
        if row is None:
            return
        if any(row[len(columns) :]):
            raise FolderError(
                f"{path}:{line}: {len(row)} cells under a header of {len(columns)}. Put quotes around a cell with "
                f"{written.delimiter!r} in it."
            )
        cells = {name: cell.strip() for name, cell in zip(columns, row, strict=False) if name and cell.strip()}
        if cells:
            yield Row(path, line, cells)
        line = written.header + 2 + rows.line_num


def read_answers(path: str | Path) -> tuple[Answer, ...]:
    """The answers of a table in its order; a row without an answer is none.

    Raises:
        FolderError: it cannot be read, lacks a column, or has an answer of nobody or to nothing.
    """
    answers = []
    for row in read_rows(path, ("player", "question", "answer"), ("level", "build")):
        if not row["answer"]:
            continue
        if not row["player"] or not row["question"]:
            raise row.refuse("an answer needs a player and a question.")
        answers.append(Answer(row["player"], row["level"] or None, row["question"], row["answer"], row["build"] or None))
    return tuple(answers)


def read_themes(path: str | Path) -> tuple[Theme, ...]:
    """The themes of a table, a row a theme: words with commas between, or a pattern.

    Raises:
        FolderError: it cannot be read, lacks a column, or has a theme without a name, without words or twice, or no pattern.
    """
    themes: dict[str, Theme] = {}
    for row in read_rows(path, ("theme",), ("words", "pattern")):
        name, words = row["theme"], tuple(word.strip() for word in row["words"].split(",") if word.strip(" *"))
        if not name or name in themes:
            raise row.refuse("a theme needs a name of its own." if not name else f"the theme {name!r} stands in two rows.")
        if not words and not row["pattern"]:
            raise row.refuse(f"the theme {name!r} has neither words nor a pattern.")
        try:
            pattern = re.compile(row["pattern"], re.IGNORECASE) if row["pattern"] else None
        except re.error as error:
            raise row.refuse(f"{row['pattern']!r} is no pattern ({error}). Write a regular expression, or words.") from error
        themes[name] = Theme(name, words, pattern)
    return tuple(themes.values())
