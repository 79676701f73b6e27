"""Large JSON Lines files in pieces of whole lines, so that only a few pieces are in memory at once."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any, Final

from milepost.logs.fast.ahead import Pieces, done_ahead
from milepost.logs.fast.gathering import Block
from milepost.logs.fast.parquet_pieces import read_parquet_in_pieces
from milepost.logs.fast.strict import strict_reader
from milepost.logs.formats.jsonlines import MAX_LINE, add_line, lines
from milepost.logs.formats.telling import tell
from milepost.logs.interface import ReadOptions
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.read import read_source
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import RecordSink
from milepost.logs.sources.files import Source
from milepost.progress import SILENT, Progress
from milepost.scratch import scratch_writing
from milepost.sizing import unpacked

Piece = Any  # a file for the moment, whose type is not told outside its library
_AT_ONCE: Final = 1 << 20  # bytes


def read_source_in_pieces(
    builder: RecordBuilder, source: Source, log_map: LogMap, options: ReadOptions, pieces: Pieces, progress: Progress
) -> None:
    """Give every record of a file to a builder, a large one of JSON Lines or Parquet piece by piece.

    Raises:
        LogError: it cannot be opened, or breaks off inside its packing.
    """
    large = unpacked(source.label, source.size()) > pieces.size and not log_map.active
    if large and tell(source, options) == "parquet":
        large = read_parquet_in_pieces(builder, source, options, pieces, progress)
    elif large:
        large = read_in_pieces(builder, source, options, pieces, progress)
    if not large:
        read_source(builder, source, log_map, progress, options)


def read_in_pieces(
    builder: RecordBuilder, source: Source, options: ReadOptions, pieces: Pieces, progress: Progress = SILENT
) -> bool:
    """Give every record of a file to a builder, piece by piece; false, with nothing read, where it is no JSON Lines.

    Args:
        builder: where the records go.
        source: the file, packed or not.
        options: how it is read.
        pieces: what pieces.
        progress: told of the records read.

    Raises:
        LogError: it cannot be opened, or breaks off inside its packing.
    """
    if tell(source, options) != "jsonl":
        return False
    file, before = len(builder.files), 0
    builder.files.append(source.label)
    with source.open(options.max_bytes) as stream:
        for piece, block in _parsed(_pieces(stream, pieces.size), pieces.ahead):
            with piece:
                count = _add_piece(builder, piece, block, file, before)
            before += count
            progress.advance(count)
            pieces.done()
    return True


def _parsed(pieces: Iterator[Piece], ahead: int) -> Iterator[tuple[Piece, Block | None]]:
    """Pieces with their columns, None for one that has to be read line by line."""
    with strict_reader() as reader:
        yield from done_ahead(((piece, partial(reader.read, Source(Path(piece.name)))) for piece in pieces), ahead)


def _pieces(stream: io.BufferedReader, size: int) -> Iterator[Piece]:
    """Files for the moment of about so many bytes each, up to the end of a line."""
    while data := stream.read(min(size, _AT_ONCE)):
        with scratch_writing():
            piece = tempfile.NamedTemporaryFile(suffix=".jsonl")  # noqa: SIM115  # whoever gets it closes it
        for part in _rest_of_piece(stream, data, size):
            with scratch_writing():
                piece.write(part)
        with scratch_writing():
            piece.seek(0)
        yield piece


def _rest_of_piece(stream: io.BufferedReader, data: bytes, size: int) -> Iterator[bytes]:
    """What has been read of a piece and the rest of it; of a line that is too long to be a record, only the beginning."""
    left = size
    while data:
        yield data
        left -= len(data)
        last, data = data, stream.read(min(left, _AT_ONCE)) if left > 0 else b""
    if not last.endswith(b"\n"):
        yield _rest_of_line(stream)


def _rest_of_line(stream: io.BufferedReader) -> bytes:
    """What is left of a line; one that is too long is cut there."""
    rest = stream.readline(MAX_LINE + 1)
    if len(rest) <= MAX_LINE or rest.endswith(b"\n"):
        return rest
    while (more := stream.readline(MAX_LINE)) and not more.endswith(b"\n"):
        pass
    return rest + b"\n"


def _add_piece(builder: RecordBuilder, piece: Piece, block: Block | None, file: int, before: int) -> int:
    """Give a piece that begins after so many lines to a builder; how many lines it has."""
    if block is not None and builder.add_block(block, file, before):
        return block.rows
    sink = RecordSink(builder, file, None, cells=False)
    number = before
    for number, line in enumerate(lines(piece, before == 0), before + 1):
        add_line(line, number, sink)
    return number - before
