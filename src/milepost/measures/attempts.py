"""Attempts to clear: how many tries a level takes, those who have not cleared it yet counted as such."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypedDict

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.measures.cells import Cells, cells, first_tries, levels_shown, void_attempts
from milepost.measures.interface import LevelRow, Table, share
from milepost.numerics.intervals import clustered_share, wilson
from milepost.numerics.survival import Curve, kaplan_meier
from milepost.numerics.whole_numbers import numbered, stable_order
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, DIED, N_SETTLED


class Step(TypedDict):
    """The players still trying at the k-th try, how many cleared with it, and the share that had not cleared after it."""

    k: int
    at_risk: int
    cleared: int
    survival: float


class Allowed(TypedDict):
    """The tries that would clear if only so many hits were allowed."""

    hits: int
    clears: int
    tries: int


class AfterHits(TypedDict):
    """The tries with so many hits or more, and the chance that such a try clears all the same."""

    hits: int
    tries: int
    clears: int
    chance: float | None
    chance_low: float | None
    chance_high: float | None


class Tries(TypedDict):
    """The tries at a level by player."""

    reached: int
    players: int
    censored: int
    first_try: float | None
    first_try_low: float | None
    first_try_high: float | None
    settled: int
    clears: int
    try_clear: float | None
    try_clear_low: float | None
    try_clear_high: float | None
    p25: int | None
    p50: int | None
    p75: int | None
    p90: int | None
    distribution: list[Step]


class Hits(TypedDict):
    """Hits per settled attempt, and what would clear if only so many were allowed."""

    hits_per_try: float | None
    hits_before_death: float | None
    allowed_hits: list[Allowed]
    after_hits: list[AfterHits]


class AttemptsRow(LevelRow, Tries, Hits):
    """A level."""

    placed: bool
    void: int


class LearningRow(TypedDict):
    """The chance that the n-th try clears, over all levels."""

    n: int
    tries: int
    clears: int
    chance: float | None
    chance_low: float | None
    chance_high: float | None


class AttemptsTotals(TypedDict):
    """What is said of the whole course."""

    learning: list[LearningRow]


@dataclass(frozen=True)
class AttemptsToClear:
    """Settled attempts up to the first clear, by level."""

    def __call__(self, play: Play) -> Table[AttemptsRow, AttemptsTotals]:
        """One row a level; see docs/definitions.md for the columns."""
        return play.once(_table)


def _table(play: Play) -> Table[AttemptsRow, AttemptsTotals]:
    cell = cells(play)
    hits = _hits(play)
    rows = [
        AttemptsRow(
            level=play.stops[level],
            placed=level < play.n_levels,
            **_tries(cell.of(level), play.units is not None),
            **hits(level),
            void=void_attempts(play, level),
        )
        for level in levels_shown(play)
    ]
    if play.asked:
        for row in rows:
            _forget_numbers(row)
    return Table(rows, AttemptsTotals(learning=learning(rows)))


def _tries(cell: Cells, per_run: bool) -> Tries:
    having_say = cell.settled > 0
    players = int(having_say.sum())
    first = int((cell.cleared & (cell.settled == 1)).sum())
    settled, clears = int(cell.settled.sum()), int(cell.cleared.sum())
    curve = kaplan_meier(cell.settled[having_say].astype(np.float64), cell.cleared[having_say])
    p25, p50, p75, p90 = (_whole(curve.quantile(q)) for q in (0.25, 0.5, 0.75, 0.9))
    player, of = numbered(cell.player)[1], np.bincount
    low, high = clustered_share(of(player, cell.cleared).astype(np.int64), of(player, cell.settled).astype(np.int64))
    first_low, first_high = wilson(first, players)
    if per_run:  # whose runs cluster in players
        at_once, tried = cell.cleared & (cell.settled == 1), having_say
        first_low, first_high = clustered_share(of(player, at_once).astype(np.int64), of(player, tried).astype(np.int64))
    return Tries(
        reached=len(cell.player),
        players=players,
        censored=players - clears,
        first_try=share(first, players),
        first_try_low=first_low,
        first_try_high=first_high,
        settled=settled,
        clears=clears,
        try_clear=share(clears, settled),
        try_clear_low=low,
        try_clear_high=high,
        p25=p25,
        p50=p50,
        p75=p75,
        p90=p90,
        distribution=_distribution(curve),
    )


def _forget_numbers(row: AttemptsRow) -> None:
    """Take away what goes by the number of a try."""
    row["first_try"] = row["first_try_low"] = row["first_try_high"] = None
    row["p25"] = row["p50"] = row["p75"] = row["p90"] = None
    row["distribution"] = []


def learning(rows: list[AttemptsRow]) -> list[LearningRow]:
    """The chance that the n-th try clears, over all levels, with its counts."""
    tries: dict[int, int] = {}
    clears: dict[int, int] = {}
    for row in rows:
        for step in row["distribution"]:
            tries[step["k"]] = tries.get(step["k"], 0) + step["at_risk"]
            clears[step["k"]] = clears.get(step["k"], 0) + step["cleared"]
    found = []
    for n in sorted(tries):
        low, high = wilson(clears[n], tries[n])
        chance = share(clears[n], tries[n])
        found.append(LearningRow(n=n, tries=tries[n], clears=clears[n], chance=chance, chance_low=low, chance_high=high))
    return found


def _hits(play: Play) -> Callable[[int], Hits]:
    """Per level, hits per settled attempt, and the share of attempts that would clear if only so many were allowed."""
    table = play.attempts
    settled = np.flatnonzero(first_tries(play) & (table.outcome < N_SETTLED))
    settled = settled[stable_order(table.level[settled])]
    levels = table.level[settled]

    def of(level: int) -> Hits:
        here = settled[slice(*np.searchsorted(levels, [level, level + 1]))]
        hits, cleared = table.hits[here], table.ended(CLEARED)[here]
        most = int(hits.max()) if len(hits) else 0
        allowed = [Allowed(hits=k, clears=int((cleared & (hits <= k)).sum()), tries=len(hits)) for k in range(min(most, 20) + 1)]
        died = hits[table.ended(DIED)[here]]
        return Hits(
            hits_per_try=float(hits.mean()) if len(hits) else None,
            allowed_hits=allowed if most else [],
            hits_before_death=float(died.mean()) if most and len(died) else None,
            after_hits=[_after(k, hits, cleared) for k in range(1, min(most, 20) + 1)],
        )

    return of


def _after(k: int, hits: Ints, cleared: Bools) -> AfterHits:
    """What became of the tries with so many hits."""
    tries, clears = int((hits >= k).sum()), int((cleared & (hits >= k)).sum())
    low, high = wilson(clears, tries)
    return AfterHits(hits=k, tries=tries, clears=clears, chance=share(clears, tries), chance_low=low, chance_high=high)


def _whole(value: float | None) -> int | None:
    return None if value is None else int(value)


def _distribution(curve: Curve) -> list[Step]:
    """Every number of tries up to the greatest seen, also those at which nothing happened."""
    rows: list[Step] = []
    survival, place = 1.0, 0
    for k in range(1, int(curve.value[-1]) + 1 if len(curve.value) else 1):
        at_risk, events = int(curve.at_risk[place]), 0
        if curve.value[place] == k:
            events, survival = int(curve.events[place]), float(curve.survival[place])
            place += 1
        rows.append(Step(k=k, at_risk=at_risk, cleared=events, survival=survival))
    return rows
