"""Puts what came of the parts of a log together: the same play as of the whole log, without its records."""

from __future__ import annotations

from dataclasses import fields
from typing import Final

import numpy as np

from milepost.arrays import Column, Ints
from milepost.cleaning.gate import Admitted
from milepost.cleaning.names import list_players
from milepost.cleaning.survey import order_sessions
from milepost.logs.interface import ABSENT, BareLog
from milepost.memory import give_back_now
from milepost.numerics.whole_numbers import narrow, stable_order
from milepost.partitions.compressed_columns import CompressedColumn, Same, compress, decompress
from milepost.partitions.tasks import PartRequest, PlayedPart
from milepost.playback.attempt_tables import AroundAttempts, AttemptTable, Ends, MoveTable, SessionTimes
from milepost.playback.attributes import Attributes
from milepost.playback.play import Play

_PLACES = frozenset({"opened_at", "closed_at", "at"})  # columns that point into the order of replay


def merge_plays(parts: list[PlayedPart], log: BareLog, debug_sessions: int, wanted: PartRequest) -> Play:
    """The play of a whole log; what came of the parts is used up.

    Args:
        parts: what came of all its parts.
        log: the log without records, and without sessions left out.
        debug_sessions: how many were left out as debug.
        wanted: what was replayed, and how.
    """
    count = len(log.sessions.name)
    lengths = _merge_by_session([part.lengths for part in parts], parts, count)
    bounds = np.concatenate(([0], np.cumsum(lengths)))
    columns = ([getattr(part.times, field.name) for part in parts] for field in fields(SessionTimes))
    times = SessionTimes(*(_merge_by_session(column, parts, count) for column in columns))
    players, player = list_players(log.sessions)
    sequence = order_sessions(log.sessions, player, np.nan_to_num(times.first))
    rank = np.empty(count, np.int64)
    rank[sequence] = np.arange(count)
    order = _order_rows(parts, [part.attempts for part in parts], bounds, rank)
    attempts = AttemptTable(**_join_tables([part.attempts for part in parts], order))
    attributes = _attributes([(part.attributes, part.around["cause"].rows) for part in parts], order)
    around = AroundAttempts(**_join_tables([part.around for part in parts], order))
    moving = [part.moves for part in parts]
    moves = MoveTable(**_join_tables(moving, _order_rows(parts, moving, bounds, rank)))
    course, stops = wanted.course, parts[0].stops
    course = course.with_levels(stops.names[len(course.levels) : stops.n_levels]) if course else None
    admitted = Admitted(
        log,
        debug_sessions,
        stops,
        bounds,
        _merge_by_session([part.coarse for part in parts], parts, count),
        players,
        player,
        sequence,
        course,
        wanted.exclusion,
    )
    known: dict[type, object] = {kind: kind.merged([part.summaries[kind] for part in parts]) for kind in wanted.summaries}
    known |= {AroundAttempts: around, SessionTimes: times, Attributes: attributes}
    end, endless = (_merge_by_session([getattr(part, name) for part in parts], parts, count) for name in ("end", "endless"))
    return Play(admitted, attempts, moves, Ends(end), endless, wanted.course is None, wanted.rules, known)


def _merge_by_session(columns: list[Column], parts: list[PlayedPart], count: int) -> Column:
    """A column by session, from those of the parts."""
    whole = np.zeros(count, columns[0].dtype)
    for column, part in zip(columns, parts, strict=True):
        whole[part.sessions] = column
    return whole


def _order_rows(parts: list[PlayedPart], tables: list[dict[str, CompressedColumn]], bounds: Ints, rank: Ints) -> Ints:
    """The places of the rows, one table after the other, in the order of play; places in the part become such in the whole."""
    shift = np.zeros(len(rank), np.int64)  # per session, how far its records lie further on in the whole than in its part
    for part in parts:
        shift[part.sessions] = bounds[part.sessions] - part.begins
    for table in tables:
        for name in _PLACES & table.keys():
            table[name] = compress(decompress(table[name]) + shift[decompress(table["session"])])
    return stable_order(rank[end_to_end([table["session"] for table in tables])])


def _attributes(parts: list[tuple[dict[str, CompressedColumn], int]], order: Ints) -> Attributes:
    """The attributes of all attempts; a part in which no attempt has one does not have its column."""
    attributes: dict[str, Column] = {}
    for name in dict.fromkeys(name for columns, _ in parts for name in columns):
        kind = next(columns[name].kind for columns, _ in parts if name in columns)
        empty = kind.type(np.nan if kind.kind == "f" else ABSENT)
        attributes[name] = narrow(
            join_column(name, [columns.pop(name, Same(rows, kind, empty)) for columns, rows in parts], order)
        )
        give_back_now()
    return Attributes(attributes)


def _join_tables(tables: list[dict[str, CompressedColumn]], order: Ints) -> dict[str, Column]:
    """One table's columns of those of several, which are freed one by one, so that memory holds them once."""
    columns: dict[str, Column] = {}
    for name in list(tables[0]):
        columns[name] = join_column(name, [table.pop(name) for table in tables], order)
        give_back_now()
    return columns


NARROW: Final = frozenset(
    {"visit", "hits", "outcome", "opened_at", "closed_at", "at", "kind", "begun_as", "ended_as", "cause", "rating", "layout"}
)


def end_to_end(columns: list[CompressedColumn]) -> Column:
    """Columns one after the other."""
    kind = np.result_type(*{column.kind for column in columns})  # columns of tags are as narrow as each part allows
    whole, filled = np.empty(sum(column.rows for column in columns), kind), 0
    for column in columns:
        column.fill(whole[filled : filled + column.rows], 0)
        filled += column.rows
    return whole


def join_column(name: str, columns: list[CompressedColumn], order: Ints) -> Column:
    """A column from those of the parts, one after the other and then put in order."""
    filled = [column for column in columns if column.rows] or columns[:1]
    first = filled[0]
    if isinstance(first, Same) and all(
        isinstance(column, Same) and column.value.tobytes() == first.value.tobytes() for column in filled
    ):
        return np.broadcast_to(first.value, len(order))
    column = end_to_end(filled)[order]
    return narrow(column) if name in NARROW else column
