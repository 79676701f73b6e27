"""The table of formats: how each is called, how its files' names end, who reads and who writes it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from typing import Final, cast


@dataclass(frozen=True)
class Format:
    """A format; who reads and writes it is loaded when it is needed.

    Attributes:
        endings: how names of its files end.
        reader: the module of this package that reads it, and the function there.
        writer: the function of ``writers`` that writes it; empty where none does.
        cells: whether its values know no types.
    """

    endings: tuple[str, ...]
    reader: str
    writer: str = ""
    cells: bool = False

    @property
    def read(self) -> Callable[..., None]:
        """The reader: it takes a source, a sink, options and whom to tell of progress."""
        module, _, function = self.reader.partition(":")
        return cast("Callable[..., None]", getattr(import_module(f"milepost.logs.formats.{module}"), function))

    @property
    def write(self) -> Callable[..., None]:
        """The writer: it takes the records and the stream."""
        return cast("Callable[..., None]", getattr(import_module("milepost.logs.formats.writers"), self.writer))


FORMATS: Final = {
    "jsonl": Format((".jsonl", ".ndjson"), "jsonlines:read_lines", "write_json_lines"),
    "json": Format((".json",), "jsonlines:read_array"),
    "csv": Format((".csv",), "delimited:read_delimited", "write_csv", cells=True),
    "tsv": Format((".tsv",), "delimited:read_delimited", cells=True),
    "parquet": Format((".parquet",), "parquet:read_parquet", "write_parquet", cells=True),
    "sqlite": Format((".sqlite",), "database:read_database", cells=True),
    "xes": Format((".xes",), "xes:read_xes", "write_xes"),
    "lines": Format((), "text_lines:read_pattern_lines", cells=True),
    "workbook": Format((".xlsx", ".ods"), "workbook:read_workbook", cells=True),
    "yaml": Format((), "nested:read_yaml"),
    "cbor": Format((".cbor",), "nested:read_cbor"),
    "xml": Format((), "xes:read_xml_records", cells=True),
}
WRITTEN: Final = {name: form for name, form in FORMATS.items() if form.writer}
LOG_SUFFIXES: Final = tuple(ending for form in FORMATS.values() for ending in form.endings)
