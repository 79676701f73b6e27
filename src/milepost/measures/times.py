"""Time in level: how long a level takes to clear, those who have not cleared it yet counted as such."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, ClassVar, TypedDict

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.errors import unknown_word
from milepost.measures.cells import ReachedStops, levels_shown, void_attempts
from milepost.measures.interface import LevelRow, Table
from milepost.measures.time_counts import Spent, TimeCounts
from milepost.numerics.survival import kaplan_meier
from milepost.numerics.value_counts import Counted
from milepost.numerics.whole_numbers import distinct, is_among
from milepost.playback.play import Kinds, P, Summed, with_records
from milepost.vocabulary import CLEARED, DIED, PAUSE, RESUME, WAS_RESET, Outcome

if TYPE_CHECKING:
    from milepost.playback.play import FullPlay, Play

_SHORTEST, _LONGEST_BIN = 0.25, 40  # seconds; the number of the last bin, which has all beyond
_FAILURES = (DIED, WAS_RESET)


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
    p50_low: float | None
    p50_high: float | None
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
    """Seconds between a clear and the next attempt, and seconds spent on failures."""

    to_move_p50: float | None
    to_start_p50: float | None
    split_gaps: int
    lost_to_failures: float


class OfPar(TypedDict):
    """The planned seconds to clear, and the median beside them with its interval; null without a plan."""

    par: float | None
    par_ratio: float | None
    par_ratio_low: float | None
    par_ratio_high: float | None


class TimesRow(LevelRow, ToClear, OfPar, Single, Gaps):
    """A level."""

    placed: bool
    spent: float
    session_share: float | None
    void: int


class TimesTotals(TypedDict):
    """Figures on the whole course."""

    session_seconds: float


@dataclass(frozen=True)
class TimeInLevel:
    """Active seconds to the first clear, and the times of single attempts, by level."""

    SUMS: ClassVar[Kinds] = (ReachedStops, Spent, TimeCounts)

    def __call__(self, play: Summed) -> Table[TimesRow, TimesTotals]:
        """One row a level; see docs/definitions.md for the columns."""
        reached, spent, counts = play.sums(ReachedStops).players, play.sums(Spent), play.sums(TimeCounts)
        total = counts.sessions.sum()
        rows = []
        for level in levels_shown(play):
            attempts, seconds = spent.attempts.at(level), spent.at(level)
            first = attempts.where(attempts.columns[0])
            to_clear = _measure_to_clear(counts, level, int(reached[level]), bool(play.conditions))
            rows.append(
                TimesRow(
                    level=play.stops[level],
                    placed=level < play.n_levels,
                    **to_clear,
                    **_compare_with_par(play, level, to_clear),
                    **_single(counts, level, first),
                    **_split_gap(counts, level, first),
                    spent=seconds,
                    session_share=seconds / total if total > 0 else None,
                    void=void_attempts(play, level),
                )
            )
        return Table(rows, TimesTotals(session_seconds=total))


def _compare_with_par(play: Summed, level: int, to_clear: ToClear) -> OfPar:
    levels = play.course.levels if play.course else ()
    par = levels[level].par_seconds if level < len(levels) else None
    medians = to_clear["p50"], to_clear["p50_low"], to_clear["p50_high"]
    p50, low, high = (median / par if par and median is not None else None for median in medians)
    return OfPar(par=par, par_ratio=p50, par_ratio_low=low, par_ratio_high=high)


def _measure_to_clear(counts: TimeCounts, level: int, reached: int, hidden: bool) -> ToClear:
    """Return the seconds to clear a level; without quantiles where ``hidden``, since a condition leaves tries out."""
    timed = counts.to_clear.at(level)
    cleared, seconds = timed.columns
    curve = kaplan_meier(seconds, cleared, timed.count)
    p10, p25, p50, p75, p90 = (None if hidden else curve.quantile(q) for q in (0.1, 0.25, 0.5, 0.75, 0.9))
    p50_low, p50_high = (None, None) if hidden else curve.quantile_interval(0.5)
    return ToClear(
        reached=reached,
        timed=timed.total,
        untimed=counts.untimed.at(level).total,
        clears=timed.where(cleared).total,
        censored=timed.where(~cleared).total,
        p10=p10,
        p25=p25,
        p50=p50,
        p50_low=p50_low,
        p50_high=p50_high,
        p75=p75,
        p90=p90,
        distribution=[] if hidden else _distribution(timed),
    )


def _distribution(timed: Counted) -> list[Bin]:
    """Players by their time, in bins that each reach to the square root of two times their beginning."""
    cleared, seconds = timed.columns
    place = np.clip(np.floor(2 * np.log2(np.maximum(seconds, _SHORTEST))), None, _LONGEST_BIN).astype(np.int64)
    return [
        {
            "from": float(2 ** (n / 2)),
            "to": float(2 ** ((n + 1) / 2)),
            "cleared": timed.where(cleared & (place == n)).total,
            "censored": timed.where(~cleared & (place == n)).total,
        }
        for n in distinct(place).tolist()
    ]


def _split_gap(counts: TimeCounts, level: int, first: Counted) -> Gaps:
    """Split the time from a clear to the next attempt: until the game moves on, and from there to the start."""
    to_move = counts.to_move.at(level)
    return Gaps(
        to_move_p50=to_move.median(),
        to_start_p50=counts.to_start.at(level).median(),
        split_gaps=to_move.total,
        lost_to_failures=_ended(first, *_FAILURES).sum(),
    )


def _ended(attempts: Counted, *outcomes: Outcome) -> Counted:
    """The seconds of the attempts that ended in one of some outcomes."""
    return attempts.where(is_among(attempts.columns[1], outcomes)).by(2)


def _single(counts: TimeCounts, level: int, first: Counted) -> Single:
    runs, fails = _ended(first, CLEARED), _ended(first, *_FAILURES)
    settling, between = counts.settling.at(level), counts.between.at(level)
    return Single(
        run_p50=runs.median(),
        runs=runs.total,
        fail_p50=fails.median(),
        fails=fails.total,
        settling_p50=settling.median(),
        settlings=settling.total,
        between_p50=between.median(),
        betweens=between.total,
        paused_total=counts.paused.at(level).sum(),
    )


@dataclass(frozen=True)
class TimeFromInput:
    """Time in level from the first input of each attempt, where `TimeInLevel` has it from the opening."""

    def __call__(self, play: Play) -> Table[TimesRow, TimesTotals]:
        """One row a level."""
        return TimeInLevel()(use_clock(play, "input"))


def use_clock(play: P, clock: str = "load", idle_cap: float | None = None) -> P:
    """The play with the active time of its attempts taken by another clock.

    Args:
        play: a play.
        clock: `load`, from the opening of an attempt, or `input`, from its first input; an attempt without any input
            then lasts no time.
        idle_cap: seconds to which a stretch without a record, outside pauses, counts at most.

    Raises:
        UsageError: there is no such clock.
        RecordsGoneError: idle stretches are asked of a play that has let its records go.
    """
    if clock not in ("load", "input"):
        raise unknown_word("clock", clock, ("load", "input"))
    if clock == "load" and idle_cap is None:
        return play
    active = play.attempts.active
    if idle_cap is not None:
        active = active_without_idle(with_records(play), idle_cap)
    if clock == "input":
        settling = play.attempts.settling
        active = np.where(np.isnan(active), np.nan, np.where(np.isnan(settling), 0.0, np.maximum(0.0, active - settling)))
    return replace(play, attempts=replace(play.attempts, active=active))


def active_without_idle(play: FullPlay, cap: float) -> Floats:
    """Per attempt, its active seconds, of which a stretch without a record, outside pauses, counts so many at most."""
    active: Floats = np.maximum(0.0, play.attempts.active - _beyond(play, cap))
    return active


def _beyond(play: FullPlay, cap: float) -> Floats:
    """Per attempt, the seconds by which silences in it go beyond the cap."""
    records, order = play.gated.log.records, play.gated.order
    gap = np.diff(records.time[order], append=0.0)
    gap[-1:] = 0.0
    excess = np.where((gap > cap) & ~_paused(play), gap - cap, 0.0)
    table = play.attempts
    if not len(table):
        return np.zeros(0)
    ends = np.stack((table.opened_at, table.closed_at), axis=1).astype(np.int64)
    sums = np.add.reduceat(np.append(excess, 0.0), ends.ravel())[::2]  # each by itself, so that parts give just the same
    return np.where(ends[:, 0] < ends[:, 1], sums, 0.0)


def _paused(play: FullPlay) -> Bools:
    """Per record in replay order, whether a pause goes on after it."""
    event = play.gated.log.records.event[play.gated.order]
    if not len(event):
        return np.zeros(0, np.bool_)
    session = play.gated.log.records.session[play.gated.order]
    switch = np.where(np.isin(event, (PAUSE, RESUME)), np.arange(len(event)), -1)
    last = np.maximum.accumulate(switch)
    paused: Bools = (last >= 0) & (event[last] == PAUSE) & (session[last] == session)
    return paused
