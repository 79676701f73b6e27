"""Large JSON Lines files in pieces of whole lines, so that no more than one piece is in memory."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

from milepost.logs.fast.strict import read_strict
from milepost.logs.formats.jsonlines import MAX_LINE, add_line, lines
from milepost.logs.formats.telling import tell
from milepost.logs.interface import ReadOptions
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import RecordSink
from milepost.logs.sources.files import Source
from milepost.progress import Progress
from milepost.scratch import scratch_writing


def read_in_pieces(
    builder: RecordBuilder, source: Source, options: ReadOptions, size: int, done: Callable[[], None], progress: Progress
) -> bool:
    """Give every record of a file to a builder, piece by piece; false, with nothing read, where it is no JSON Lines.

    Args:
        builder: where the records go.
        source: the file, packed or not.
        options: how it is read.
        size: bytes of a piece.
        done: called after each piece.
        progress: told of the records read.

    Raises:
        LogError: it cannot be opened, or breaks off inside its packing.
    """
    if tell(source, options) != "jsonl":
        return False
    file, before = len(builder.files), 0
    builder.files.append(source.label)
    with source.open(options.max_bytes) as stream:
        for piece in _pieces(stream, size):
            count = _read_piece(builder, piece, file, before)
            before += count
            progress.advance(count)
            done()
    return True


def _pieces(stream: io.BufferedReader, size: int) -> Iterator[bytes]:
    """About so many bytes at a time, up to the end of a line; of a line that is too long to be a record, only the beginning."""
    while data := stream.read(size):
        yield data if data.endswith(b"\n") else data + _rest_of_line(stream)


def _rest_of_line(stream: io.BufferedReader) -> bytes:
    """What is left of a line; one that is too long is cut there."""
    rest = stream.readline(MAX_LINE + 1)
    if len(rest) <= MAX_LINE or rest.endswith(b"\n"):
        return rest
    while (more := stream.readline(MAX_LINE)) and not more.endswith(b"\n"):
        pass
    return rest + b"\n"


def _read_piece(builder: RecordBuilder, piece: bytes, file: int, before: int) -> int:
    """Read a piece that begins after so many lines; how many lines it has."""
    with scratch_writing(), tempfile.NamedTemporaryFile(suffix=".jsonl") as kept:
        kept.write(piece)
        kept.flush()
        block = read_strict(Source(Path(kept.name)))
    if block is not None and builder.add_block(block, file, before):
        return block.rows
    sink = RecordSink(builder, file, None, cells=False)
    number = before
    for number, line in enumerate(lines(io.BufferedReader(io.BytesIO(piece)), before == 0), before + 1):
        add_line(line, number, sink)
    return number - before
