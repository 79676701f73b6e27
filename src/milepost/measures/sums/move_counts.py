"""How often players moved from where to where, what setbacks cost, and who went on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.numerics.value_counts import Counted
from milepost.playback.play import Play
from milepost.vocabulary import SETBACK


@dataclass(frozen=True)
class MoveCounts:
    """Moves of players who count, all by origin, target (-1 for none) and kind.

    Attributes:
        moves: moves.
        players: players who made such a move.
        setbacks: the same with whether the player never came back, and the active seconds of re-runs until then: setbacks.
    """

    moves: Counted
    players: Counted
    setbacks: Counted

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
        )

    @classmethod
    def merged(cls, parts: list[MoveCounts]) -> MoveCounts:
        """Return the move counts of a log, added up from parts that share no player."""
        return cls(*(Counted.merged(getattr(part, name) for part in parts) for name in vars(parts[0])))


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
