"""Reads a whole log, however many files it is made of, and whatever format each is in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Final, NamedTuple

from milepost.errors import LogError, UnknownLogError
from milepost.logs.columnar.block import Block
from milepost.logs.columnar.chunks import chunk_stage
from milepost.logs.columnar.mapped import is_columnwise
from milepost.logs.formats.detect import tell
from milepost.logs.formats.other_kinds import kind_of_file
from milepost.logs.formats.registry import FORMATS
from milepost.logs.interface import DEFAULTS, BareLog, Log, ReadOptions
from milepost.logs.mapping.logmap import NO_MAP, LogMap
from milepost.logs.mapping.shapes import Exploding, Stage
from milepost.logs.mapping.whole_input import FileRecords, explode_records, name_source, needs_all_files, select_records
from milepost.logs.records.attempt_rows import AttemptSink
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import RecordSink, repeat_for_players
from milepost.logs.records.stay_rows import StaySink
from milepost.logs.records.translation import Translator
from milepost.logs.sources.files import Source, expand
from milepost.memory import unpacked_size
from milepost.progress import SILENT, Progress

if TYPE_CHECKING:
    from milepost.logs.columnar.file_chunks import Pieces

_LONG, _HEAD = 16 << 20, 1 << 16  # bytes of a log whose reading takes a while, and of its beginning


class _Strict(NamedTuple):
    """A reader of whole columns, and from how many bytes on disk it pays."""

    read: Callable[[Source, LogMap, ReadOptions], Block | None]
    worthwhile: int


def _read_json_lines(source: Source, log_map: LogMap, _: ReadOptions) -> Block | None:
    from milepost.logs.columnar.strict import read_strict

    return read_strict(source, log_map)


def _read_parquet(source: Source, log_map: LogMap, _: ReadOptions) -> Block | None:
    from milepost.logs.columnar.parquet_pieces import read_strict_parquet

    return read_strict_parquet(source, log_map)


def _read_database(source: Source, log_map: LogMap, options: ReadOptions) -> Block | None:
    from milepost.logs.columnar.strict_rows import read_strict_database

    return read_strict_database(source, log_map, options)


def _read_sheet(source: Source, log_map: LogMap, options: ReadOptions) -> Block | None:
    from milepost.logs.columnar.strict_rows import read_strict_sheet

    return read_strict_sheet(source, log_map, options)


def _read_table(source: Source, log_map: LogMap, options: ReadOptions) -> Block | None:
    from milepost.logs.columnar.strict_table import read_strict_table

    return read_strict_table(source, log_map, options)


_STRICT: Final = {
    "jsonl": _Strict(_read_json_lines, 3 << 19),
    "csv": _Strict(_read_table, 1 << 20),
    "tsv": _Strict(_read_table, 1 << 20),
    "parquet": _Strict(_read_parquet, 256 << 10),
    "sqlite": _Strict(_read_database, 1 << 20),
    "workbook": _Strict(_read_sheet, 1 << 19),
}
_PARTED: Final = ("jsonl", "parquet")  # which are read in pieces, too


def read(names: list[str], log_map: LogMap = NO_MAP, progress: Progress = SILENT, options: ReadOptions = DEFAULTS) -> Log:
    """Read the files, folders and globs named as one log.

    Raises:
        LogError: nothing there, not to be opened, or no record in it that can be used.
    """
    builder = RecordBuilder()
    read_into(builder, names, log_map, progress, options)
    log = builder.log()
    if not len(log.records):
        raise no_usable_record(log)
    return repeat_for_players(log)


def read_into(builder: RecordBuilder, names: list[str], log_map: LogMap, progress: Progress, options: ReadOptions) -> None:
    """Give every record of the files, folders and globs named to a builder.

    Raises:
        LogError: nothing there, or not to be opened.
    """
    sources = expand(names)
    progress.step("reading", estimate_records(sources))
    if sources[0].store is not None:
        _restore(builder, sources.pop(0))
    for source in sources:
        read_source(builder, source, log_map, progress, options)
    give_waiting(builder)
    require_mapped(builder)


def estimate_records(sources: list[Source]) -> int | None:
    """About how many records there are, by the lines at the beginning, so that the time left can be told.

    None where that says little: of files that are small, packed, or no lines of text.
    """
    first, total = sources[0], sum(source.size() for source in sources)
    if total < _LONG or first.path is None or first.store is not None:
        return None
    try:
        with first.path.open("rb") as stream:
            head = stream.read(_HEAD)
    except OSError:
        return None  # which is said when it is read
    lines = head.count(b"\n")
    return round(total * lines / len(head)) if lines and b"\0" not in head else None


def require_mapped(builder: RecordBuilder) -> None:
    """Refuse a log map that names what no record had.

    Raises:
        MapError: it does.
    """
    if builder.translator is not None:
        builder.translator.use.require(builder.translator.map)


def read_source(
    builder: RecordBuilder,
    source: Source,
    log_map: LogMap,
    progress: Progress,
    options: ReadOptions,
    pieces: Pieces | None = None,
) -> None:
    """Give every record of one file to a builder, a large one piece by piece where that is asked for.

    Raises:
        LogError: it cannot be opened, or breaks off inside its packing.
    """
    options = suit_options(options, log_map)
    translator = builder.translated_by(log_map)
    file = len(builder.files)
    builder.files.append(source.label)
    form = tell(source, options)
    mapped = is_columnwise(log_map) and not log_map.reshapes and not log_map.names_sources
    whole = form in _STRICT and builder.keeps_records and (translator is None or mapped)
    if whole and _read_at_full_speed(builder, source, log_map, options, pieces, progress):
        return
    reader = FORMATS[form]
    if translator is not None and needs_all_files(log_map):
        waiting = FileRecords(file, label=source.label)
        builder.waiting.append((waiting, reader.cells))
        reader.read(source, name_source(waiting, source, log_map), options, progress)
        return
    last = _make_last_sink(builder, file, translator, reader.cells)
    sink = Exploding(last, log_map.explode, str(log_map.path)) if log_map.explode else last
    reader.read(source, name_source(sink, source, log_map) if log_map.names_sources else sink, options, progress)
    sink.finish()


def give_waiting(builder: RecordBuilder) -> None:
    """Give a builder the records that waited until the last file was read.

    Raises:
        MapError: the map's query cannot be run, or no record has its arrays.
    """
    translator, waiting = builder.translator, builder.waiting
    if translator is None or not waiting:
        return
    builder.waiting, log_map, cells = [], translator.map, any(cells for _, cells in waiting)

    def further() -> int:
        builder.files.append(f"{log_map.path} [input] select")
        return len(builder.files) - 1

    files = explode_records(select_records([records for records, _ in waiting], log_map, further), log_map)
    if translator.starts is not None:
        noting = Translator(log_map, translator.starts)
        for record in (record for part in files for record in part.records()):
            noting.note_session(record, cells)
        translator.starts.settle()
    if log_map.rows.each == "attempt":
        sink = AttemptSink(builder, 0, translator, cells)
        for part in files:
            sink.file = part.file
            part.hand_on(sink)
        sink.finish()
        return
    for part in files:
        part.give(_make_last_sink(builder, part.file, translator, cells))


def _make_last_sink(builder: RecordBuilder, file: int, translator: Translator | None, cells: bool) -> Stage:
    """Return the stage that makes our records of a reader's records."""
    if translator is not None and translator.map.rows.each == "attempt":
        return AttemptSink(builder, file, translator, cells)
    if translator is not None and translator.map.rows.each:
        return StaySink(builder, file, translator, cells)
    return chunk_stage(RecordSink(builder, file, translator, cells), NO_MAP if translator is None else translator.map)


