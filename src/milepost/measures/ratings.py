"""Ratings by share of pick-ups: the distribution among clears, logged ratings recomputed, and faults of the bands."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypedDict

import numpy as np

from milepost.arrays import Ints
from milepost.course.course import Band
from milepost.errors import UsageError
from milepost.measures.cells import first_tries
from milepost.measures.interface import LevelRow, Table
from milepost.numerics.intervals import wilson
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED


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

    def __call__(self, play: Play) -> Table[RatingsRow, RatingsTotals]:
        """One row a level: clears in each band, clears in none, and bands that nobody can reach there.

        Raises:
            UsageError: the course declares no bands.
        """
        bands = play.course.bands if play.course else ()
        if not bands:
            raise UsageError("the course declares no bands. Add [[band]] tables with name, from and to to the course file.")
        table = play.attempts
        cleared = first_tries(play) & table.ended(CLEARED)
        rows = [
            RatingsRow(level=play.stops[level], **_rated(play, bands, np.flatnonzero(cleared & (table.level == level))))
            for level in range(play.n_levels)
        ]
        declared = [BandRow(name=band.name, low=band.low, high=band.high) for band in bands]
        return Table(rows, RatingsTotals(bands=declared, faults=faults(bands)))


def _rated(play: Play, bands: tuple[Band, ...], clears: Ints) -> Rated:
    around = play.around
    collected, available = around.collected[clears], around.available[clears]
    known = ~np.isnan(collected) & (available > 0)
    shares = np.minimum(1.0, collected[known] / available[known])
    placed = [band_of(bands, value) for value in shares.tolist()]
    total = len(placed)
    logged = [play.gated.log.ratings[code] if code >= 0 else None for code in around.rating[clears[known]].tolist()]
    given = [(own, computed) for own, computed in zip(logged, placed, strict=True) if own is not None]
    steps = np.unique(available[known])
    return {
        "clears": len(clears),
        "rated": total,
        "no_band": placed.count(None),
        "logged": len(given),
        "logged_otherwise": sum(own != computed for own, computed in given),
        "ratings": {band.name: _share(placed.count(band.name), total) for band in bands},
        "unreachable": [band.name for band in bands if len(steps) and not _reachable(bands, band, steps.tolist())],
    }


def band_of(bands: tuple[Band, ...], value: float) -> str | None:
    """The first band that a share falls in."""
    return next((band.name for band in bands if band.holds(value)), None)


def _reachable(bands: tuple[Band, ...], band: Band, totals: list[float]) -> bool:
    """Whether some number of pick-ups gives the band; what a number gives changes only around the ends of bands."""
    ends = {end for own in bands for end in (own.low, own.high)} | {0.0, 1.0}
    return any(
        band_of(bands, count / total) == band.name
        for total in totals
        for end in ends
        for count in range(max(0, int(end * total) - 1), min(int(total), int(end * total) + 2) + 1)
    )


def _share(clears: int, of: int) -> BandShare:
    low, high = wilson(clears, of)
    return BandShare(clears=clears, share=clears / of if of else None, share_low=low, share_high=high)


def faults(bands: tuple[Band, ...]) -> list[str]:
    """Gaps and overlaps between bands, as sentences."""
    found = []
    ordered = sorted(bands, key=lambda band: (band.low, band.high))
    if ordered[0].low > 0:
        found.append(f"nothing is below {ordered[0].low:g}: shares under it get no rating")
    for lower, upper in zip(ordered, ordered[1:], strict=False):
        if upper.low > lower.high:
            found.append(f"a gap between {lower.name} (to {lower.high:g}) and {upper.name} (from {upper.low:g})")
        elif upper.low < lower.high:
            found.append(f"{lower.name} and {upper.name} overlap from {upper.low:g} to {min(lower.high, upper.high):g}")
    if ordered[-1].high < 1:
        found.append(f"{ordered[-1].name} ends at {ordered[-1].high:g}: everything collected gets no rating")
    return found
