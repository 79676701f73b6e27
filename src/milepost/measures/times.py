"""Time in level: how long a level takes to clear, those who have not cleared it yet counted as such."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.logs.interface import Bools, Floats
from milepost.measures.cells import Cells, cells, first_clear, levels_shown
from milepost.measures.interface import Row, Table
from milepost.numerics.intervals import median
from milepost.numerics.survival import kaplan_meier
from milepost.playback.play import AttemptTable, Play
from milepost.vocabulary import CLEARED, DIED, WAS_RESET

QUANTILES = (0.1, 0.25, 0.5, 0.75, 0.9)


@dataclass(frozen=True)
class TimeInLevel:
    """Active seconds to the first clear, and the times of single attempts, by level."""

    def __call__(self, play: Play) -> Table:
        """One row a level; see docs/definitions.md for the columns."""
        cell = cells(play)
        table = play.attempts
        usable = first_clear(play) & ~np.isnan(table.active)
        between = _between(table)
        return Table([
            {
                "level": play.stops[level], "placed": level < play.n_levels,
                **_to_clear(cell.of(level)), **_single(table, between, usable & (table.level == level)),
            }
            for level in levels_shown(play)
        ])  # fmt: skip


def _to_clear(cell: Cells) -> Row:
    timed = ~cell.untimed
    curve = kaplan_meier(cell.seconds[timed], cell.cleared[timed])
    return {
        "reached": len(cell.player), "timed": int(timed.sum()), "untimed": int(cell.untimed.sum()),
        "clears": int((cell.cleared & timed).sum()), "censored": int((~cell.cleared & timed).sum()),
        **{f"p{100 * q:.0f}": curve.quantile(q) for q in QUANTILES},
    }  # fmt: skip


def _between(table: AttemptTable) -> Floats:
    """Per attempt, seconds from its closing to the opening of the session's next attempt; NaN where not known."""
    gap = np.full(len(table), np.nan)
    if len(table) > 1:
        follows = (np.diff(table.session) == 0) & ~np.isnan(table.active[1:])
        gap[:-1][follows] = np.maximum(0.0, table.opened[1:] - table.closed[:-1])[follows]
    return gap


def _single(table: AttemptTable, between: Floats, rows: Bools) -> Row:
    cleared = rows & (table.outcome == CLEARED)
    failed = rows & ((table.outcome == DIED) | (table.outcome == WAS_RESET))
    settled_in = rows & ~np.isnan(table.settling)
    gap_known = cleared & ~np.isnan(between)
    return {
        "run_p50": median(table.active[cleared]), "runs": int(cleared.sum()),
        "fail_p50": median(table.active[failed]), "fails": int(failed.sum()),
        "settling_p50": median(table.settling[settled_in]), "settlings": int(settled_in.sum()),
        "between_p50": median(between[gap_known]), "betweens": int(gap_known.sum()),
        "paused_total": float(table.paused[rows].sum()),
    }  # fmt: skip
