"""Moves: the transitions by kind, what setbacks cost, and whether players stop after one."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import ClassVar, TypedDict, cast

from milepost.measures.interface import Table
from milepost.measures.sums.move_counts import MoveCounts
from milepost.playback.play import Kinds, Summed
from milepost.vocabulary import MOVE_KINDS, SETBACK

# Moves from one stop to another, of one kind; the cost of setbacks is in seconds.
MoveRow = TypedDict(
    "MoveRow",
    {"from": str, "to": str | None, "kind": str, "count": int, "players": int, "cost": float | None, "never_back": int | None},
)


# How often players left a level by each kind of move.
MovesRow = TypedDict(
    "MovesRow",
    {
        "level": str,
        "exit": int,
        "entry": int,
        "repeat": int,
        "setback": int,
        "passed": int,
        "advance": int,
        "return": int,
        "skip": int,
        "restart": int,
    },
)


class MovesTotals(TypedDict):
    """How often each kind of move was made, and the moves."""

    kinds: dict[str, int]
    moves: list[MoveRow]


@dataclass(frozen=True)
class Moves:
    """Moves between levels, in the table's order of play."""

    SUMS: ClassVar[Kinds] = (MoveCounts,)

    def __call__(self, play: Summed) -> Table[MovesRow, MovesTotals]:
        """Rows a move; the totals hold how often each kind of move was made, and what came of setbacks."""
        counts = play.sums(MoveCounts)
        keys = zip(*(column.tolist() for column in counts.moves.columns), strict=True)
        moves = [_row(play, counts, key) for key in sorted(keys, key=_rank)]
        of_kind = counts.moves.by(2)
        often = {MOVE_KINDS[kind]: of_kind.at(kind).total for kind in of_kind.columns[0].tolist()}
        rows = [_of_level(moves, play.stops[level]) for level in range(play.n_levels)]
        return Table(rows, MovesTotals(kinds={kind: often[kind] for kind in MOVE_KINDS if kind in often}, moves=moves))


def _rank(key: tuple[int, int, int]) -> tuple[int, int, int, int]:
    origin, target, kind = key
    return origin, target < 0, target, kind


def _row(play: Summed, counts: MoveCounts, key: tuple[int, int, int]) -> MoveRow:
    origin, target, kind = key
    moves, players, setbacks = (of.at(origin).at(target).at(kind) for of in (counts.moves, counts.players, counts.setbacks))
    is_setback = kind == SETBACK
    return {
        "from": play.stops[origin],
        "to": play.stops[target] if target >= 0 else None,
        "kind": MOVE_KINDS[kind],
        "count": moves.total,
        "players": players.total,
        "cost": setbacks.by(1).sum() if is_setback else None,
        "never_back": setbacks.at(True).total if is_setback else None,
    }


def _of_level(moves: list[MoveRow], level: str) -> MovesRow:
    """How often players left a level by each kind of move."""
    counts: Counter[str] = Counter()
    for move in moves:
        if move["from"] == level:
            counts[move["kind"]] += move["count"]
    return cast(MovesRow, {"level": level, **{kind: counts[kind] for kind in MOVE_KINDS}})
