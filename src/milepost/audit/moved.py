"""How far cleaning moves the answer: each level's figures from the raw records beside the clean ones."""

from __future__ import annotations

import numpy as np

from milepost.logs.interface import Floats
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel
from milepost.measures.interface import Row, share
from milepost.measures.raw import RawCounts, raw_counts
from milepost.playback.play import Play

POINT = 0.01
FIGURES = ("clear_rate", "drop_off", "p50")


def raw_beside_clean(play: Play) -> list[Row]:
    """Per level of the course: clear rate, drop-off and median attempts, raw and clean, and the players behind them."""
    clean, tries = Funnel()(play).rows, AttemptsToClear()(play).rows
    raw = raw_counts(play)
    naive = play.summary(RawCounts)
    medians = _raw_medians(naive, play.n_levels)
    rows = []
    for number, row in enumerate(clean):
        counts = raw[number]
        rows.append({
            "level": row["level"], "reached": row["reached"], "raw_reached": counts["raw_reached"],
            "clear_rate": row["clear_rate"], "raw_clear_rate": share(counts["raw_cleared"], counts["raw_reached"]),
            "drop_off": row["drop_off"], "raw_drop_off": share(int(naive.lost[number]), counts["raw_reached"]),
            "p50": tries[number]["p50"], "raw_p50": medians[number],
        })  # fmt: skip
    return rows


def moved(rows: list[Row]) -> list[Row]:
    """The levels of which some figure differs by more than a point between raw and clean, with what differs."""
    found = []
    for row in rows:
        differing = [name for name in FIGURES if _differs(row[name], row[f"raw_{name}"])]
        if differing:
            found.append(row | {"differs": differing})
    return found


def _differs(clean: float | None, raw: float | None) -> bool:
    if clean is None or raw is None:
        return (clean is None) != (raw is None)
    return abs(clean - raw) > POINT


def _raw_medians(counts: RawCounts, n_levels: int) -> list[float | None]:
    """Per level, the plain median of starts and retries of the players who have any there."""
    return [_median(counts.tries[counts.tried == number].astype(np.float64)) for number in range(n_levels)]


def _median(values: Floats) -> float | None:
    return float(np.median(values)) if len(values) else None

