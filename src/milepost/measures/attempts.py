"""Attempts to clear: how many tries a level takes, who has not cleared it yet counted as such; and what that needs counted."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Final, TypedDict

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.measures.cells import Cells, first_tries, gather_cells, levels_shown, void_attempts
from milepost.measures.interface import LevelRow, Table, share
from milepost.numerics.intervals import clustered_share, wilson_interval
from milepost.numerics.survival import Curve, kaplan_meier
from milepost.numerics.value_counts import AddedUp, Counted
from milepost.numerics.whole_numbers import number_values
from milepost.playback.play import Kinds, Play, Summed
from milepost.vocabulary import CLEARED, DIED, N_SETTLED, OUTCOMES


@dataclass(frozen=True, eq=False, repr=False)
class TryCounts(AddedUp):
    """Tries up to the first clear.

    Attributes:
        tries: by level, settled tries, and whether one cleared: players, or runs where it is counted per run.
        clears: by level, clears and settled tries: players. Of a play counted per run, a player may have several clears.
        firsts: by level, runs that cleared at once and runs that had a try: players, where it is counted per run.
        hits: by level, outcome and hits: settled tries.
        ends: by level and outcome: all attempts up to the first clear.
    """

    tries: Counted
    clears: Counted
    firsts: Counted | None
    hits: Counted
    ends: Counted

    @classmethod
    def of(cls, play: Play) -> TryCounts:
        """Return the try counts of a play."""
        cell, table = gather_cells(play), play.attempts
        first = first_tries(play)
        settled = np.flatnonzero(first & (table.outcome < N_SETTLED))
        ends = Counted.of(table.level[first], table.outcome[first].astype(np.int64))
        hits = Counted.of(table.level[settled], table.outcome[settled], table.hits[settled])
        tries = Counted.of(cell.level, cell.settled, cell.cleared)
        if play.units is None:
            return cls(tries, Counted.of(cell.level, cell.cleared.astype(np.int64), cell.settled), None, hits, ends)
        at_once, tried = cell.cleared & (cell.settled == 1), cell.settled > 0
        return cls(tries, _sum_by_player(cell, cell.cleared, cell.settled), _sum_by_player(cell, at_once, tried), hits, ends)


def _sum_by_player(cell: Cells, hits: Bools, totals: Ints | Bools) -> Counted:
    """Return sums over the runs of each player, by level."""
    width = int(cell.player.max(initial=0)) + 1
    keys, pair = number_values(cell.level * width + cell.player)
    sums = (np.bincount(pair, weights=column, minlength=len(keys)).astype(np.int64) for column in (hits, totals))
    return Counted.of(keys // width, *sums)


_MOST_HITS: Final = 20  # that are looked at


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
    p50_low: int | None
    p50_high: int | None
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
    """A level; ``ends`` has by outcome how many attempts up to the first clear ended so."""

    placed: bool
    ends: dict[str, int]
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
    """Figures on the whole course."""

    learning: list[LearningRow]


@dataclass(frozen=True)
class AttemptsToClear:
    """Settled attempts up to the first clear, by level."""

    SUMS: ClassVar[Kinds] = (TryCounts,)

    def __call__(self, play: Summed) -> Table[AttemptsRow, AttemptsTotals]:
        """One row a level; see docs/definitions.md for the columns."""
        return play.compute_once(_table)


def _table(play: Summed) -> Table[AttemptsRow, AttemptsTotals]:
    counts = play.sums(TryCounts)
    rows = [
        AttemptsRow(
            level=play.stops[level],
            placed=level < play.n_levels,
            **_tries(counts, level),
            **_hits(counts.hits.at(level)),
            ends=_ends(counts.ends.at(level)),
            void=void_attempts(play, level),
        )
        for level in levels_shown(play)
    ]
    if play.conditions:
        for row in rows:
            _forget_numbers(row)
    return Table(rows, AttemptsTotals(learning=learning_curve(rows)))


def _tries(counts: TryCounts, level: int) -> Tries:
    tries_at, by_player = counts.tries.at(level), counts.clears.at(level)
    won, tried = by_player.columns
    having_say = tries_at.where(tries_at.columns[0] > 0)
    tries, cleared = having_say.columns
    players, clears = having_say.total, having_say.where(cleared).total
    first = having_say.where(cleared & (tries == 1)).total
    settled = int(tries @ having_say.count)
    curve = kaplan_meier(tries.astype(np.float64), cleared, having_say.count)
    p25, p50, p75, p90 = (_whole_number(curve.quantile(q)) for q in (0.25, 0.5, 0.75, 0.9))
    p50_low, p50_high = map(_whole_number, curve.quantile_interval(0.5))
    low, high = clustered_share(won, tried, by_player.count)
    first_low, first_high = wilson_interval(first, players)
    if counts.firsts is not None:  # of runs, which cluster in players
        firsts = counts.firsts.at(level)
        at_once, runs = firsts.columns
        first_low, first_high = clustered_share(at_once, runs, firsts.count)
    return Tries(
        reached=tries_at.total,
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
        p50_low=p50_low,
        p50_high=p50_high,
        p75=p75,
        p90=p90,
        distribution=_distribution(curve),
    )


def _ends(counts: Counted) -> dict[str, int]:
    """Attempts by their outcome."""
    ends = dict.fromkeys(OUTCOMES, 0)
    for outcome, count in zip(counts.columns[0].tolist(), counts.count.tolist(), strict=True):
        ends[OUTCOMES[outcome]] += int(count)
    return ends


def _forget_numbers(row: AttemptsRow) -> None:
    """Take away what goes by the number of a try."""
    row["first_try"] = row["first_try_low"] = row["first_try_high"] = None
    row["p25"] = row["p50"] = row["p50_low"] = row["p50_high"] = row["p75"] = row["p90"] = None
    row["distribution"] = []


def learning_curve(rows: list[AttemptsRow]) -> list[LearningRow]:
    """The chance that the n-th try clears, over all levels, with its counts."""
    tries: dict[int, int] = {}
    clears: dict[int, int] = {}
    for row in rows:
        for step in row["distribution"]:
            tries[step["k"]] = tries.get(step["k"], 0) + step["at_risk"]
            clears[step["k"]] = clears.get(step["k"], 0) + step["cleared"]
    learning_rows = []
    for n in sorted(tries):
        low, high = wilson_interval(clears[n], tries[n])
        chance = share(clears[n], tries[n])
        learning_rows.append(LearningRow(n=n, tries=tries[n], clears=clears[n], chance=chance, chance_low=low, chance_high=high))
    return learning_rows


def _hits(counts: Counted) -> Hits:
    """Hits per settled try, and the share of tries that would clear if only so many were allowed.

    Args:
        counts: tries at a level by outcome and hits.
    """
    outcome, hits = counts.columns
    most, tries, cleared = int(hits.max(initial=0)), counts.total, outcome == CLEARED
    died = counts.where(outcome == DIED).by(1)
    few = range(min(most, _MOST_HITS) + 1)
    allowed = [Allowed(hits=k, clears=counts.where(cleared & (hits <= k)).total, tries=tries) for k in few]
    return Hits(
        hits_per_try=share(counts.by(1).sum(), tries),
        allowed_hits=allowed if most else [],
        hits_before_death=share(died.sum(), died.total) if most else None,
        after_hits=[_count_after_hits(k, counts.where(hits >= k)) for k in few[1:]],
    )


def _count_after_hits(k: int, counts: Counted) -> AfterHits:
    """Return the outcomes of the tries with so many hits or more."""
    tries, clears = counts.total, counts.where(counts.columns[0] == CLEARED).total
    low, high = wilson_interval(clears, tries)
    return AfterHits(hits=k, tries=tries, clears=clears, chance=share(clears, tries), chance_low=low, chance_high=high)


def _whole_number(value: float | None) -> int | None:
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
