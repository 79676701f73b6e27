"""Coverage: which levels and moves were hardly tested, and how long it takes to get to a level."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, TypedDict

from milepost.measures.interface import LevelRow, Table
from milepost.measures.sums.attendance import void_attempts
from milepost.measures.sums.coverage_counts import CoverageCounts
from milepost.measures.sums.time_counts import Spent
from milepost.playback.play import Kinds, Summed


class CoverageRow(LevelRow):
    """How well a level was tested."""

    players: int
    attempts: int
    settled: int
    minutes: float
    minutes_to_reach: float | None
    went_on: int
    never_there: int
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

    SUMS: ClassVar[Kinds] = (Spent, CoverageCounts)

    def __call__(self, play: Summed) -> Table[CoverageRow, CoverageTotals]:
        """One row a level: players, tries, minutes played, minutes to get there, and the move on to the next level."""
        rows = [self._row(play, level) for level in range(play.n_levels)]
        thin = [row["level"] for row in rows if row["hardly_tested"]]
        moves: list[ThinMove] = [
            {"from": row["level"], "to": after["level"], "players": row["went_on"]}
            for row, after in zip(rows, rows[1:], strict=False)
            if row["went_on"] < self.min_players
        ]
        return Table(rows, CoverageTotals(hardly_tested=thin, moves_hardly_tested=moves))

    def _row(self, play: Summed, level: int) -> CoverageRow:
        counts = play.sums(CoverageCounts)
        players, seconds = int(counts.players[level]), counts.seconds_before.at(level).median()
        return {
            "level": play.stops[level],
            "players": players,
            "attempts": int(counts.attempts[level]),
            "settled": int(counts.settled[level]),
            "minutes": play.sums(Spent).at(level) / 60,
            "minutes_to_reach": None if seconds is None else seconds / 60,
            "went_on": int(counts.went_on[level]),
            "never_there": int(counts.never_there[level]),
            "hardly_tested": players < self.min_players,
            "void": void_attempts(play, level),
        }
