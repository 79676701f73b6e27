"""Large Parquet files by so many rows at a time, so that only a few pieces are in memory at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Final

from milepost.logs.columnar.block import Block
from milepost.logs.columnar.chunks import chunked
from milepost.logs.columnar.prefetch import Pieces, done_ahead
from milepost.logs.columnar.strict_parquet import read_strict_parquet, row_groups
from milepost.logs.formats.registry import FORMATS
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.mapping.logmap import NO_MAP
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import RecordSink
from milepost.logs.sources.files import Source
from milepost.progress import Progress

_ROW: Final = 96  # bytes that a row would have as JSON Lines, about


@dataclass(frozen=True)
class _After(Sink):
    """Passes on what comes after so many rows."""

    sink: Sink
    rows: int

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Take a record as logged."""
        if line > self.rows:
            self.sink.add(record, line)

    def refuse(self, line: int, reason: str) -> None:
        """Note that something there is no record."""
        if line > self.rows:
            self.sink.refuse(line, reason)


def read_parquet_in_pieces(
    builder: RecordBuilder, source: Source, options: ReadOptions, pieces: Pieces, progress: Progress
) -> bool:
    """Give every row of a file, the builder's last one, to a builder; false where nobody can say how many there are.

    From the first piece on that is not as it should be, the rest is read row by row, which is where the rules stand.

    Args:
        builder: where the records go.
        source: the file.
        options: how it is read.
        pieces: what pieces.
        progress: told of the records read.

    Raises:
        LogError: it cannot be read.
    """
    groups, file = row_groups(source), len(builder.files) - 1
    if groups is None:
        return False
    for first, block in done_ahead(_pieces(source, groups, pieces.size // _ROW), pieces.ahead):
        if block is None or not builder.add_block(block, file, first):
            sink = chunked(RecordSink(builder, file, None, FORMATS["parquet"].cells), NO_MAP)
            FORMATS["parquet"].read(source, _After(sink, first), options, progress)
            sink.finish()
            break
        progress.advance(block.rows)
        pieces.done()
    return True


def _pieces(source: Source, groups: list[int], least: int) -> Iterator[tuple[int, Callable[[], Block | None]]]:
    """Yield each piece's first row and its reader: as many whole row groups as have about so many rows."""
    first = end = 0
    for number, rows in enumerate(groups):
        end += rows
        if end - first >= least or number + 1 == len(groups):
            yield first, partial(read_strict_parquet, source, (first, end))
            first = end
