"""A log held in memory in as few bytes as hold it, and taken out block by block, each with all the records of some players."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from milepost.arrays import Column, Ints
from milepost.cleaning.names import list_players
from milepost.errors import RecordsGoneError
from milepost.logs.columnar.file_chunks import Pieces
from milepost.logs.interface import ABSENT, TAG, BareLog, Log, Records, Sessions
from milepost.logs.read import estimate_records, give_waiting, no_usable_record, read_source, require_mapped
from milepost.logs.records.builder import RECORD_COLUMNS, RecordBuilder, records_with
from milepost.logs.records.sink import require_one_player
from milepost.logs.sources.files import expand
from milepost.numerics.whole_numbers import narrow, number_values
from milepost.partitions.compressed_columns import CompressedColumn, compress
from milepost.partitions.execution import LogRequest
from milepost.progress import Progress

_PIECE: Final = 24 << 20  # bytes of a file that are read at once
_BLOCK: Final = 1 << 17  # records of a block, if no player has more
_BLOCKS: Final = 100  # at most, about, for each of them knows of all sessions
_CODE_OF_TAG: Final = np.dtype(np.int32)


@dataclass(frozen=True, eq=False, repr=False)
class _Piece:
    """Records that were read together, and where each block begins among them; one more than blocks."""

    columns: dict[str, CompressedColumn]
    bounds: list[int]

    def sessions(self) -> Ints:
        """Per record, its session."""
        sessions = np.empty(self.bounds[-1], np.int64)
        self.columns["session"].fill(sessions, 0)
        return sessions

    def length(self, block: int) -> int:
        """How many records of a block there are."""
        return self.bounds[block + 1] - self.bounds[block]

    def fill(self, room: Column, name: str, block: int) -> None:
        """Put a column of the records of one block, as it was read, into room for it; a tag that none has is nowhere given."""
        if name in self.columns:
            self.columns[name].fill(room, self.bounds[block])
        else:
            room[:] = ABSENT

    def parted(self, block_of_session: Column, blocks: int) -> _Piece:
        """Return the log with the records in the order of their blocks, and within a block as they were."""
        block = block_of_session[self.sessions()]
        order = np.argsort(block, kind="stable")
        bounds = np.concatenate(([0], np.cumsum(np.bincount(block, minlength=blocks)))).tolist()
        for name in list(self.columns):
            self.columns[name] = self.columns[name].ordered(order)  # one by one, so that memory holds them once
        return _Piece(self.columns, bounds)


@dataclass(frozen=True, eq=False)
class HeldPart:
    """The records of some players of a log that is held in memory.

    Attributes:
        bare: the log without its records.
        pieces: all of its records.
        block: which players.
    """

    bare: BareLog
    pieces: list[_Piece]
    block: int

    def log(self, columns: tuple[str, ...] | None = None) -> Log:
        """The log of these players, with the sessions and names of the whole.

        Args:
            columns: those of the records that are needed, where not all are; the others hold zeros.

        Raises:
            RecordsGoneError: they were freed.
        """
        if not self.pieces:
            raise RecordsGoneError
        names = columns or (*RECORD_COLUMNS, *(TAG + name for name in self.bare.tags))
        rows = sum(piece.length(self.block) for piece in self.pieces)
        return Log(**vars(self.bare), records=records_with({name: self._column(name, rows) for name in names}, rows))

    def by_itself(self, columns: tuple[str, ...] | None = None) -> Log:
        """Return the part with its own sessions only.

        Raises:
            RecordsGoneError: they were freed.
        """
        return cut_to_own_sessions(self.log(columns))

    def free(self) -> None:
        """Let the records of all blocks go."""
        self.pieces.clear()

    def _column(self, name: str, rows: int) -> Column:
        column, filled = np.empty(rows, RECORD_COLUMNS.get(name, _CODE_OF_TAG)), 0
        for piece in self.pieces:
            end = filled + piece.length(self.block)
            piece.fill(column[filled:end], name, self.block)
            filled = end
        return column


def hold_in_blocks(log: BareLog, pieces: list[_Piece], most: int) -> list[HeldPart]:
    """A log in blocks of whole players.

    Args:
        log: the log without records.
        pieces: its records, which are put into another order; when these parts let them go, nobody else has them.
        most: about how many records a block has, if no player has more.
    """
    player = list_players(log.sessions)[1]
    records = np.zeros(len(player), np.int64)
    for piece in pieces:
        records += np.bincount(piece.sessions(), minlength=len(player))
    before = np.cumsum(np.bincount(player, records).astype(np.int64)) - 1
    numbers = number_values(before // most)[1]
    block, count = narrow(numbers)[player], int(numbers.max()) + 1  # few bits are sorted fastest
    pieces[:] = [piece.parted(block, count) for piece in pieces]
    return [HeldPart(log, pieces, number) for number in range(count)]


def hold(asked: LogRequest, progress: Progress) -> tuple[list[HeldPart], Opened, Opened, int]:
    """Read the logs that are asked for, piece by piece, and hold them in memory.

    Gives the parts, what gives the log without records, twice: it is there, and how many records there are.

    Args:
        asked: the logs.
        progress: told of the records read.

    Raises:
        LogError: a log cannot be read, or no record of them can be used.
        MapError: the map names what no record had.
    """
    builder, pieces = RecordBuilder(), list[_Piece]()

    def take() -> None:
        rows = len(builder)
        if rows:
            pieces.append(_packed_piece(builder, rows))

    builder.when_full = take
    sources = expand(asked.names)
    progress.step("reading", estimate_records(sources))
    for source in sources:
        read_source(builder, source, asked.log_map, progress, asked.options, Pieces(_PIECE, take, asked.work.threads))
        take()
    give_waiting(builder)
    take()
    require_mapped(builder)
    log = builder.log().bare()
    if not pieces:
        raise no_usable_record(log)
    require_one_player(log.sessions, log.files[0])
    records = sum(piece.bounds[-1] for piece in pieces)
    return hold_in_blocks(log, pieces, max(_BLOCK, records // _BLOCKS)), lambda: log, lambda: log, records


def _packed_piece(builder: RecordBuilder, rows: int) -> _Piece:
    """Return the records that a builder has read by now, which it forgets."""
    columns = builder.columns()
    builder.clear_rows()
    return _Piece({name: compress(columns.pop(name)) for name in list(columns)}, [0, rows])


Opened = Callable[[], BareLog]  # gives a log without its records when it is asked for


def number_own_sessions(records: Records) -> tuple[Ints, Records]:
    """The sessions of some records, rising, and the records with these numbered among themselves."""
    present = np.bincount(records.session) > 0
    return np.flatnonzero(present), replace(records, session=(np.cumsum(present) - 1)[records.session])


def cut_to_own_sessions(log: Log) -> Log:
    """A part that has the sessions of the whole with its own ones only."""
    numbers, records = number_own_sessions(log.records)
    places = numbers.tolist()
    sessions = Sessions(**{name: [values[place] for place in places] for name, values in vars(log.sessions).items()})
    return replace(log, sessions=sessions, records=records, numbers=numbers)
