"""Detection of formats, from a file's content, and from its name if that is not enough."""

from __future__ import annotations

import re
from typing import Final

from milepost.logs.formats.delimited import DELIMITERS
from milepost.logs.interface import ReadOptions
from milepost.logs.sources.files import Source, plain_name

_PEEK: Final = 8192
_PRIORITY: Final = re.compile(rb"<\d{1,3}>")  # before a line of syslog
_SHEETS: Final = (b"xl/", b"[Content_Types].xml", b"opendocument.spreadsheet")  # in the beginning of a zip that is a workbook
_CBOR: Final = b"\xd9\xd9\xf7"  # before CBOR that says so
_YAML_ENDINGS: Final = (".yaml", ".yml")  # endings of names
_ARRAY: Final = re.compile(rb"\[\s*(\{|\]|$)")


def tell(source: Source, options: ReadOptions) -> str:
    """The format of a file, from its first bytes; by its name's ending where those say nothing."""
    if options.form:
        return options.form
    with source.open(options.max_bytes) as stream:
        head = stream.peek(_PEEK)[:_PEEK]
    if head.startswith(b"PAR1"):
        return "parquet"
    if head.startswith(b"PK\x03\x04") and any(mark in head for mark in _SHEETS):
        return "workbook"
    if head.startswith(b"SQLite format 3\0") or source.table:
        return "sqlite"
    name = plain_name(source.path.name) if source.path else ""
    if head.startswith(_CBOR) or name.endswith(".cbor"):
        return "cbor"
    start = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    if name.endswith(_YAML_ENDINGS) or start.startswith(b"---\n"):
        return "yaml"
    if start.startswith(b"<") and not _PRIORITY.match(start):
        return "xes"
    if _ARRAY.match(start):
        return "json"
    return _text_format(start, name)


def _text_format(start: bytes, name: str) -> str:
    """JSON Lines or a table: a table has a first line of several cells that is no JSON."""
    if start.startswith((b"{", b"[")) or name.endswith((".jsonl", ".ndjson")):
        return "jsonl"
    header = start.splitlines()[0] if start else b""
    if name.endswith(".tsv") or (b"\t" in header and b"," not in header):
        return "tsv"
    return "csv" if name.endswith(".csv") or any(mark.encode() in header for mark in DELIMITERS) else "jsonl"
