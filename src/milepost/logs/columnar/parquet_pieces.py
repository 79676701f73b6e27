"""Large Parquet files by so many rows at a time, so that only a few pieces are in memory at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Final

from milepost.logs.columnar.arrow import connect
from milepost.logs.columnar.block import Block
from milepost.logs.columnar.chunks import chunk_stage
from milepost.logs.columnar.column_builders import given_up
from milepost.logs.columnar.file_chunks import Pieces, run_ahead
from milepost.logs.columnar.strict_rows import block_of_table
from milepost.logs.formats.parquet import names_in
from milepost.logs.formats.registry import FORMATS
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.mapping.logmap import NO_MAP, LogMap
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import RecordSink
from milepost.logs.sources.files import Source
from milepost.progress import Progress

_ROW: Final = 96  # bytes that a row would have as JSON Lines, about


@dataclass(frozen=True, eq=False, repr=False)
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
    for first, block in run_ahead(_pieces(source, groups, pieces.size // _ROW), pieces.ahead):
        if block is None or not builder.add_block(block, file, first):
            sink = chunk_stage(RecordSink(builder, file, None, FORMATS["parquet"].cells), NO_MAP)
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
            yield first, partial(read_strict_parquet, source, NO_MAP, (first, end))
            first = end


_ALL: Final = "SELECT * FROM read_parquet(?, hive_partitioning = true)"
_SOME: Final = (
    "SELECT * EXCLUDE (file_row_number) FROM read_parquet(?, hive_partitioning = true, file_row_number = true) "
    "WHERE file_row_number >= ? AND file_row_number < ?"
)


def read_strict_parquet(source: Source, log_map: LogMap = NO_MAP, rows: tuple[int, int] | None = None) -> Block | None:
    """The columns of a Parquet file; None where it has to be read row by row.

    Args:
        source: the file.
        log_map: what its columns mean.
        rows: the first row that is wanted, from 0, and the one after the last, where not all are.
    """
    if source.path is None:
        return None
    with connect(source.size()) as base, given_up(source.path) as path:
        query, params = (_ALL, ()) if rows is None else (_SOME, rows)
        table = base.sql(query, params=[path, *params])
        return block_of_table(table, names_in(source.path, table.columns), log_map)
    return None


def row_groups(source: Source) -> list[int] | None:
    """How many rows each group of rows of a Parquet file has, which are read as a whole; None where it cannot be asked."""
    from pyarrow import ArrowException, parquet

    if source.path is None:
        return None
    try:
        about = parquet.read_metadata(source.path)
        return [int(about.row_group(number).num_rows) for number in range(about.num_row_groups)]
    except (ArrowException, OSError):
        return None
