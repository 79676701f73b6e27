"""Ratings by share of pick-ups: the distribution among clears, logged ratings recomputed, and faults of the bands."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import ClassVar, TypedDict

import numpy as np

from milepost.course.course import Band
from milepost.errors import UsageError
from milepost.measures.cells import first_tries
from milepost.measures.interface import LevelRow, Table
from milepost.numerics.intervals import wilson_interval
from milepost.numerics.value_counts import AddedUp, Counted
from milepost.playback.play import Kinds, Play, Summed
from milepost.vocabulary import CLEARED


@dataclass(frozen=True, eq=False, repr=False)
class RatingCounts(AddedUp):
    """First clears.

    Attributes:
        clears: by level.
        rated: by level, what was collected, what there was, and the rating that was logged, -1 for none; clears of which the
            share of pick-ups is known.
    """

    clears: Counted
    rated: Counted

    @classmethod
    def of(cls, play: Play) -> RatingCounts:
        """Return the rating counts of a play."""
        table, around = play.attempts, play.around
        rows = np.flatnonzero(first_tries(play) & table.ended(CLEARED))
        known = rows[~np.isnan(around.collected[rows]) & (around.available[rows] > 0)]
        columns = (column[known] for column in (table.level, around.collected, around.available, around.rating))
        return cls(Counted.of(table.level[rows]), Counted.of(*columns))


class BandShare(TypedDict):
    """The clears in a band, and their share."""

    clears: int
    share: float | None
    share_low: float | None
    share_high: float | None


class Rated(TypedDict):
    """The ratings of first clears."""

    clears: int
    rated: int
    no_band: int
    logged: int
    logged_otherwise: int
    ratings: dict[str, BandShare]
    unreachable: list[str]


class RatingsRow(LevelRow, Rated):
    """A level."""


class BandRow(TypedDict):
    """A band as declared."""

    name: str
    low: float
    high: float


class RatingsTotals(TypedDict):
    """The bands, and what is wrong with them."""

    bands: list[BandRow]
    faults: list[str]


@dataclass(frozen=True)
class Ratings:
    """Ratings of first clears by the course's declared bands."""

    SUMS: ClassVar[Kinds] = (RatingCounts,)

    def __call__(self, play: Summed) -> Table[RatingsRow, RatingsTotals]:
        """One row a level: clears in each band, clears in none, and bands that nobody can reach there.

        Raises:
            UsageError: the course declares no bands.
        """
        bands = play.course.bands if play.course else ()
        if not bands:
            raise UsageError("the course declares no bands. Add [[band]] tables with name, from and to to the course file.")
        counts = play.sums(RatingCounts)
        names, levels = play.about.ratings, range(play.n_levels)
        rows = [RatingsRow(level=play.stops[level], **_rated(names, bands, counts, level)) for level in levels]
        declared = [BandRow(name=band.name, low=band.low, high=band.high) for band in bands]
        return Table(rows, RatingsTotals(bands=declared, faults=find_band_faults(bands)))


def _rated(names: list[str], bands: tuple[Band, ...], counts: RatingCounts, level: int) -> Rated:
    at_level = counts.rated.at(level)
    placed, logged, agreeing = Counter[str | None](), 0, 0
    for collected, available, rating, count in zip(
        *(column.tolist() for column in (*at_level.columns, at_level.count)), strict=True
    ):
        band = band_of(bands, min(1.0, collected / available))
        placed[band] += count
        logged += count * (rating >= 0)
        agreeing += count * (rating >= 0 and names[rating] == band)
    total, steps = at_level.total, at_level.by(1).values
    return {
        "clears": counts.clears.at(level).total,
        "rated": total,
        "no_band": placed[None],
        "logged": logged,
        "logged_otherwise": logged - agreeing,
        "ratings": {band.name: _share(placed[band.name], total) for band in bands},
        "unreachable": [band.name for band in bands if len(steps) and not _reachable(bands, band, steps.tolist())],
    }


def band_of(bands: tuple[Band, ...], value: float) -> str | None:
    """The first band that a share falls in."""
    return next((band.name for band in bands if band.holds(value)), None)


def _reachable(bands: tuple[Band, ...], band: Band, totals: list[float]) -> bool:
    """Return whether some number of pick-ups gives the band; what a number gives changes only around the ends of bands."""
    ends = {end for band in bands for end in (band.low, band.high)} | {0.0, 1.0}
    return any(
        band_of(bands, count / total) == band.name
        for total in totals
        for end in ends
        for count in range(max(0, int(end * total) - 1), min(int(total), int(end * total) + 2) + 1)
    )


def _share(clears: int, total: int) -> BandShare:
    low, high = wilson_interval(clears, total)
    return BandShare(clears=clears, share=clears / total if total else None, share_low=low, share_high=high)


def find_band_faults(bands: tuple[Band, ...]) -> list[str]:
    """Gaps and overlaps between bands, as sentences."""
    problems = []
    ordered = sorted(bands, key=lambda band: (band.low, band.high))
    if ordered[0].low > 0:
        problems.append(f"nothing is below {ordered[0].low:g}: shares under it get no rating")
    for lower, upper in zip(ordered, ordered[1:], strict=False):
        if upper.low > lower.high:
            problems.append(f"a gap between {lower.name} (to {lower.high:g}) and {upper.name} (from {upper.low:g})")
        elif upper.low < lower.high:
            problems.append(f"{lower.name} and {upper.name} overlap from {upper.low:g} to {min(lower.high, upper.high):g}")
    if ordered[-1].high < 1:
        problems.append(f"{ordered[-1].name} ends at {ordered[-1].high:g}: everything collected gets no rating")
    return problems
