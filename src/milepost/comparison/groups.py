"""Levels at which groups of players differ: harder for one than for another, beyond the shift of all levels."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations
from typing import TypedDict

from milepost.cleaning.splitting import Split
from milepost.comparison.compare import Compare
from milepost.comparison.row_types import ChangeVerdict
from milepost.measures.interface import LevelRow
from milepost.playback.play import Play

_MOST_PAIRS = 3  # groups of which every pair is compared; of more, each with the largest


class Parting(LevelRow):
    """A level that is harder, or easier, for one group than for another."""

    than: str
    group: str
    delta: float | None
    delta_low: float | None
    delta_high: float | None
    verdict: ChangeVerdict


class Compared(TypedDict):
    """Two groups, and where they part."""

    group: str
    than: str
    shift: float | None
    shift_low: float | None
    shift_high: float | None
    parting: list[Parting]


def compare_groups(key: str, groups: Sequence[tuple[str | None, Play]], least: int) -> list[Compared]:
    """Pairs of groups, each with the levels at which they part.

    Args:
        key: the key of the groups.
        groups: their values and plays; those without a value, or with too few players, are not compared.
        least: of fewer players, nothing is claimed.
    """
    named = [(value, play) for value, play in groups if value is not None and play.counts.sum() >= max(1, least)]
    if len(named) <= _MOST_PAIRS:
        pairs = list(combinations(named, 2))
    else:
        largest = max(named, key=lambda group: int(group[1].counts.sum()))
        pairs = [(largest, other) for other in named if other is not largest]
    return [_compared(key, before, after, least) for before, after in pairs]


def _compared(key: str, before: tuple[str, Play], after: tuple[str, Play], least: int) -> Compared:
    table = Compare(Split(key, before[0], after[0]), least)(before[1], after[1])
    shift = table.totals["shift"]
    rows = [
        Parting(
            level=row["level"],
            group=after[0],
            than=before[0],
            delta=row["delta"],
            delta_low=row["delta_low"],
            delta_high=row["delta_high"],
            verdict=row["verdict"],
        )
        for row in table.rows
        if row["verdict"] in ("harder", "easier")
    ]
    return Compared(
        group=after[0], than=before[0], shift=shift["size"], shift_low=shift["low"], shift_high=shift["high"], parting=rows
    )
