"""Trend: builds, days, weeks or months in a row; each level's difficulty step by step, and what changed from step to step."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Final, cast

import numpy as np

from milepost.cleaning.splitting import Split
from milepost.comparison.compare import Compare
from milepost.comparison.compare_in_play import require_by_session
from milepost.comparison.judging import CLAIMED
from milepost.comparison.row_types import (
    ChangeVerdict,
    CompareRow,
    CompareTotals,
    DatesLeftOut,
    Reading,
    TrendChange,
    TrendPoint,
    TrendRow,
    TrendShift,
    TrendStep,
    TrendTotals,
    TrendWhole,
)
from milepost.comparison.trend_steps import TrendSteps, steps_by_date, steps_by_key, steps_from_plays
from milepost.difficulty.spikes import judge_difficulties
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel, legs_in
from milepost.measures.interface import Table
from milepost.numerics.shifts import false_discovery_rate
from milepost.playback.play import Play, with_records

DATES: Final = ("day", "week", "month")
_TOLD: Final = ("delta", "delta_low", "delta_high", "p_value", "q_value", "verdict")
_MANY_BACK: Final = 0.2  # share of a step's players who were there before, from which practice may be what changed


@dataclass(frozen=True)
class Trend:
    """Steps in a row.

    Attributes:
        over: `build`, `day`, `week`, `month`, or another key of sessions.
        min_players: of fewer players in either step, nothing is claimed.
        groups: the steps' names and plays in order, where these are there already.
    """

    over: str = "build"
    min_players: int = 5
    groups: Sequence[tuple[str, Play]] | None = field(default=None, repr=False)  # a table is kept under what the log is split by

    def __call__(self, play: Play) -> Table[TrendRow, TrendTotals]:
        """One row a level; the totals hold the steps and the shifts.

        Raises:
            UsageError: the log has fewer than two steps.
        """
        if self.groups is not None:
            require_by_session(play, self.over)
            return build_trend(play, steps_from_plays(self.groups, self.over, self.min_players))
        full = with_records(play)
        if self.over not in DATES:
            return build_trend(full, steps_by_key(full, self.over, self.min_players))
        steps = steps_by_date(full, self.over, self.min_players)
        table = build_trend(full, steps)
        without = len({*full.gated.player[full.gated.sequence].tolist()}) - int(full.counts.sum())
        left_out = DatesLeftOut(debug_sessions=full.about.debug_sessions, players_without_attempt=without, no_date=steps.undated)
        cast("dict[str, object]", table.totals)["left_out"] = left_out  # in place of the head's, which knows nothing of dates
        return table


def build_trend(play: Play, steps: TrendSteps) -> Table[TrendRow, TrendTotals]:
    """One row a level; the totals hold the steps and the shifts.

    Args:
        play: the play of all of them, for the names of its levels and sessions.
        steps: the steps in a row.
    """
    case = _Case(play, steps)
    rows = [case.row(level) for level in case.levels]
    _judge_at_once([change for row in rows for change in row["changes"]])
    _judge_at_once([row["whole"] for row in rows if row["whole"] is not None])
    for row in rows:
        _mark_odd_steps(row["changes"])
        changed_at = [change["to"] for change in row["changes"] if change["verdict"] in ("harder", "easier")]
        row["since"] = changed_at[-1] if changed_at else None
    return Table(rows, TrendTotals(over=steps.key, steps=case.steps_told(), shifts=case.shifts()))


@dataclass(frozen=True)
class _Pair:
    """A comparison of two steps."""

    rows: Mapping[str, CompareRow]
    totals: CompareTotals


def _judged(play: Play, least: int) -> dict[str, dict[str, object]]:
    """Each level's figures in one step, of those that were tried."""
    tried = play.compute_once(AttemptsToClear()).rows
    return {
        tried[level]["level"]: {**standing._asdict(), "try_clear": tried[level]["try_clear"]}
        for level, standing in enumerate(judge_difficulties(play, least))
        if standing.tries
    }


