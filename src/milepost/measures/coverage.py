"""Coverage: which levels and moves were hardly tested, and how long it takes to get to a level."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.logs.interface import Bools, Floats
from milepost.measures.interface import Row, Table
from milepost.numerics.intervals import median
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play
from milepost.vocabulary import N_SETTLED


@dataclass(frozen=True)
class Coverage:
    """How well the course was tested.

    Attributes:
        min_players: a level or move with fewer players counts as hardly tested.
    """

    min_players: int = 5

    def __call__(self, play: Play) -> Table:
        """One row a level: players, tries, minutes played, minutes to get there, and the move on to the next level."""
        table = play.attempts
        counted = play.counts[table.player]
        minutes = _minutes_before(play)
        rows = [self._row(play, level, counted, minutes) for level in range(play.n_levels)]
        thin = [row["level"] for row in rows if row["hardly_tested"]]
        moves = [{"from": row["level"], "to": after["level"], "players": row["went_on"]}
                 for row, after in zip(rows, rows[1:], strict=False) if row["went_on"] < self.min_players]  # fmt: skip
        return Table(rows, {"hardly_tested": thin, "moves_hardly_tested": moves})

    def _row(self, play: Play, level: int, counted: Bools, minutes: Floats) -> Row:
        table = play.attempts
        here = counted & (table.level == level)
        players = len(distinct(table.player[here]))
        moved = play.counts[play.moves.player] & (play.moves.origin == level) & (play.moves.target == level + 1)
        first = here & (table.number == 1)
        return {
            "level": play.stops[level], "players": players, "attempts": int(here.sum()),
            "settled": int((here & (table.outcome < N_SETTLED)).sum()),
            "minutes": float(np.nansum(table.active[here])) / 60,
            "minutes_to_reach": median(minutes[first]), "went_on": len(distinct(play.moves.player[moved])),
            "hardly_tested": players < self.min_players,
        }  # fmt: skip


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
