"""Writes records by our names in open formats: JSON Lines, CSV, Parquet, XES."""

from __future__ import annotations

import csv
import io
import itertools
import json
import tempfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO, Final
from xml.sax.saxutils import XMLGenerator
from xml.sax.xmlreader import AttributesImpl

from milepost.errors import LogError, UsageError
from milepost.logs.formats.delimited import guard_cell
from milepost.logs.formats.registry import WRITTEN
from milepost.logs.interface import Place, ReadOptions
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.read import read_into
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.fields import parse_stamp
from milepost.logs.sources.files import plain_name
from milepost.memory import scratch_writing
from milepost.output import write_file
from milepost.progress import SILENT, Progress
from milepost.vocabulary import NUMBER_FIELDS

Record = dict[str, object]
_FIRST: Final = (
    "session",
    "time",
    "event",
    "level",
    "to",
    "player",
    "build",
    "cause",
    "actor",
    "progress",
    "x",
    "y",
    "collected",
    "available",
    "seq",
    "id",
)
_NUMBERS: Final = NUMBER_FIELDS | {"seq"}
_EXACT: Final = 1 << 53  # whole numbers up to here are told apart as floats
_AT_ONCE: Final = 50_000  # records


class Spool:
    """Records on disk between reading and writing, with the columns that they have together."""

    def __init__(self, folder: str) -> None:
        self.path = Path(folder) / "records.jsonl"
        self._stream = self.path.open("w", encoding="utf-8", errors="surrogatepass")
        self.kinds: dict[str, set[type]] = {}
        self.large: set[str] = set()  # columns with whole numbers of more than 64 bits
        self.fine: set[str] = set()  # columns with whole numbers that a float does not hold exactly

    def add(self, record: Record) -> None:
        """Keep one record; fields that are absent are left out."""
        kept = {name: _simplify_value(name, value) for name, value in record.items() if value is not None and value != ""}
        for name, value in kept.items():
            self.kinds.setdefault(name, set()).add(type(value))
            if type(value) is int and abs(value) > _EXACT:
                self.fine.add(name)
                if not -(1 << 63) <= value < 1 << 63:
                    self.large.add(name)
        with scratch_writing():
            self._stream.write(json.dumps(kept, ensure_ascii=True) + "\n")

    def close(self) -> None:
        """Finish writing."""
        with scratch_writing():
            self._stream.close()

    def __iter__(self) -> Iterator[Record]:
        with self.path.open(encoding="utf-8") as lines:
            for line in lines:
                yield json.loads(line)

    def columns(self) -> list[str]:
        """The columns of a table: our fields in their order, then the tags by name; nested values have none."""
        flat = [name for name in self.kinds if name not in self.nested()]
        return [*(name for name in _FIRST if name in flat), *sorted(name for name in flat if name not in _FIRST)]

    def nested(self) -> list[str]:
        """Columns with objects or lists, which a table has no room for."""
        return [name for name, kinds in self.kinds.items() if kinds & {dict, list}]


def _simplify_value(name: str, value: object) -> object:
    """A value as it is understood, so that it reads the same from a table without types: a level 7.0 is the level 7."""
    if type(value) is not float or name in _NUMBERS or name == "time" or not value.is_integer():
        return value
    return int(value)


def write_json_lines(spool: Spool, out: BinaryIO) -> None:
    """One object a line, UTF-8."""
    for record in spool:
        out.write((json.dumps(record, ensure_ascii=False) + "\n").encode("utf-8", "backslashreplace"))


def write_csv(spool: Spool, out: BinaryIO) -> None:
    """A header, then a record a row; texts that a spreadsheet would take for formulas get an apostrophe before them."""
    text = io.TextIOWrapper(out, encoding="utf-8", errors="backslashreplace", newline="")
    writer = csv.writer(text, lineterminator="\n")
    columns = spool.columns()
    writer.writerow([guard_cell(name) for name in columns])
    for record in spool:
        writer.writerow(_cell(record.get(name)) for name in columns)
    text.flush()
    text.detach()


def _cell(value: object) -> object:
    if value is True or value is False:
        return "true" if value else "false"
    return guard_cell(value) if isinstance(value, str) else value


def write_parquet(spool: Spool, out: BinaryIO) -> None:
    """Columns with types: numbers as doubles, whole ones as such, texts as texts; a column of several is text."""
    import pyarrow as pa
    from pyarrow import parquet

    columns = spool.columns()
    types = {name: _column_type(name, spool) for name in columns}
    schema = pa.schema([(name, types[name]) for name in columns])
    with parquet.ParquetWriter(out, schema, compression="zstd") as writer:
        for records in _read_batches(spool):
            cells = {name: [_fitting(record.get(name), types[name]) for record in records] for name in columns}
            arrays = [pa.array(cells[name], types[name]) for name in columns]
            writer.write_batch(pa.RecordBatch.from_arrays(arrays, schema=schema))


def _read_batches(spool: Spool) -> Iterator[list[Record]]:
    records = iter(spool)
    while batch := list(itertools.islice(records, _AT_ONCE)):
        yield batch


