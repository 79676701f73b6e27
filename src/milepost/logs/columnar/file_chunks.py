"""Large JSON Lines files in pieces of whole lines, so that only a few pieces are in memory at once."""

from __future__ import annotations

import io
import os
import tempfile
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any, Final, TypeVar

from milepost.logs.columnar.block import Block
from milepost.logs.columnar.chunks import chunk_stage
from milepost.logs.columnar.strict import StrictReader, strict_reader
from milepost.logs.formats.jsonlines import MAX_LINE, add_line, lines
from milepost.logs.interface import Place, ReadOptions
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import RecordSink
from milepost.logs.sources.files import Source
from milepost.memory import scratch_writing
from milepost.progress import SILENT, Progress

Piece = Any  # a file for the moment, whose type is not told outside its library
SMALL: Final = 2 << 20  # bytes of a piece of which little enough is lost where it has to be read line by line
_AT_ONCE: Final = 1 << 20  # bytes


def read_in_pieces(
    builder: RecordBuilder, source: Source, log_map: LogMap, options: ReadOptions, pieces: Pieces, progress: Progress = SILENT
) -> None:
    """Give every record of a file of JSON Lines, the builder's last one, to a builder, piece by piece.

    Args:
        builder: where the records go.
        source: the file, packed or not.
        log_map: how it is to be understood, which holds for whole columns.
        options: how it is read.
        pieces: what pieces.
        progress: told of the records read.

    Raises:
        LogError: it cannot be opened, or breaks off inside its packing.
    """
    file, before = len(builder.files) - 1, 0
    with source.open(options.max_bytes) as stream, strict_reader(source.size(), log_map) as reader:
        for piece, block in _parsed(reader, _pieces(stream, pieces.size), pieces.ahead):
            with piece:
                count = _add_piece(builder, reader, piece, block, Place(file, before))
            before += count
            progress.advance(count)
            pieces.done()


def _parsed(reader: StrictReader, pieces: Iterator[Piece], ahead: int) -> Iterator[tuple[Piece, Block | None]]:
    """Pieces with their columns, None for one that cannot be read at full speed."""
    return run_ahead(((piece, partial(reader.read, Source(Path(piece.name)))) for piece in pieces), ahead)


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
    """Yield the rest of a piece with what was read of it; of a line that is too long to be a record, only the beginning."""
    left = size
    while data:
        yield data
        left -= len(data)
        last, data = data, stream.read(min(left, _AT_ONCE)) if left > 0 else b""
    if not last.endswith(b"\n"):
        yield _rest_of_line(stream)


def _rest_of_line(stream: io.BufferedReader) -> bytes:
    """Return the rest of a line; one that is too long is cut there."""
    rest = stream.readline(MAX_LINE + 1)
    if len(rest) <= MAX_LINE or rest.endswith(b"\n"):
        return rest
    while (more := stream.readline(MAX_LINE)) and not more.endswith(b"\n"):
        pass
    return rest + b"\n"


def _add_piece(builder: RecordBuilder, reader: StrictReader, piece: Piece, block: Block | None, after: Place) -> int:
    """Give a piece that comes after some place to a builder, what is small line by line; how many lines it has."""
    if block is not None and builder.add_block(block, after.file, after.line):
        return block.n_lines
    if os.fstat(piece.fileno()).st_size > 2 * SMALL:
        return _add_small_pieces(builder, reader, piece, after)
    sink = chunk_stage(RecordSink(builder, after.file, builder.translator, cells=False), reader.log_map)
    number = after.line
    for number, line in enumerate(lines(piece, after.line == 0), after.line + 1):
        add_line(line, number, sink)
    sink.finish()
    return number - after.line


def _add_small_pieces(builder: RecordBuilder, reader: StrictReader, piece: Piece, after: Place) -> int:
    """Add a piece in smaller pieces, so that little has to be read line by line."""
    line = after.line
    for small in _pieces(piece, SMALL):
        with small:
            line += _add_piece(builder, reader, small, reader.read(Source(Path(small.name))), Place(after.file, line))
    return line - after.line


K = TypeVar("K")
V = TypeVar("V")


@dataclass(frozen=True)
class Pieces:
    """How large files are read.

    Attributes:
        size: bytes of a piece, as JSON Lines has them.
        done: called whenever the records of a piece are with the builder.
        ahead: how many pieces are parsed at the same time, each in a thread, while another one goes to the builder.
    """

    size: int
    done: Callable[[], None]
    ahead: int = 1


def run_ahead(work: Iterator[tuple[K, Callable[[], V]]], ahead: int) -> Iterator[tuple[K, V]]:
    """Yield each job's result with its name; some jobs run ahead in threads while one result is taken."""
    waiting: deque[tuple[K, Future[V]]] = deque()
    with ThreadPoolExecutor(ahead) as threads:
        for name, piece in work:
            waiting.append((name, threads.submit(piece)))
            if len(waiting) > ahead:
                yield _take_first(waiting)
        while waiting:
            yield _take_first(waiting)


def _take_first(waiting: deque[tuple[K, Future[V]]]) -> tuple[K, V]:
    name, result = waiting.popleft()
    return name, result.result()
