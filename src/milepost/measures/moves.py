"""Moves: the transitions by kind, what setbacks cost, and whether players stop after one."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import TypedDict, cast

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.measures.interface import Table
from milepost.numerics.whole_numbers import distinct, numbered, stable_order
from milepost.playback.play import Play
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
    """Where players went from where, in the table's order of play."""

    def __call__(self, play: Play) -> Table[MovesRow, MovesTotals]:
        """Rows a move; the totals hold how often each kind of move was made, and what came of setbacks."""
        counted = np.flatnonzero(play.counts[play.moves.player])
        cost, back = _setbacks(play, counted)
        groups = _groups(play, counted)
        moves = [_row(play, counted, key, groups[key], cost, back) for key in sorted(groups, key=_rank)]
        often = np.bincount(play.moves.kind[counted], minlength=len(MOVE_KINDS)).tolist()
        kinds = dict(zip(MOVE_KINDS, often, strict=True))
        rows = [_of_level(moves, play.stops[level]) for level in range(play.n_levels)]
        return Table(rows, MovesTotals(kinds={kind: kinds[kind] for kind in MOVE_KINDS if kinds[kind]}, moves=moves))


def _groups(play: Play, counted: Ints) -> dict[tuple[int, int, int], Ints]:
    """The places in ``counted`` of the moves with each origin, target and kind."""
    wide, kinds = len(play.stops) + 1, len(MOVE_KINDS)
    origin, target, kind = (column[counted] for column in (play.moves.origin, play.moves.target, play.moves.kind))
    keys, group = numbered((origin * wide + target + 1) * kinds + kind)  # no target: -1
    places = np.split(stable_order(group), np.cumsum(np.bincount(group, minlength=len(keys)))[:-1])
    return {
        (key // kinds // wide, key // kinds % wide - 1, key % kinds): own for key, own in zip(keys.tolist(), places, strict=False)
    }


def _rank(key: tuple[int, int, int]) -> tuple[int, int, int, int]:
    origin, target, kind = key
    return origin, target < 0, target, kind


def _row(play: Play, counted: Ints, key: tuple[int, int, int], places: Ints, cost: Floats, back: Bools) -> MoveRow:
    origin, target, kind = key
    setback = kind == SETBACK
    return {
        "from": play.stops[origin],
        "to": play.stops[target] if target >= 0 else None,
        "kind": MOVE_KINDS[kind],
        "count": len(places),
        "players": len(distinct(play.moves.player[counted[places]])),
        "cost": float(cost[places].sum()) if setback else None,
        "never_back": int((~back[places]).sum()) if setback else None,
    }


def _setbacks(play: Play, counted: Ints) -> tuple[Floats, Bools]:
    """Per move, the active seconds of re-runs until the player is back at its origin, and whether the player ever is."""
    table, moves = play.attempts, play.moves
    rank = np.empty(len(play.gated.sequence), np.int64)
    rank[play.gated.sequence] = np.arange(len(play.gated.sequence))
    width = int(play.gated.bounds[-1]) + 1
    begun = rank[table.session] * width + table.opened_at
    first_of = np.searchsorted(begun, rank[moves.session[counted]] * width + moves.at[counted])
    replay = np.where(table.rerun & ~np.isnan(table.active), table.active, 0.0)
    cost, back = np.zeros(len(counted)), np.zeros(len(counted), np.bool_)
    for place in np.flatnonzero(moves.kind[counted] == SETBACK).tolist():
        number = int(counted[place])
        first, player = int(first_of[place]), moves.player[number]
        after = np.arange(first, int(np.searchsorted(table.player, player, side="right")))
        returned = after[table.level[after] == moves.origin[number]]
        back[place] = len(returned) > 0
        until = after[after < returned[0]] if len(returned) else after[table.session[after] == moves.session[number]]
        cost[place] = replay[until].sum()
    return cost, back


def _of_level(moves: list[MoveRow], level: str) -> MovesRow:
    """How often players left a level by each kind of move."""
    counts: Counter[str] = Counter()
    for move in moves:
        if move["from"] == level:
            counts[move["kind"]] += move["count"]
    return cast(MovesRow, {"level": level, **{kind: counts[kind] for kind in MOVE_KINDS}})
