"""Layouts: how much the chance inside a level (a `layout` or `seed` tag) matters beside the choice of level."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Ints
from milepost.errors import UsageError
from milepost.measures.cells import first_clear
from milepost.measures.interface import Row, Table, share, with_interval
from milepost.numerics.intervals import wilson
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, N_SETTLED


@dataclass(frozen=True)
class Layouts:
    """The try-clear rate of each layout of each level, and the spread between layouts against that between levels.

    Attributes:
        min_tries: layouts with fewer tries are shown, and left out of the spread and of the worst.
    """

    min_tries: int = 5

    def __call__(self, play: Play) -> Table:
        """One row a level and layout.

        Raises:
            UsageError: no record has a `layout` or `seed` tag.
        """
        if not play.gated.log.layouts:  # of the whole log; a group of sessions may have none of them
            raise UsageError("the log has no `layout` or `seed` tag, so there are no layouts to tell apart.")
        table = play.attempts
        layout = play.around.layout
        settled = first_clear(play) & (table.outcome < N_SETTLED) & (layout >= 0) & (table.level < play.n_levels)
        rows = []
        for level in range(play.n_levels):
            here = settled & (table.level == level)
            rows += [self._row(play, level, code, here & (layout == code)) for code in distinct(layout[here]).tolist()]
        return Table(rows, self._spread(rows))

    def _row(self, play: Play, level: int, code: int, here: Ints) -> Row:
        tries = int(here.sum())
        clears = int((here & play.attempts.ended(CLEARED)).sum())
        return {
            "level": play.stops[level], "layout": play.gated.log.layouts[code], "tries": tries, "clears": clears,
            "players": len(distinct(play.attempts.player[here])), "enough": tries >= self.min_tries,
            **with_interval("try_clear", share(clears, tries), wilson(clears, tries)),
        }  # fmt: skip

    def _spread(self, rows: list[Row]) -> Row:
        """Standard deviations of the try-clear rate, beyond what chance alone gives: within and between levels."""
        enough = [row for row in rows if row["enough"]]
        by_level: dict[str, list[Row]] = {}
        for row in enough:
            by_level.setdefault(row["level"], []).append(row)
        within = [_variance(group) for group in by_level.values() if len(group) > 1]
        whole = [{key: sum(row[key] for row in group) for key in ("tries", "clears")} for group in by_level.values()]
        worst = sorted(enough, key=lambda row: row["try_clear"])[:5]
        return {
            "between_layouts": float(np.sqrt(max(0.0, float(np.mean(within))))) if within else None,
            "between_levels": float(np.sqrt(max(0.0, _variance(whole)))) if len(whole) > 1 else None,
            "levels_compared": len(within),
            "worst": [{key: row[key] for key in ("level", "layout", "try_clear", "tries")} for row in worst],
        }  # fmt: skip


def _variance(group: list[Row]) -> float:
    """The variance of rates less what sampling alone would give."""
    rates = np.array([row["clears"] / row["tries"] for row in group])
    smooth = np.array([(row["clears"] + 1) / (row["tries"] + 2) for row in group])
    sampling = smooth * (1 - smooth) / np.array([row["tries"] for row in group])
    return float(np.var(rates, ddof=1) - np.mean(sampling))