def suit_options(options: ReadOptions, log_map: LogMap) -> ReadOptions:
    """How files are read, with what a log map says of that."""
    form = options.form or ("lines" if log_map.lines else "xml" if log_map.record else log_map.form)
    return replace(
        options,
        query=log_map.query,
        delimiter=log_map.delimiter,
        encoding=log_map.encoding,
        form=form,
        query_seconds=log_map.query_seconds,
        lines=log_map.lines,
        record=log_map.record,
    )


def _restore(builder: RecordBuilder, source: Source) -> None:
    """Begin with what a packed store holds."""
    from milepost.logs.store.store import restore

    if not builder.keeps_records or source.store is None:
        raise LogError(f"{source.label}: a packed store holds no records as they were logged. Name the logs themselves.")
    restore(source.store, builder)


def _read_at_full_speed(
    builder: RecordBuilder, source: Source, log_map: LogMap, options: ReadOptions, pieces: Pieces | None, progress: Progress
) -> bool:
    """Read a file by whole columns, as far as that can be; false where nothing was read."""
    form, size = tell(source, options), unpacked_size(source.label, source.size())
    if pieces is None and size < _STRICT[form].worthwhile:
        return False
    from milepost.logs.columnar.file_chunks import SMALL, Pieces, read_in_pieces
    from milepost.logs.columnar.parquet_pieces import read_parquet_in_pieces

    if pieces is None or size <= pieces.size:
        if _read_whole(_STRICT[form], source, log_map, options, builder, progress):
            return True
        pieces = Pieces(SMALL, lambda: None)  # so that little of it has to be read line by line
        if form == "parquet" or size <= 2 * SMALL:
            return False
    if form not in _PARTED or (form == "parquet" and log_map.active):
        return False
    if form == "parquet":
        return read_parquet_in_pieces(builder, source, options, pieces, progress)
    read_in_pieces(builder, source, log_map, options, pieces, progress)
    return True


def _read_whole(
    reader: _Strict, source: Source, log_map: LogMap, options: ReadOptions, builder: RecordBuilder, progress: Progress
) -> bool:
    """Read a large file at full speed, if nothing in it is out of the ordinary; false where nothing was read."""
    if source.size() < reader.worthwhile:
        return False
    block = reader.read(source, log_map, options)
    if block is None or not builder.add_block(block, len(builder.files) - 1):
        return False
    progress.advance(block.rows)
    return True


def no_usable_record(log: BareLog) -> LogError:
    """Why a log is refused of which no record can be used."""
    where = log.files[0] if len(log.files) == 1 else f"{log.files[0]} and {len(log.files) - 1} more"
    if not log.refused and (kind := kind_of_file(log.files[0])):
        return UnknownLogError(f"{log.files[0]}: {kind}")
    if not log.refused:
        return LogError(f"{where}: the log is empty. Give a log with at least one record.")
    first = log.refused[0]
    if log.map_use is None and (kind := kind_of_file(log.files[first.place.file])):
        return UnknownLogError(f"{log.files[first.place.file]}: {kind}")
    where = f"{log.files[first.place.file]}:{first.place.line}: {first.reason}, and no other record of the log can be used."
    if log.map_use is not None:
        return LogError(f"{where} Does the log map fit? milepost map LOG drafts one to hold it against.")
    return UnknownLogError(f"{where} Logs with other field names are read through --map FILE; milepost map LOG drafts one.")
