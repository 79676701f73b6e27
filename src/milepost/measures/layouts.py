"""Layouts: how much the chance inside a level (a `layout` or `seed` tag) matters beside the choice of level."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, TypedDict

import numpy as np

from milepost.arrays import Floats
from milepost.errors import UsageError
from milepost.measures.cells import first_tries
from milepost.measures.interface import LevelRow, Table, share
from milepost.numerics.intervals import NO_INTERVAL, as_few_p, spread_interval, wilson_interval
from milepost.numerics.value_counts import AddedUp, Counted
from milepost.playback.play import Kinds, Play, Summed
from milepost.vocabulary import CLEARED, N_SETTLED


@dataclass(frozen=True, eq=False, repr=False)
class LayoutCounts(AddedUp):
    """Settled first-clear tries at levels of the course, of which the layout is known.

    Attributes:
        tries: by level, layout and whether it cleared.
        players: by level and layout: players with such a try.
    """

    tries: Counted
    players: Counted

    @classmethod
    def of(cls, play: Play) -> LayoutCounts:
        """Return the layout counts of a play."""
        table, layout = play.attempts, play.around.layout
        rows = np.flatnonzero(first_tries(play) & (table.outcome < N_SETTLED) & (layout >= 0) & (table.level < play.n_levels))
        level, codes = table.level[rows], layout[rows]
        return cls(Counted.of(level, codes, table.outcome[rows] == CLEARED), Counted.subjects(table.player[rows], level, codes))


class LayoutRow(LevelRow):
    """A layout of a level."""

    layout: str
    tries: int
    clears: int
    players: int
    enough: bool
    try_clear: float | None
    try_clear_low: float | None
    try_clear_high: float | None


class WorstLayout(LevelRow):
    """A layout that few tries clear.

    ``luck`` is how often, were all layouts of a level alike, chance alone would make one of them stand out as far from the
    others of its level; null where its level has no other with enough tries.
    """

    layout: str
    try_clear: float | None
    tries: int
    luck: float | None


class LayoutsTotals(TypedDict):
    """Standard deviations of try-clear rates beyond chance, within and between levels, and the hardest layouts."""

    between_layouts: float | None
    between_layouts_low: float | None
    between_layouts_high: float | None
    between_levels: float | None
    between_levels_low: float | None
    between_levels_high: float | None
    levels_compared: int
    worst: list[WorstLayout]


@dataclass(frozen=True)
class Layouts:
    """The try-clear rate of each layout of each level, and the spread between layouts against that between levels.

    Attributes:
        min_tries: layouts with fewer tries are shown, and left out of the spread and of the worst.
    """

    min_tries: int = 5
    SUMS: ClassVar[Kinds] = (LayoutCounts,)

    def __call__(self, play: Summed) -> Table[LayoutRow, LayoutsTotals]:
        """One row a level and layout.

        Raises:
            UsageError: no record has a `layout` or `seed` tag.
        """
        if not play.about.layouts:  # of the whole log; a group of sessions may have none of them
            raise UsageError("the log has no `layout` or `seed` tag, so there are no layouts to tell apart.")
        counts = play.sums(LayoutCounts)
        tried = counts.tries.by(0, 1)
        rows = [self._row(play, counts, *pair) for pair in zip(*(column.tolist() for column in tried.columns), strict=True)]
        return Table(rows, self._spread(rows))

    def _row(self, play: Summed, counts: LayoutCounts, level: int, layout: int) -> LayoutRow:
        of_layout = counts.tries.at(level).at(layout)
        tries, clears = of_layout.total, of_layout.at(True).total
        low, high = wilson_interval(clears, tries)
        return LayoutRow(
            level=play.stops[level],
            layout=play.about.layouts[layout],
            tries=tries,
            clears=clears,
            players=counts.players.at(level).at(layout).total,
            enough=tries >= self.min_tries,
            try_clear=share(clears, tries),
            try_clear_low=low,
            try_clear_high=high,
        )

    def _spread(self, rows: list[LayoutRow]) -> LayoutsTotals:
        """Standard deviations of the try-clear rate, beyond what chance alone gives: within and between levels."""
        enough = [row for row in rows if row["enough"]]
        by_level: dict[str, list[tuple[int, int]]] = {}
        for row in enough:
            by_level.setdefault(row["level"], []).append((row["clears"], row["tries"]))
        several = {level: group for level, group in by_level.items() if len(group) > 1}
        within = [_variance(group) for group in several.values()]
        whole = [(sum(clears for clears, _ in group), sum(tries for _, tries in group)) for group in by_level.values()]
        low, high = spread_interval([_rates(group) for group in several.values()])
        levels_low, levels_high = spread_interval([_rates(whole)]) if whole else NO_INTERVAL
        compared = sum(map(len, several.values()))
        return LayoutsTotals(
            between_layouts=float(np.sqrt(max(0.0, float(np.mean(within))))) if within else None,
            between_layouts_low=low,
            between_layouts_high=high,
            between_levels=float(np.sqrt(max(0.0, _variance(whole)))) if len(whole) > 1 else None,
            between_levels_low=levels_low,
            between_levels_high=levels_high,
            levels_compared=len(within),
            worst=[
                WorstLayout(
                    level=row["level"],
                    layout=row["layout"],
                    try_clear=row["try_clear"],
                    tries=row["tries"],
                    luck=_luck(row, several.get(row["level"], []), compared),
                )
                for row in sorted(enough, key=lambda row: row["try_clear"] or 0.0)[:5]
            ],
        )


def _luck(row: LayoutRow, group: list[tuple[int, int]], compared: int) -> float | None:
    """How often one of so many layouts that are alike would stand out as far from the others of its level.

    Source: Z. Šidák, "Rectangular confidence regions for the means of multivariate normal distributions", JASA 62 (1967).
    """
    if not group:
        return None
    clears, tries = (sum(column) for column in zip(*group, strict=True))
    p = as_few_p((row["clears"], clears - row["clears"]), (row["tries"], tries - row["tries"]))
    return float(-np.expm1(compared * np.log1p(-min(p, 1 - 1e-12))))


def _rates(group: list[tuple[int, int]]) -> tuple[Floats, Floats]:
    """Return rates, each of so many clears and tries, and the variance that sampling alone gives each."""
    rates = np.array([clears / tries for clears, tries in group])
    smooth = np.array([(clears + 1) / (tries + 2) for clears, tries in group])
    return rates, smooth * (1 - smooth) / np.array([tries for _, tries in group])


def _variance(group: list[tuple[int, int]]) -> float:
    """The variance of rates, each of so many clears and tries, less what sampling alone would give."""
    rates, sampling = _rates(group)
    return float(np.var(rates, ddof=1) - np.mean(sampling))
