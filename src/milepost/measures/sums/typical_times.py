"""Evidence on a log's assumptions: whether any attempt clears, and how long attempts take by the clock."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.measures.cells import cells
from milepost.numerics.value_counts import Counted
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, N_SETTLED


@dataclass(frozen=True)
class TypicalTimes:
    """Counts over the attempts of a log.

    Attributes:
        attempts: how many there are, at whatever level.
        clears: how many of them clear.
        settled: by seconds, settled attempts of known duration.
        to_clear: by level and seconds, players who cleared a level whose planned time the course says.
        numeric: how many sessions have numbers for times.
    """

    attempts: int
    clears: int
    settled: Counted
    to_clear: Counted
    numeric: int

    @classmethod
    def of(cls, play: Play) -> TypicalTimes:
        """Return the typical times of a play, or of the sessions of a part."""
        table, epochs = play.attempts, play.gated.log.sessions.epoch
        numeric = sum(epochs[session] is None for session in play.gated.sequence.tolist())
        clears = int(np.count_nonzero(table.outcome == CLEARED))
        timed = table.active[(table.outcome < N_SETTLED) & (table.active > 0)]
        return cls(len(table), clears, Counted.of(timed), _to_clear(play), numeric)

    @classmethod
    def merged(cls, parts: list[TypicalTimes]) -> TypicalTimes:
        """Return the typical times of a log, added up from its parts."""
        attempts, clears, numeric = (sum(getattr(part, name) for part in parts) for name in ("attempts", "clears", "numeric"))
        settled, to_clear = (Counted.merged(getattr(part, name) for part in parts) for name in ("settled", "to_clear"))
        return cls(attempts, clears, settled, to_clear, numeric)


def _to_clear(play: Play) -> Counted:
    planned = [n for n, level in enumerate(play.course.levels) if level.par_seconds] if play.course else []
    if not planned:
        return Counted.of(np.empty(0, np.int64), np.empty(0))
    cell = cells(play)
    rows = np.isin(cell.level, planned) & cell.cleared & ~cell.untimed & (cell.seconds > 0)
    return Counted.of(cell.level[rows], cell.seconds[rows])