@dataclass(eq=False, repr=False)
class _Case:
    """All that the rows of a trend are made of."""

    play: Play
    steps: TrendSteps
    pairs: dict[tuple[int, int], _Pair] = field(default_factory=dict)

    @cached_property
    def levels(self) -> list[str]:
        """The levels of the course, in order."""
        return self.play.stops[: self.play.n_levels]

    @cached_property
    def judged(self) -> list[dict[str, dict[str, object]]]:
        """Per step, each level's figures, fitted on that step alone."""
        return [_judged(play, self.steps.least) for play in self.steps.plays]

    def pair(self, before: int, after: int) -> _Pair:
        """The comparison of two steps."""
        if (before, after) not in self.pairs:
            split = Split(
                "start.step" if self.steps.by_date else self.steps.key, self.steps.names[before], self.steps.names[after]
            )
            table = Compare(split, self.steps.least, beside=False)(
                self.steps.plays[before], self.steps.plays[after], self.play.gated.log.sessions.name
            )
            self.pairs[before, after] = _Pair({row["level"]: row for row in table.rows}, table.totals)
        return self.pairs[before, after]

    def row(self, level: str) -> TrendRow:
        """A level over all steps."""
        points = [(place, rows[level]) for place, rows in enumerate(self.judged) if level in rows]
        places = [place for place, _ in points]
        changes = [
            cast(TrendChange, {**self._judge_first_to_last(level, before, after), "one_step": False})
            for before, after in zip(places, places[1:], strict=False)
        ]
        whole = self._judge_first_to_last(level, places[0], places[-1]) if len(places) > 2 else None
        return TrendRow(
            level=level, points=[self._point(place, row) for place, row in points], changes=changes, whole=whole, since=None
        )

    def _point(self, place: int, row: Mapping[str, object]) -> TrendPoint:
        known = {name: row[name] for name in ("players", "tries", "try_clear", "difficulty", "se")}
        return cast(TrendPoint, {"step": self.steps.names[place], **known})

    def _judge_first_to_last(self, level: str, before: int, after: int) -> TrendWhole:
        row = self.pair(before, after).rows.get(level)
        figures = {key: None if row is None else cast("Mapping[str, object]", row)[key] for key in _TOLD}
        return cast(TrendWhole, {"from": self.steps.names[before], "to": self.steps.names[after], **figures})

    def steps_told(self) -> list[TrendStep]:
        """Each step, with its players and what stands out in it."""
        steps, before = [], frozenset[str]()
        for place, name in enumerate(self.steps.names):
            people = self.steps.players[place]
            kept, low, high = _retention(self.steps.cohorts[place])
            out = [level for level, row in self.judged[place].items() if row["kind"] != "none"]
            steps.append(
                TrendStep(
                    step=name,
                    players=len(people),
                    sessions=self.steps.sessions[place],
                    new_players=len(people - before),
                    kept_at_end=kept,
                    kept_at_end_low=low,
                    kept_at_end_high=high,
                    stand_out=out,
                )
            )
            before |= people
        return steps

    def shifts(self) -> list[TrendShift]:
        """The shift of every pair of neighbours, and of every other pair that was looked at."""
        neighbours = [(place, place + 1) for place in range(len(self.steps.names) - 1)]
        return [self._shift(before, after) for before, after in sorted({*neighbours, *self.pairs})]

    def _shift(self, before: int, after: int) -> TrendShift:
        shift = self.pair(before, after).totals["shift"]
        earlier = frozenset[str]().union(*self.steps.players[:after])
        back = len(self.steps.players[after] & earlier)
        many = back >= _MANY_BACK * max(1, len(self.steps.players[after]))
        reading: Reading = shift["reading"]
        if many:
            reading = "game_or_practice" if reading == "game" else "game_or_players_or_practice"
        return {
            "from": self.steps.names[before],
            "to": self.steps.names[after],
            "size": shift["size"],
            "low": shift["low"],
            "high": shift["high"],
            "reading": reading,
            "players_back": back,
        }


def _retention(play: Play | None) -> tuple[float | None, float | None, float | None]:
    """Who was kept at the end of the course, with the interval."""
    if play is None:
        return None, None, None
    rows, legs = Funnel()(play).rows, legs_in(play)
    if not rows:
        return None, None, None
    last = rows[legs[-1].levels[-1]]
    return last["retention"], last["retention_low"], last["retention_high"]


def _judge_at_once(changes: Sequence[TrendWhole] | Sequence[TrendChange]) -> None:
    """Give all changes their false discovery rates at once, and the verdicts that come of these."""
    testable: list[TrendWhole] = [change for change in changes if change["p_value"] is not None]
    if not testable:
        return
    rates = false_discovery_rate(np.array([change["p_value"] for change in testable], np.float64))
    for change, rate in zip(testable, rates.tolist(), strict=True):
        change["q_value"] = rate
        open_ended = change["delta_low"] is None or change["delta_high"] is None
        if change["verdict"] != "same" and not open_ended and change["delta"] is not None:
            verdict: ChangeVerdict = "harder" if change["delta"] > 0 else "easier"
            change["verdict"] = verdict if rate <= CLAIMED else "no_telling"


def _mark_odd_steps(changes: Sequence[TrendChange]) -> None:
    """Two verdicts of opposite sign, one right after the other, may be one odd step."""
    for before, after in _neighbours(changes):
        if {before["verdict"], after["verdict"]} == {"harder", "easier"}:
            before["one_step"] = after["one_step"] = True


def _neighbours(changes: Sequence[TrendChange]) -> Iterator[tuple[TrendChange, TrendChange]]:
    yield from zip(changes, changes[1:], strict=False)
