"""Attempts to clear: how many tries a level takes, those who have not cleared it yet counted as such."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from milepost.measures.cells import Cells, cells, first_clear, levels_shown
from milepost.measures.interface import Row, Table, share, with_interval
from milepost.numerics.intervals import clustered_share, wilson
from milepost.numerics.survival import Curve, kaplan_meier
from milepost.numerics.whole_numbers import stable_order
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, N_SETTLED

QUANTILES = (0.25, 0.5, 0.75, 0.9)


@dataclass(frozen=True)
class AttemptsToClear:
    """Settled attempts up to the first clear, by level."""

    def __call__(self, play: Play) -> Table:
        """One row a level; see docs/definitions.md for the columns."""
        return play.once(_table)


def _table(play: Play) -> Table:
    cell = cells(play)
    hits = _hits(play)
    rows = [
        {"level": play.stops[level], "placed": level < play.n_levels, **_row(cell.of(level)), **hits(level)}
        for level in levels_shown(play)
    ]
    return Table(rows, {"learning": learning(rows)})


def _row(cell: Cells) -> Row:
    having_say = cell.settled > 0
    players = int(having_say.sum())
    first = int((cell.cleared & (cell.settled == 1)).sum())
    settled, clears = int(cell.settled.sum()), int(cell.cleared.sum())
    curve = kaplan_meier(cell.settled[having_say].astype(np.float64), cell.cleared[having_say])
    quantiles = {f"p{100 * q:.0f}": _whole(curve.quantile(q)) for q in QUANTILES}
    return {
        "reached": len(cell.player), "players": players, "censored": players - clears,
        **with_interval("first_try", share(first, players), wilson(first, players)),
        "settled": settled, "clears": clears,
        **with_interval("try_clear", share(clears, settled), clustered_share(cell.cleared.astype(np.int64), cell.settled)),
        **quantiles, "distribution": _distribution(curve),
    }  # fmt: skip


def learning(rows: list[Row]) -> list[Row]:
    """The chance that the n-th try clears, over all levels, with its counts."""
    tries: dict[int, int] = {}
    clears: dict[int, int] = {}
    for row in rows:
        for step in row["distribution"]:
            tries[step["k"]] = tries.get(step["k"], 0) + step["at_risk"]
            clears[step["k"]] = clears.get(step["k"], 0) + step["cleared"]
    return [
        {"n": n, "tries": tries[n], "clears": clears[n], **with_interval("chance", share(clears[n], tries[n]), wilson(clears[n], tries[n]))}  # noqa: E501
        for n in sorted(tries)
    ]  # fmt: skip


def _hits(play: Play) -> Callable[[int], Row]:
    """Per level, hits per settled attempt, and the share of attempts that would clear if only so many were allowed."""
    table = play.attempts
    settled = np.flatnonzero(first_clear(play) & (table.outcome < N_SETTLED))
    settled = settled[stable_order(table.level[settled])]
    levels = table.level[settled]

    def of(level: int) -> Row:
        here = settled[slice(*np.searchsorted(levels, [level, level + 1]))]
        hits, cleared = table.hits[here], table.ended(CLEARED)[here]
        most = int(hits.max()) if len(hits) else 0
        allowed = [
            {"hits": k, "clears": int((cleared & (hits <= k)).sum()), "tries": len(hits)} for k in range(min(most, 20) + 1)
        ]
        return {"hits_per_try": float(hits.mean()) if len(hits) else None, "allowed_hits": allowed if most else []}

    return of


def _whole(value: float | None) -> int | None:
    return None if value is None else int(value)


def _distribution(curve: Curve) -> list[Row]:
    """Every number of tries up to the greatest seen, also those at which nothing happened."""
    rows: list[Row] = []
    survival, place = 1.0, 0
    for k in range(1, int(curve.value[-1]) + 1 if len(curve.value) else 1):
        at_risk, events = int(curve.at_risk[place]), 0
        if curve.value[place] == k:
            events, survival = int(curve.events[place]), float(curve.survival[place])
            place += 1
        rows.append({"k": k, "at_risk": at_risk, "cleared": events, "survival": survival})
    return rows
