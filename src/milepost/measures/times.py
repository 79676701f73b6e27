"""Time in level: how long a level takes to clear, those who have not cleared it yet counted as such."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.measures.cells import Cells, cells, first_tries, levels_shown, rows_of, void_attempts
from milepost.measures.interface import LevelRow, Table
from milepost.numerics.intervals import median
from milepost.numerics.survival import kaplan_meier
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play
from milepost.playback.tables import AttemptTable
from milepost.vocabulary import CLEARED, DIED, WAS_RESET

_SHORTEST, _LONGEST_BIN = 0.25, 40  # seconds; the number of the last bin, which has all beyond


Bin = TypedDict("Bin", {"from": float, "to": float, "cleared": int, "censored": int})  # players by their time, in seconds


class ToClear(TypedDict):
    """The seconds that players take to clear a level."""

    reached: int
    timed: int
    untimed: int
    clears: int
    censored: int
    p10: float | None
    p25: float | None
    p50: float | None
    p75: float | None
    p90: float | None
    distribution: list[Bin]


class Single(TypedDict):
    """The seconds of single attempts: medians, each with its count."""

    run_p50: float | None
    runs: int
    fail_p50: float | None
    fails: int
    settling_p50: float | None
    settlings: int
    between_p50: float | None
    betweens: int
    paused_total: float


class Gaps(TypedDict):
    """What lies between a clear and the next attempt, and what went into failures; seconds."""

    to_move_p50: float | None
    to_start_p50: float | None
    split_gaps: int
    lost_to_failures: float


class TimesRow(LevelRow, ToClear, Single, Gaps):
    """A level."""

    placed: bool
    spent: float
    session_share: float | None
    void: int


class TimesTotals(TypedDict):
    """What is said of the whole course."""

    session_seconds: float


@dataclass(frozen=True)
class TimeInLevel:
    """Active seconds to the first clear, and the times of single attempts, by level."""

    def __call__(self, play: Play) -> Table[TimesRow, TimesTotals]:
        """One row a level; see docs/definitions.md for the columns."""
        cell = cells(play)
        table = play.attempts
        known = ~np.isnan(table.active)
        usable, spent_at = first_tries(play) & known, known & table.taken & play.counts[table.player]
        between = _between(table)
        until_move = _until_move(play)
        total = _session_seconds(play)
        rows = []
        for level in levels_shown(play):
            here = rows_of(play, level)
            own, spent = here[usable[here]], float(table.active[here[spent_at[here]]].sum())
            rows.append(
                TimesRow(
                    level=play.stops[level],
                    placed=level < play.n_levels,
                    **_to_clear(cell.of(level), bool(play.asked)),
                    **_single(table, between, own),
                    **_split_gap(table, between, until_move, own),
                    spent=spent,
                    session_share=spent / total if total > 0 else None,
                    void=void_attempts(play, level),
                )
            )
        if play.asked:
            for row in rows:
                row["p10"] = row["p25"] = row["p50"] = row["p75"] = row["p90"] = None
                row["distribution"] = []
        return Table(rows, TimesTotals(session_seconds=total))


def _to_clear(cell: Cells, some: bool) -> ToClear:
    timed = ~cell.untimed & (cell.tried if some else True)
    curve = kaplan_meier(cell.seconds[timed], cell.cleared[timed])
    p10, p25, p50, p75, p90 = (curve.quantile(q) for q in (0.1, 0.25, 0.5, 0.75, 0.9))
    return ToClear(
        reached=len(cell.player),
        timed=int(timed.sum()),
        untimed=int(cell.untimed.sum()),
        clears=int((cell.cleared & timed).sum()),
        censored=int((~cell.cleared & timed).sum()),
        p10=p10,
        p25=p25,
        p50=p50,
        p75=p75,
        p90=p90,
        distribution=_distribution(cell.seconds[timed], cell.cleared[timed]),
    )


def _distribution(times: Floats, cleared: Bools) -> list[Bin]:
    """Players by their time, in bins that each reach to the square root of two times their beginning."""
    place = np.clip(np.floor(2 * np.log2(np.maximum(times, _SHORTEST))), None, _LONGEST_BIN).astype(np.int64)
    return [
        {
            "from": float(2 ** (n / 2)),
            "to": float(2 ** ((n + 1) / 2)),
            "cleared": int((cleared & (place == n)).sum()),
            "censored": int((~cleared & (place == n)).sum()),
        }
        for n in distinct(place).tolist()
    ]


def _between(table: AttemptTable) -> Floats:
    """Per attempt, seconds from its closing to the opening of the session's next attempt; NaN where not known."""
    gap = np.full(len(table), np.nan)
    if len(table) > 1:
        follows = (np.diff(table.session) == 0) & ~np.isnan(table.active[1:])
        gap[:-1][follows] = np.maximum(0.0, table.opened[1:] - table.closed[:-1])[follows]
    return gap


def _until_move(play: Play) -> Floats:
    """Per attempt, seconds from its closing to the session's next transition, where one comes before the next attempt."""
    table, moves = play.attempts, play.moves
    wait = np.full(len(table), np.nan)
    if not len(moves.at) or not len(table):
        return wait
    by_place = np.argsort(moves.at)
    at, session = moves.at[by_place], moves.session[by_place]
    place = np.minimum(np.searchsorted(at, table.closed_at, side="left"), len(at) - 1)
    following = np.full(len(table), np.iinfo(np.int64).max)
    again = np.diff(table.session) == 0
    following[:-1][again] = table.opened_at[1:][again]
    found = (at[place] >= table.closed_at) & (session[place] == table.session) & (at[place] <= following)
    times = moves.time[by_place[place[found]]]
    wait[found] = np.maximum(0.0, times - table.closed[found])
    return wait


def _split_gap(table: AttemptTable, between: Floats, until_move: Floats, rows: Ints) -> Gaps:
    """What lies between a clear and the next attempt: until the game moves on, and from there to the start."""
    cleared, failed = _cleared_and_failed(table, rows)
    known = cleared[~np.isnan(between[cleared]) & ~np.isnan(until_move[cleared])]
    before = np.minimum(until_move[known], between[known])
    return Gaps(
        to_move_p50=median(before),
        to_start_p50=median(between[known] - before),
        split_gaps=len(known),
        lost_to_failures=float(table.active[failed].sum()),
    )


def _session_seconds(play: Play) -> float:
    """How long the sessions of the players who count last together."""
    times = play.session_times
    counted = play.counts[play.gated.player] & ~np.isnan(times.first)
    return float(np.maximum(0.0, times.last - times.first)[counted].sum())


def _cleared_and_failed(table: AttemptTable, rows: Ints) -> tuple[Ints, Ints]:
    """Of some attempts, those that cleared, and those that failed."""
    outcome = table.outcome[rows]
    return rows[outcome == CLEARED], rows[(outcome == DIED) | (outcome == WAS_RESET)]


def _single(table: AttemptTable, between: Floats, rows: Ints) -> Single:
    cleared, failed = _cleared_and_failed(table, rows)
    settled_in = rows[~np.isnan(table.settling[rows])]
    gap_known = cleared[~np.isnan(between[cleared])]
    return Single(
        run_p50=median(table.active[cleared]),
        runs=len(cleared),
        fail_p50=median(table.active[failed]),
        fails=len(failed),
        settling_p50=median(table.settling[settled_in]),
        settlings=len(settled_in),
        between_p50=median(between[gap_known]),
        betweens=len(gap_known),
        paused_total=float(table.paused[rows].sum()),
    )
