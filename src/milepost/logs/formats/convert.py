"""Rewrites a log in another open format, by our names, words and times."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from milepost.errors import LogError, UsageError
from milepost.logs.formats.registry import WRITTEN
from milepost.logs.formats.writers import Spool
from milepost.logs.interface import Place, ReadOptions
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.read import read_into
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.sources.files import plain_name
from milepost.memory import scratch_writing
from milepost.output import write_file
from milepost.progress import SILENT, Progress


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
    for name, own in WRITTEN.items():
        if plain_name(target).endswith(own.endings):
            return name
    endings = ", ".join(ending for own in WRITTEN.values() for ending in own.endings)
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
