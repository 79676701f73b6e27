"""Reads a whole log, however many files it is made of."""

from __future__ import annotations

from milepost.errors import LogError
from milepost.logs import strict
from milepost.logs.builder import RecordBuilder
from milepost.logs.interface import Log
from milepost.logs.jsonlines import read_lines
from milepost.logs.logmap import NO_MAP, LogMap
from milepost.logs.sources import Source, expand
from milepost.progress import SILENT, Progress


def read(names: list[str], log_map: LogMap = NO_MAP, progress: Progress = SILENT) -> Log:
    """Read the files, folders and globs named as one log.

    Raises:
        LogError: nothing there, not to be opened, or no record in it that can be used.
    """
    builder = RecordBuilder()
    sources = expand(names)
    progress.step("reading")
    for source in sources:
        builder.files.append(source.label)
        file = len(builder.files) - 1
        if not _read_whole(source, file, builder, log_map, progress):
            read_lines(source, file, builder, log_map, progress)
    log = builder.log()
    _require_records(log)
    return log


def _read_whole(source: Source, file: int, builder: RecordBuilder, log_map: LogMap, progress: Progress) -> bool:
    """Read a large file at full speed, if nothing in it is out of the ordinary; false where nothing was read."""
    if log_map.active or source.size() < strict.WORTHWHILE:
        return False
    block = strict.read_strict(source)
    if block is None or not builder.add_block(block, file):
        return False
    progress.advance(block.rows)
    return True


def _require_records(log: Log) -> None:
    if len(log.records):
        return
    where = log.files[0] if len(log.files) == 1 else f"{log.files[0]} and {len(log.files) - 1} more"
    if not log.refused:
        raise LogError(f"{where}: the log is empty. Give a log with at least one record.")
    first = log.refused[0]
    raise LogError(
        f"{log.files[first.place.file]}:{first.place.line}: {first.reason}, and no other record of the log can be "
        "used. Mile Post reads one JSON object a line; --map FILE translates other field names."
    )