def _column_type(name: str, spool: Spool) -> object:
    """The type of a column, in which each of its values stays what it is."""
    import pyarrow as pa

    kinds = spool.kinds[name]
    if kinds <= {bool}:
        return pa.bool_()
    if kinds <= {int} and (name == "seq" or name not in (*_NUMBERS, "time")) and name not in spool.large:
        return pa.int64()
    numeric = kinds <= {int, float} and name not in spool.large and not (name in spool.fine and name not in (*_NUMBERS, "time"))
    return pa.float64() if numeric else pa.string()


def _fitting(value: Any, kind: object) -> object:
    if value is None or str(kind) in ("bool", "int64"):
        return value
    if str(kind) == "double":
        return float(value)
    text = str(value).lower() if isinstance(value, bool) else str(value)
    return text.encode("utf-8", "backslashreplace").decode()  # lone surrogates are none of UTF-8


def write_xes(spool: Spool, out: BinaryIO) -> None:
    """IEEE 1849: a trace a session, an event a record; fields are attributes under our names."""
    sessions: dict[object, list[Record]] = {}
    for record in spool:
        sessions.setdefault(record.get("session"), []).append(record)
    xml = XMLGenerator(out, encoding="utf-8", short_empty_elements=True)
    xml.startDocument()
    xml.startElement("log", AttributesImpl({"xes.version": "1.0", "xmlns": "http://www.xes-standard.org/"}))
    for name, prefix in (("Concept", "concept"), ("Time", "time")):
        named = {"name": name, "prefix": prefix, "uri": f"http://www.xes-standard.org/{prefix}.xesext"}
        xml.startElement("extension", AttributesImpl(named))
        xml.endElement("extension")
    for session, records in sessions.items():
        xml.characters("\n")
        xml.startElement("trace", AttributesImpl({}))
        _attribute(xml, "concept:name", session)
        for record in records:
            _xes_event(xml, record)
        xml.endElement("trace")
    xml.endElement("log")
    xml.endDocument()


def _xes_event(xml: XMLGenerator, record: Record) -> None:
    xml.startElement("event", AttributesImpl({}))
    for name, value in record.items():
        if name != "session" and not isinstance(value, dict | list):
            _attribute(xml, _xes_key(name, value), value)
    xml.endElement("event")


def _xes_key(name: str, value: object) -> str:
    if name == "event":
        return "concept:name"
    return "time:timestamp" if name == "time" and isinstance(value, str) and parse_stamp(value) is not None else name


def _attribute(xml: XMLGenerator, key: str, value: object) -> None:
    kind = {bool: "boolean", int: "int", float: "float"}.get(type(value), "string")
    if key == "time:timestamp":
        kind = "date"
    text = str(value).lower() if kind == "boolean" else repr(value) if kind == "float" else str(value)
    xml.startElement(kind, AttributesImpl({"key": _xml_text(key), "value": _xml_text(text)}))
    xml.endElement(kind)


def _xml_text(text: str) -> str:
    """The text without the characters that XML cannot hold, which are written as escapes."""
    return "".join(
        char
        if char in "\t\n\r" or " " <= char <= "\ud7ff" or "\ue000" <= char <= "\ufffd" or char >= "\U00010000"
        else char.encode("unicode_escape").decode("ascii")
        for char in text
    )


@dataclass(frozen=True)
class Converted:
    """The result of converting: records written, records refused with the first reason, and fields that a table cannot hold."""

    written: int
    refused: int
    first_refused: str | None
    nested: list[str]


class _SpoolingBuilder(RecordBuilder):
    """Checks records as ever, and keeps those that can be read on disk, with their fields as they were given."""

    keeps_records = False

    def __init__(self, spool: Spool) -> None:
        super().__init__()
        self.spool, self.written = spool, 0

    def add(self, record: Mapping[str, object], place: Place, likeness: int, marks: int = 0) -> None:
        """Add a record; keep it if it was not refused."""
        before = self.refusals.count
        super().add(record, place, likeness, marks)
        self.clear_rows()
        if self.refusals.count == before:
            self.spool.add(dict(record))
            self.written += 1


def format_of(target: str, form: str | None) -> str:
    """The format to write: as asked for, or by the target's ending.

    Raises:
        UsageError: neither says it.
    """
    if form:
        return form
    for name, wanted in WRITTEN.items():
        if plain_name(target).endswith(wanted.endings):
            return name
    endings = ", ".join(ending for form in WRITTEN.values() for ending in form.endings)
    raise UsageError(f"{target}: no format by that name. End it in {endings}, or say --to FORMAT.")


def convert(
    names: list[str], target: str, form: str, log_map: LogMap, options: ReadOptions, progress: Progress = SILENT
) -> Converted:
    """Read a log and write the records that can be read to one file, in the order read.

    Raises:
        LogError: the log cannot be read, or no record of it can.
        OutputError: the target cannot be written.
    """
    with scratch_writing():
        folder = tempfile.TemporaryDirectory(prefix="milepost-")
    with folder as name:
        spool = Spool(name)
        builder = _SpoolingBuilder(spool)
        read_into(builder, names, log_map, progress, options)
        spool.close()
        first = builder.refusals.kept[0] if builder.refusals.kept else None
        reason = f"{builder.files[first.place.file]}:{first.place.line}: {first.reason}" if first else None
        if not builder.written:
            raise LogError(f"{reason or names[0]}: there is no record to convert. A log map (--map) may be needed.")
        progress.step("writing")
        write_file(Path(target), lambda out: WRITTEN[form].write(spool, out))
    return Converted(builder.written, builder.refusals.count, reason, spool.nested())
