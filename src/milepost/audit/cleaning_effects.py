"""How far cleaning moves the answer: each level's figures from the raw records beside the clean ones."""

from __future__ import annotations

from typing import Literal

import numpy as np

from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel
from milepost.measures.interface import LevelRow, share
from milepost.measures.raw import RawCounts, RawTries, raw_counts
from milepost.numerics.survival import kaplan_meier
from milepost.playback.play import Play

POINT = 0.01
MovedFigure = Literal["reached", "clear_rate", "drop_off", "p50"]


class RawBesideClean(LevelRow):
    """A level's figures, clean, and as a plain count of the records has them."""

    reached: int
    raw_reached: int
    clear_rate: float | None
    drop_off: float | None
    raw_clear_rate: float | None
    raw_drop_off: float | None
    p50: int | None
    raw_p50: int | None


class MovedRow(RawBesideClean):
    """A level of which some figure differs, and which."""

    differs: list[MovedFigure]


def compare_raw_with_clean(play: Play) -> list[RawBesideClean]:
    """Per level of the course: clear rate, drop-off and median attempts, raw and clean, and the players behind them."""
    clean, tries = play.compute_once(Funnel()).rows, play.compute_once(AttemptsToClear()).rows
    raw = raw_counts(play)
    naive = play.summary(RawCounts)
    medians = _raw_medians(play.summary(RawTries), play.n_levels)
    untold = [row["reached"] > 0 and row["clear_rate"] is None for row in clean]
    rows = []
    for number, row in enumerate(clean):
        counts = raw[number]
        rows.append(
            RawBesideClean(
                level=row["level"],
                reached=row["reached"],
                raw_reached=counts["raw_reached"],
                clear_rate=row["clear_rate"],
                drop_off=row["drop_off"],
                raw_clear_rate=None if untold[number] else share(counts["raw_cleared"], counts["raw_reached"]),
                raw_drop_off=None if untold[number] else share(int(naive.lost[number]), counts["raw_reached"]),
                p50=tries[number]["p50"],
                raw_p50=medians[number],
            )
        )
    return rows


def list_moved_levels(rows: list[RawBesideClean], players: int) -> list[MovedRow]:
    """The levels of which some figure differs by more than a point between raw and clean, with what differs.

    Args:
        rows: the levels, as ``compare_raw_with_clean`` gives them.
        players: all who count; the share of them that reached a level counts, too.
    """
    moved_rows = []
    for row in rows:
        beside: dict[MovedFigure, tuple[float | None, float | None, int]] = {
            "reached": (row["reached"], row["raw_reached"], players),
            "clear_rate": (row["clear_rate"], row["raw_clear_rate"], 1),
            "drop_off": (row["drop_off"], row["raw_drop_off"], 1),
            "p50": (row["p50"], row["raw_p50"], 1),
        }
        differing = [name for name, figures in beside.items() if _differs(*figures)]
        if differing:
            moved_rows.append(MovedRow(**row, differs=differing))
    return moved_rows


def _differs(clean: float | None, raw: float | None, total: int) -> bool:
    if clean is None or raw is None:
        return (clean is None) != (raw is None)
    return abs(clean - raw) > POINT * total


def _raw_medians(tries: RawTries, n_levels: int) -> list[int | None]:
    """Per level, the tries after which half of the players have cleared, as the clean figure has it."""
    medians = []
    for level in range(n_levels):
        at_level = tries.level == level
        half = kaplan_meier(tries.count[at_level].astype(np.float64), tries.cleared[at_level]).quantile(0.5)
        medians.append(None if half is None else int(half))
    return medians
