"""Moves: the transitions by kind, what setbacks cost, and whether players stop after one."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import ClassVar, TypedDict, cast

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.measures.interface import Table
from milepost.numerics.value_counts import AddedUp, Counted
from milepost.playback.play import Kinds, Play, Summed
from milepost.playback.runs import RunMarks
from milepost.vocabulary import CLEARED, MOVE_KINDS, SETBACK, START


@dataclass(frozen=True, eq=False, repr=False)
class MoveCounts(AddedUp):
    """Moves of counted players, all by origin, target (-1 for none) and kind.

    Attributes:
        moves: moves.
        players: players who made such a move.
        setbacks: the same with whether the player never came back, and the active seconds of re-runs until then: setbacks.
        started_back: by the level just tried and the one started: starts without a move that put a player back.
        players_back: the same: players to whom this happened.
    """

    moves: Counted
    players: Counted
    setbacks: Counted
    started_back: Counted
    players_back: Counted

    @classmethod
    def of(cls, play: Play) -> MoveCounts:
        """Return the move counts of a play."""
        moves = play.moves
        counted = np.flatnonzero(play.counts[moves.player])
        keys = tuple(column[counted] for column in (moves.origin, moves.target, moves.kind))
        back = counted[keys[2] == SETBACK]
        of_setbacks = (column[back] for column in (moves.origin, moves.target, moves.kind))
        return cls(
            Counted.of(*keys),
            Counted.subjects(moves.player[counted], *keys),
            Counted.of(*of_setbacks, *_setbacks(play, back.tolist())),
            *_started_back(play),
        )


def _started_back(play: Play) -> tuple[Counted, Counted]:
    """Count the starts of counted players that put them back, and these players, by the level just tried and the one started."""
    table = play.attempts
    rows = np.flatnonzero(started_back_mask(play) & play.counts[table.player])
    between = table.level[rows - 1], table.level[rows]
    return Counted.of(*between), Counted.subjects(table.player[rows], *between)


def started_back_mask(play: Play) -> Bools:
    """Return a mask of the attempts begun by a bare start at an earlier level than the one just tried and not cleared.

    In sessions with transitions, and in logs that are played in runs, there are none: there a way back is a move or a new run.
    """
    table, gated = play.attempts, play.gated
    place, leg = gated.places(table.player, table.level), gated.legs(table.player, table.level)
    route = np.append(gated.orders.route, -1)[table.level]
    moving = np.zeros(len(gated.player), np.bool_)
    moving[play.moves.session] = True
    back = np.zeros(len(table), np.bool_)
    if len(table) > 1:
        uncleared = ~table.ended(CLEARED)[:-1] & (np.diff(table.session) == 0)
        on_route = (np.diff(leg) == 0) & (route[1:] >= 0) & (np.diff(route) == 0) & (np.diff(place) < 0)
        back[1:] = uncleared & ((np.diff(leg) < 0) | on_route) & (place[1:] >= 0)
    rule = play.course.runs.at if play.course else None
    anew = table.level == (play.stops.index(rule) if rule is not None else -1)
    in_runs = len(play.summary(RunMarks).session) > 0
    setbacks: Bools = back & (play.around.begun_as == START) & ~moving[table.session] & ~anew & (not in_runs)
    return setbacks


def _setbacks(play: Play, numbers: list[int]) -> tuple[Bools, Floats]:
    """Per setback, whether its player is never back at its origin, and the active seconds of re-runs until then."""
    table, moves = play.attempts, play.moves
    never, cost = np.ones(len(numbers), np.bool_), np.zeros(len(numbers))
    if not numbers:
        return never, cost
    rank = np.empty(len(play.gated.bounds) - 1, np.int64)
    rank[play.gated.sequence] = np.arange(len(play.gated.sequence))
    width = int(play.gated.bounds[-1]) + 1
    begun = rank[table.session] * width + table.opened_at
    replay = np.where(table.rerun & ~np.isnan(table.active), table.active, 0.0)
    first_of = np.searchsorted(begun, rank[moves.session[numbers]] * width + moves.at[numbers])
    ends = np.searchsorted(table.player, moves.player[numbers], side="right")
    for place, (number, first, end) in enumerate(zip(numbers, first_of.tolist(), ends.tolist(), strict=True)):
        after = np.arange(first, end)
        returned = after[table.level[after] == moves.origin[number]]
        never[place] = not len(returned)
        until = after[after < returned[0]] if len(returned) else after[table.session[after] == moves.session[number]]
        cost[place] = replay[until].sum()
    return never, cost


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


# Starts, without a move, at an earlier level than the one just tried and not cleared.
StartedBack = TypedDict("StartedBack", {"from": str, "to": str, "count": int, "players": int})


class MovesTotals(TypedDict):
    """How often each kind of move was made, the moves, and setbacks of which the log has the starts alone."""

    kinds: dict[str, int]
    moves: list[MoveRow]
    started_back: list[StartedBack]


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
        rows = [_build_row(moves, play.stops[level]) for level in range(play.n_levels)]
        kinds: dict[str, int] = {kind: often[kind] for kind in MOVE_KINDS if kind in often}
        return Table(rows, MovesTotals(kinds=kinds, moves=moves, started_back=_back_rows(play, counts)))


def _rank(key: tuple[int, int, int]) -> tuple[int, int, int, int]:
    origin, target, kind = key
    return origin, target < 0, target, kind


def _row(play: Summed, counts: MoveCounts, key: tuple[int, int, int]) -> MoveRow:
    origin, target, kind = key
    moves, players, setbacks = (table.at(origin).at(target).at(kind) for table in (counts.moves, counts.players, counts.setbacks))
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


def setbacks_by_starts(document: MovesTotals) -> list[MoveRow]:
    """Setbacks of which the log has the starts alone, as moves; what they cost is not known."""
    return [{**row, "kind": "setback by a start", "cost": None, "never_back": None} for row in document["started_back"]]


def _back_rows(play: Summed, counts: MoveCounts) -> list[StartedBack]:
    pairs = sorted(zip(*(column.tolist() for column in counts.started_back.columns), strict=True))
    return [
        {
            "from": play.stops[origin],
            "to": play.stops[target],
            "count": counts.started_back.at(origin).at(target).total,
            "players": counts.players_back.at(origin).at(target).total,
        }
        for origin, target in pairs
    ]


def _build_row(moves: list[MoveRow], level: str) -> MovesRow:
    """How often players left a level by each kind of move."""
    counts: Counter[str] = Counter()
    for move in moves:
        if move["from"] == level:
            counts[move["kind"]] += move["count"]
    return cast(MovesRow, {"level": level, **{kind: counts[kind] for kind in MOVE_KINDS}})
