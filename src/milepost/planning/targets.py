"""Targets: what the course and the playtest folder plan, against what was measured."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from math import ceil, inf
from typing import Final, Literal, TypedDict

import numpy as np

from milepost.audit.audit import audit, count_weighty
from milepost.course.course import Level
from milepost.course.legs import last_leg
from milepost.difficulty.spikes import Spikes
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.cells import Cells, gather_cells
from milepost.measures.funnel import Funnel, legs_in
from milepost.measures.funnel_counts import cleared_mask
from milepost.measures.interface import Table
from milepost.numerics.intervals import NO_INTERVAL, Interval, median_interval
from milepost.numerics.survival import Curve, kaplan_meier
from milepost.playback.play import Play

TOLERANCE: Final = 0.05  # of a share of tries that clear, for a target that is no range
MEANINGS: Final = {
    "target_clear": "a try clears",
    "par_seconds": "median time to clear",
    "target_tries": "median tries to clear",
    "target_kept": "still playing after it",
    "kept_at_end": "still playing at the end",
    "total_minutes": "minutes to finish",
    "strong_spikes": "strong spikes",
    "findings": "heavy findings",
}


class TargetsRow(TypedDict):
    """A target: of a level, or of the whole course (null). A range has both ends; otherwise both are what was planned."""

    level: str | None
    target: str
    planned: float
    planned_low: float | None
    planned_high: float | None
    measured: float | None
    low: float | None
    high: float | None
    players: int
    verdict: TargetVerdict
    players_needed: int | None


class TargetsTotals(TypedDict):
    """The targets, and how many came true."""

    targets: list[TargetsRow]
    met: int
    missed: int
    no_telling: int


@dataclass(frozen=True)
class _Target:
    """A target and what came of it."""

    level: str | None
    name: str
    planned: float
    goal: Goal
    measured: Measured

    def row(self) -> TargetsRow:
        """It as a row."""
        low, high = self.measured.interval
        ends = (None if abs(end) == np.inf else end for end in (self.goal.low, self.goal.high))
        return TargetsRow(
            level=self.level,
            target=self.name,
            planned=self.planned,
            planned_low=next(ends),
            planned_high=next(ends),
            measured=self.measured.value,
            low=low,
            high=high,
            players=self.measured.players,
            verdict=judge_target(self.goal, self.measured),
            players_needed=players_needed(self.goal, self.measured),
        )


@dataclass(frozen=True)
class Targets:
    """The plan against the play.

    Attributes:
        course: targets of the whole course: kept_at_end, total_minutes, strong_spikes, findings.
        least: of fewer players, no spike is claimed.
    """

    course: Mapping[str, float | str] = field(default_factory=dict)
    least: int = 5

    def __call__(self, play: Play) -> Table[TargetsRow, TargetsTotals]:
        """Rows a target; the totals hold the same, and the counts of verdicts."""
        rows = [target.row() for target in (*_list_level_targets(play), *self._list_course_targets(play))]
        counts = {verdict: sum(row["verdict"] == verdict for row in rows) for verdict in ("met", "missed", "no_telling")}
        met, missed, no_telling = counts.values()
        return Table(rows, TargetsTotals(targets=rows, met=met, missed=missed, no_telling=no_telling))

    def _list_course_targets(self, play: Play) -> Iterator[_Target]:
        for name, planned in self.course.items():
            if name == "findings":
                value = count_weighty(play.compute_once(audit).totals, str(planned))
                yield _Target(None, name, 0.0, Goal(high=0.0), Measured(float(value), players=int(play.counts.sum())))
            elif name == "kept_at_end":
                yield _Target(
                    None, name, float(planned), Goal(low=float(planned)), _measure_kept(play, _list_last_levels(play)[0])
                )
            elif name == "total_minutes":
                yield _Target(None, name, float(planned), Goal(high=float(planned)), _minutes(play))
            else:
                yield _Target(None, name, float(planned), Goal(high=float(planned)), self._strong(play))

    def _strong(self, play: Play) -> Measured:
        rows = play.compute_once(Spikes(self.least)).rows
        is_known = any(row["evidence"] != "too_few" for row in rows)
        strong = sum(row["kind"] == "spike" and row["evidence"] == "strong" for row in rows)
        return Measured(float(strong) if is_known else None, players=int(play.counts.sum()))


def _list_level_targets(play: Play) -> Iterator[_Target]:
    gathered = gather_cells(play)
    for place, level in enumerate(play.course.levels if play.course else ()):
        gathered_cells = gathered.of(place)
        if level.target_clear is not None:
            yield _Target(level.name, "target_clear", level.target_clear, _clear_goal(level), _clear(play, place))
        if level.par_seconds is not None:
            yield _Target(
                level.name,
                "par_seconds",
                level.par_seconds,
                _build_goal(level.par_seconds, level.par_range),
                _seconds(gathered_cells),
            )
        if level.target_tries is not None:
            yield _Target(
                level.name,
                "target_tries",
                level.target_tries,
                _build_goal(level.target_tries, level.tries_range),
                _tries(gathered_cells),
            )
        if level.target_kept is not None:
            yield _Target(level.name, "target_kept", level.target_kept, Goal(low=level.target_kept), _measure_kept(play, place))


def _build_goal(planned: float, span: tuple[float, float] | None) -> Goal:
    """Return a goal that is a range, or else at most what is planned."""
    return Goal(high=planned) if span is None else Goal(*span)


def _clear_goal(level: Level) -> Goal:
    if level.target_range is not None:
        return Goal(*level.target_range)
    planned = level.target_clear or 0.0
    return Goal(planned - TOLERANCE, planned + TOLERANCE)


def _clear(play: Play, place: int) -> Measured:
    row = play.compute_once(AttemptsToClear()).rows[place]
    return Measured(row["try_clear"], (row["try_clear_low"], row["try_clear_high"]), row["players"])


def _tries(cells: Cells) -> Measured:
    having_tried = cells.settled > 0
    return _median(
        kaplan_meier(cells.settled[having_tried].astype(np.float64), cells.cleared[having_tried]), int(having_tried.sum())
    )


def _seconds(cells: Cells) -> Measured:
    timed = ~cells.untimed
    return _median(kaplan_meier(cells.seconds[timed], cells.cleared[timed]), int(timed.sum()))


def _median(curve: Curve, players: int) -> Measured:
    return Measured(curve.quantile(0.5), curve.quantile_interval(0.5), players, open_ended=True)


def _measure_kept(play: Play, place: int) -> Measured:
    if play.course is not None and play.course.runs.endless:
        return Measured(None, players=int(play.counts.sum()))
    row = play.compute_once(Funnel()).rows[place]
    return Measured(row["retention"], (row["retention_low"], row["retention_high"]), row["reached"])


def _list_last_levels(play: Play) -> tuple[int, ...]:
    """The levels of the last leg."""
    legs = legs_in(play)
    return legs[last_leg(legs)].levels


def _minutes(play: Play) -> Measured:
    """Minutes of play of those who did the last leg, in all their attempts of known duration."""
    table = play.attempts
    last = play.gated.last_leg
    finished = np.flatnonzero(play.counts & (last >= 0) & play.gated.done(cleared_mask(play))[last, np.arange(len(last))])
    known = ~np.isnan(table.active)
    spent = np.bincount(table.player[known], weights=table.active[known], minlength=len(play.gated.players))[finished] / 60
    value = float(np.median(spent)) if len(spent) else None
    interval: Interval = median_interval(spent)
    return Measured(value, interval, len(spent))


TargetVerdict = Literal["met", "missed", "no_telling"]
MOST_NEEDED: Final = 100_000  # players beyond which a number of them says no more than: never


@dataclass(frozen=True)
class Goal:
    """A target: values from ``low`` to ``high`` fulfil it."""

    low: float = -inf
    high: float = inf

    def holds(self, value: float) -> bool:
        """Return whether a value fulfils it."""
        return self.low - 1e-9 <= value <= self.high + 1e-9

    def is_failed_by(self, low: float, high: float) -> bool:
        """Return whether no value of an interval fulfils it."""
        return high < self.low - 1e-9 or low > self.high + 1e-9

    def distance(self, value: float) -> float:
        """How far a value is from fulfilling it."""
        return max(self.low - value, value - self.high, 0.0)


@dataclass(frozen=True)
class Measured:
    """A measured value beside its target.

    Attributes:
        value: the figure; None where it is not known.
        interval: its 95 % interval; an end that is not known is None, and of a figure that has no interval both are.
        players: how many players are behind it.
        open_ended: whether an unknown upper end means that the data do not bound it.
    """

    value: float | None
    interval: Interval = NO_INTERVAL
    players: int = 0
    open_ended: bool = False


def judge_target(goal: Goal, measured: Measured) -> TargetVerdict:
    """The verdict: met by the figure itself, missed where all of its interval fails it, undecided in between."""
    value, (low, high) = measured.value, measured.interval
    if value is not None and goal.holds(value):
        return "met"
    if low is None and high is None:
        return "missed" if value is not None else "no_telling"
    least = low if low is not None else -inf
    most = high if high is not None else inf if measured.open_ended or value is None else value
    return "missed" if goal.is_failed_by(least, most) else "no_telling"


def players_needed(goal: Goal, measured: Measured) -> int | None:
    """How many players would tell, were the figure what was measured: intervals shrink with the root of their number.

    None where it is told already, where the figure is not known, or where no number of players that anybody has would do.
    """
    value, (low, high) = measured.value, measured.interval
    if value is None or judge_target(goal, measured) != "no_telling":
        return None
    end = low if value > goal.high else high
    away = goal.distance(value)
    if end is None or away <= 0:
        return None
    needed = ceil(measured.players * (abs(value - end) / away) ** 2)
    return max(measured.players + 1, needed) if needed <= MOST_NEEDED else None
