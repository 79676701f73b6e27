"""Runs: how far they get, how they end, and what comes of playing again."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Final, TypedDict, cast

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.errors import UsageError
from milepost.measures.interface import LevelRow, Table
from milepost.numerics.intervals import log_log, median
from milepost.numerics.survival import kaplan_meier
from milepost.numerics.value_counts import AddedUp, RowsOfPlayers
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Kinds, Play, Summed
from milepost.playback.runs import FAILED, RUN_CAUSES, WON, RunMarks, Runs, find_runs
from milepost.playback.tallies import Tallies, get_tallies
from milepost.vocabulary import CLEARED, RUN_END, RUN_START

CUT_SHORT: Final = tuple(RUN_CAUSES.index(cause) for cause in ("time_up", "crash", "unknown", "fault"))


def runs_are_marked(play: Summed) -> bool:
    """Return whether anything says where runs begin or end: records do, or the course."""
    events = get_tallies(play).events
    return bool(events[RUN_START] or events[RUN_END]) or (play.course is not None and play.course.runs.at is not None)


class RunReach(LevelRow):
    """A level: runs that reached and cleared it, and the share that would reach it if none had been cut short."""

    reached: int
    cleared: int
    share: float | None
    share_low: float | None
    share_high: float | None


class RunsRow(RunReach):
    """A level; ``ended`` are the runs that got no further, by how they ended."""

    ended: dict[str, int]


class PerRunRow(RunReach):
    """A level of a funnel of runs."""

    ended_won: int
    ended_failed: int
    ended_abandoned: int
    ended_quit: int
    ended_time_up: int
    ended_crash: int
    ended_finished: int
    ended_skip: int
    ended_unknown: int
    ended_fault: int


class RunsCounted(TypedDict):
    """How many runs there are, and whose."""

    runs: int
    players: int


class RunNumberRow(TypedDict):
    """The first runs of players, the second ones, and so on; ``again`` is the share that began another one after failing."""

    number: int
    runs: int
    furthest_p50: float | None
    won: int
    seconds_p50: float | None
    again: float | None


class RunsToWin(TypedDict):
    """How many runs it takes to win, those who have not won yet counted as such."""

    p25: int | None
    p50: int | None
    p75: int | None


class RunsTotals(TypedDict):
    """Figures on all runs."""

    runs: int
    players: int
    marked: bool
    ends: dict[str, int]
    by_number: list[RunNumberRow]
    to_first_win: RunsToWin


@dataclass(frozen=True, eq=False, repr=False)
class RunCounts(AddedUp):
    """The runs with an attempt in the course that is looked at.

    Attributes:
        runs: a row a run: its number among the player's, its cause, the furthest level, and active seconds.
        reached, cleared: per level, how many runs did.
        marks: how many records say where runs begin or end.
    """

    runs: RowsOfPlayers
    reached: Ints
    cleared: Ints
    marks: int

    @classmethod
    def of(cls, play: Play) -> RunCounts:
        """Return the counts of a play."""
        runs, table, n_levels = find_runs(play), play.attempts, play.n_levels
        placed = (table.level < n_levels) & ~table.aside
        furthest = np.full(len(runs), -1)
        np.maximum.at(furthest, runs.of_attempt[placed], play.gated.places(table.player[placed], table.level[placed]))
        chosen = furthest >= 0
        known = table.taken & ~np.isnan(table.active)
        seconds = np.bincount(runs.of_attempt[known], weights=table.active[known], minlength=len(runs)).astype(np.float64)
        level = play.gated.orders.level_at(play.gated.order_of_player[runs.player[chosen]], furthest[chosen])
        in_course = (table.level < n_levels) & chosen[runs.of_attempt]
        return cls(
            RowsOfPlayers.gathered(runs.player[chosen], runs.number[chosen], runs.cause[chosen], level, seconds[chosen]),
            _runs_by_level(runs, table.level, in_course, n_levels),
            _runs_by_level(runs, table.level, in_course & table.ended(CLEARED), n_levels),
            len(play.summary(RunMarks).session),
        )


def _runs_by_level(runs: Runs, level: Ints, attempts: Bools, n_levels: int) -> Ints:
    """Per level, how many runs have one of some attempts there."""
    pairs = distinct(runs.of_attempt[attempts] * max(1, n_levels) + level[attempts])
    return np.bincount(pairs % max(1, n_levels), minlength=n_levels)


@dataclass(frozen=True, eq=False, repr=False)
class _ChosenRuns:
    """The rows of `RunCounts`, as columns."""

    player: Ints
    number: Ints
    cause: Ints
    furthest: Ints
    seconds: Floats

    @classmethod
    def of(cls, play: Summed) -> _ChosenRuns:
        """Return those of a play."""
        player, *whole, seconds = play.sums(RunCounts).runs.in_order()
        number, cause, furthest = (column.astype(np.int64) for column in whole)
        return cls(player, number, cause, furthest, seconds)


@dataclass(frozen=True)
class RunsMeasure:
    """The runs over the course."""

    SUMS: ClassVar[Kinds] = (RunCounts, Tallies)

    def __call__(self, play: Summed) -> Table[RunsRow, RunsTotals]:
        """One row a level; see docs/runs.md for the columns."""
        chosen = _ChosenRuns.of(play)
        return Table(
            _levels(play, chosen),
            RunsTotals(
                runs=len(chosen.player),
                players=len(distinct(chosen.player)),
                marked=runs_are_marked(play),
                ends=_sort_causes(chosen.cause),
                by_number=_count_by_number(chosen),
                to_first_win=_count_to_first_win(chosen),
            ),
        )


@dataclass(frozen=True)
class RunsReported:
    """Figures on all runs, if a log or its course has runs."""

    SUMS: ClassVar[Kinds] = RunsMeasure.SUMS

    def __call__(self, play: Summed) -> Table[RunsRow, RunsTotals]:
        """One row a level.

        Raises:
            UsageError: nothing speaks of runs.
        """
        declared = play.course is not None and play.course.runs.at is not None
        if not declared and not play.sums(RunCounts).marks:
            raise UsageError("neither the log nor the course says where runs begin or end.")
        return RunsMeasure()(play)


def _sort_causes(causes: Ints) -> dict[str, int]:
    return dict(zip(RUN_CAUSES, np.bincount(causes, minlength=len(RUN_CAUSES)).tolist(), strict=True))


def _levels(play: Summed, chosen: _ChosenRuns) -> list[RunsRow]:
    counts = play.sums(RunCounts)
    curve = reach_curve(chosen.furthest, _ended(chosen), chosen.player, play.n_levels)
    return [
        RunsRow(
            level=play.stops[level],
            reached=int(counts.reached[level]),
            cleared=int(counts.cleared[level]),
            share=share,
            share_low=low,
            share_high=high,
            ended=_sort_causes(chosen.cause[chosen.furthest == level]),
        )
        for level, (share, low, high) in enumerate(curve)
    ]


def _ended(chosen: _ChosenRuns) -> Bools:
    """Return a mask of the runs that ended where they had got to: neither won nor cut short."""
    return ~np.isin(chosen.cause, (WON, *CUT_SHORT))


Reach = tuple[float | None, float | None, float | None]


def reach_curve(furthest: Ints, ended: Bools, player: Ints, n_levels: int) -> list[Reach]:
    """Per level, the share of runs that reach it, were none cut short, with its interval.

    A run is at risk in every level up to its furthest one. The interval is on the log(-log) scale, with the variance of the sums
    of each player's runs' influence, so that it knows that runs cluster in players; for players of one run it is Greenwood's.

    Args:
        furthest: per run, the level that it got to.
        ended: per run, whether it ended there, and was not cut short.
        player: per run, whose it is.
        n_levels: how many levels there are.

    Source: D. Y. Lin and L. J. Wei, "The robust inference for the Cox proportional hazards model", JASA 84 (1989), for sums of
    influence within clusters.
    """
    if not len(furthest):
        return [(None, None, None)] * n_levels
    survival, curve = 1.0, list[Reach]()
    influence = np.zeros(int(player.max()) + 1)
    for level in range(n_levels):
        curve.append((survival, *log_log(survival, float((influence**2).sum()))))
        at_risk = furthest >= level
        ends = ended & (furthest == level)
        n, d = int(at_risk.sum()), int(ends.sum())
        if d and n > d:
            np.add.at(influence, player[at_risk], (ends[at_risk] - d / n) / (n - d))
        if n:
            survival *= 1 - d / n
    return curve


def _count_by_number(chosen: _ChosenRuns) -> list[RunNumberRow]:
    rows = []
    last = np.zeros(int(chosen.player.max(initial=0)) + 1, np.int64)
    np.maximum.at(last, chosen.player, chosen.number)
    for number in distinct(chosen.number).tolist():
        of_number = chosen.number == number
        failed = of_number & (chosen.cause == FAILED)
        went_on = float((last[chosen.player[failed]] > number).mean()) if failed.any() else None
        rows.append(
            RunNumberRow(
                number=number,
                runs=int(of_number.sum()),
                furthest_p50=median(chosen.furthest[of_number] + 1.0),
                won=int((of_number & (chosen.cause == WON)).sum()),
                seconds_p50=median(chosen.seconds[of_number]),
                again=went_on,
            )
        )
    return rows


def _count_to_first_win(chosen: _ChosenRuns) -> RunsToWin:
    """Kaplan-Meier over players: runs up to the first that is won, or all of them."""
    players = distinct(chosen.player)
    place = np.searchsorted(players, chosen.player)
    won, count = np.full(len(players), np.iinfo(np.int64).max), np.zeros(len(players), np.int64)
    np.maximum.at(count, place, chosen.number)
    wins = chosen.cause == WON
    np.minimum.at(won, place[wins], chosen.number[wins])
    curve = kaplan_meier(np.minimum(won, count).astype(np.float64), won <= count)
    p25, p50, p75 = (None if (value := curve.quantile(q)) is None else int(value) for q in (0.25, 0.5, 0.75))
    return RunsToWin(p25=p25, p50=p50, p75=p75)


@dataclass(frozen=True)
class FunnelPerRun:
    """The funnel with runs in the place of players: how far they get, and how they end."""

    def __call__(self, play: Play) -> Table[PerRunRow, RunsCounted]:
        """One row a level."""
        table = RunsMeasure()(play)
        rows = [_flat(row) for row in table.rows]
        return Table(rows, RunsCounted(runs=table.totals["runs"], players=table.totals["players"]))


def _flat(row: RunsRow) -> PerRunRow:
    ended = {f"ended_{cause}": count for cause, count in row["ended"].items()}
    return cast(PerRunRow, {**{key: value for key, value in row.items() if key != "ended"}, **ended})
