"""How far cleaning moves the answer: each level's figures from the raw records beside the clean ones."""

from __future__ import annotations

import numpy as np

from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel
from milepost.measures.interface import Row, share
from milepost.measures.raw import RawCounts, RawTries, raw_counts
from milepost.numerics.survival import kaplan_meier
from milepost.playback.play import Play

POINT = 0.01
FIGURES = ("reached", "clear_rate", "drop_off", "p50")


def raw_beside_clean(play: Play) -> list[Row]:
    """Per level of the course: clear rate, drop-off and median attempts, raw and clean, and the players behind them."""
    clean, tries = Funnel()(play).rows, AttemptsToClear()(play).rows
    raw = raw_counts(play)
    naive = play.summary(RawCounts)
    medians = _raw_medians(naive.tries, play.n_levels)
    untold = [row["reached"] > 0 and row["clear_rate"] is None for row in clean]
    rows = []
    for number, row in enumerate(clean):
        counts = raw[number]
        rows.append({
            "level": row["level"], "reached": row["reached"], "raw_reached": counts["raw_reached"],
            "clear_rate": row["clear_rate"], "drop_off": row["drop_off"],
            "raw_clear_rate": None if untold[number] else share(counts["raw_cleared"], counts["raw_reached"]),
            "raw_drop_off": None if untold[number] else share(int(naive.lost[number]), counts["raw_reached"]),
            "p50": tries[number]["p50"], "raw_p50": medians[number],
        })  # fmt: skip
    return rows


def moved(rows: list[Row], players: int) -> list[Row]:
    """The levels of which some figure differs by more than a point between raw and clean, with what differs.

    Args:
        rows: the levels, as ``raw_beside_clean`` gives them.
        players: all who count; the share of them that reached a level counts, too.
    """
    found = []
    for row in rows:
        differing = [name for name in FIGURES if _differs(row[name], row[f"raw_{name}"], players if name == "reached" else 1)]
        if differing:
            found.append(row | {"differs": differing})
    return found


def _differs(clean: float | None, raw: float | None, of: int) -> bool:
    if clean is None or raw is None:
        return (clean is None) != (raw is None)
    return abs(clean - raw) > POINT * of


def _raw_medians(tries: RawTries, n_levels: int) -> list[int | None]:
    """Per level, the tries after which half of the players have cleared, as the clean figure has it."""
    medians = []
    for level in range(n_levels):
        own = tries.level == level
        half = kaplan_meier(tries.count[own].astype(np.float64), tries.cleared[own]).quantile(0.5)
        medians.append(None if half is None else int(half))
    return medians
