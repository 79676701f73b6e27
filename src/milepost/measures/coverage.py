"""Coverage: which levels and moves were hardly tested, and how long it takes to get to a level."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.measures.cells import rows_of, void_attempts
from milepost.measures.interface import LevelRow, Table
from milepost.numerics.intervals import median
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play
from milepost.vocabulary import N_SETTLED


class CoverageRow(LevelRow):
    """How well a level was tested."""

    players: int
    attempts: int
    settled: int
    minutes: float
    minutes_to_reach: float | None
    went_on: int
    hardly_tested: bool
    void: int


ThinMove = TypedDict("ThinMove", {"from": str, "to": str, "players": int})  # a move that was hardly tested


class CoverageTotals(TypedDict):
    """The levels and moves that were hardly tested."""

    hardly_tested: list[str]
    moves_hardly_tested: list[ThinMove]


@dataclass(frozen=True)
class Coverage:
    """How well the course was tested.

    Attributes:
        min_players: a level or move with fewer players counts as hardly tested.
    """

    min_players: int = 5

    def __call__(self, play: Play) -> Table[CoverageRow, CoverageTotals]:
        """One row a level: players, tries, minutes played, minutes to get there, and the move on to the next level."""
        table = play.attempts
        counted = play.counts[table.player]
        minutes, arrived = _minutes_before(play), _arrived(play)
        went_on = _went_on(play, arrived)
        rows = []
        for level in range(play.n_levels):
            here = rows_of(play, level)
            rows.append(self._row(play, level, here[counted[here]], minutes, int(went_on[level])))
        thin = [row["level"] for row in rows if row["hardly_tested"]]
        moves: list[ThinMove] = [
            {"from": row["level"], "to": after["level"], "players": row["went_on"]}
            for row, after in zip(rows, rows[1:], strict=False)
            if row["went_on"] < self.min_players
        ]
        return Table(rows, CoverageTotals(hardly_tested=thin, moves_hardly_tested=moves))

    def _row(self, play: Play, level: int, here: Ints, minutes: Floats, went_on: int) -> CoverageRow:
        table = play.attempts
        players = len(distinct(table.player[here]))
        taken = here[~(table.void[here] | table.aside[here])]
        first = taken[table.number[taken] == 1]
        return {
            "level": play.stops[level],
            "players": players,
            "attempts": len(here),
            "settled": int((table.outcome[taken] < N_SETTLED).sum()),
            "minutes": float(np.nansum(table.active[taken])) / 60,
            "minutes_to_reach": median(minutes[first]),
            "went_on": went_on,
            "hardly_tested": players < self.min_players,
            "void": void_attempts(play, level),
        }


def _went_on(play: Play, arrived: Bools) -> Ints:
    """Per level, how many players moved on from it to the next."""
    moves, width = play.moves, len(play.gated.players) + 1
    onward = arrived & (moves.target == moves.origin + 1) & (moves.origin < play.n_levels)
    pairs = distinct(moves.origin[onward] * width + moves.player[onward])
    return np.bincount(pairs // width, minlength=play.n_levels)


def _arrived(play: Play) -> Bools:
    """Per move, whether its player counts and ever tried the level that it leads to: a level that never starts was not tested."""
    width = len(play.stops) + 1
    tried = distinct(play.attempts.player * width + play.attempts.level)
    arrived: Bools = np.isin(play.moves.player * width + play.moves.target, tried) & (play.moves.target >= 0)
    return arrived & play.counts[play.moves.player]


def _minutes_before(play: Play) -> Floats:
    """Per attempt, the minutes of session time that its player had spent before it, over all sessions so far."""
    gated, table = play.gated, play.attempts
    first = np.nan_to_num(play.session_times.first)
    length = np.maximum(0.0, np.nan_to_num(play.session_times.most) - first)
    before = np.zeros(len(gated.player))
    spent: dict[int, float] = {}
    for session in gated.sequence.tolist():
        player = int(gated.player[session])
        before[session] = spent.get(player, 0.0)
        spent[player] = before[session] + length[session]
    return (before[table.session] + np.maximum(0.0, table.opened - first[table.session])) / 60
