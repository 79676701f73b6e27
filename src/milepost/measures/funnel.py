"""The funnel: who reached, cleared and moved on from each level, who stopped there and why."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import ClassVar, NotRequired, TypedDict, cast

from milepost.course.legs import Leg, last_leg
from milepost.errors import unknown_word
from milepost.measures.cells import Attendance
from milepost.measures.funnel_counts import FunnelCounts
from milepost.measures.interface import UNKNOWN_ENDS, LevelRow, Table, share
from milepost.numerics.intervals import log_log, wilson_interval
from milepost.playback.play import Kinds, Summed


class StopCounts(TypedDict):
    """Per level, how many players stopped there, by the end of their last session and by place."""

    stopped: int
    stopped_finished: int
    stopped_quit: int
    stopped_time_up: int
    stopped_crash: int
    stopped_skip: int
    stopped_unknown: int
    stopped_fault: int
    stopped_open: int
    stopped_after_clear: int
    stopped_mid_attempt: int
    stopped_after_failure: int
    stopped_between: int
    stopped_elsewhere: int


class Reach(LevelRow):
    """Players who reached and cleared a level, and moved on from it."""

    reached: int
    cleared: int
    clear_rate: float | None
    clear_rate_low: float | None
    clear_rate_high: float | None
    moved_on: int
    share: float | None
    leg: str
    route: str | None
    optional: bool
    able: int
    went: float | None
    went_low: float | None
    went_high: float | None


def count_stopped_by(row: Mapping[str, object], cause: str) -> int:
    """How many players stopped at a level, whose last session ended by a cause; none where a course has no end."""
    return cast("Mapping[str, int | None]", row)[f"stopped_{cause}"] or 0


class Losses(TypedDict):
    """Players lost at a level, and still playing after it."""

    lost: int
    drop_off: float | None
    drop_off_low: float | None
    drop_off_high: float | None
    retention: float
    retention_low: float | None
    retention_high: float | None


class FunnelRow(Reach, StopCounts, Losses):
    """A level of the funnel."""


class LegRow(TypedDict):
    """A leg of the funnel."""

    leg: str
    levels: list[str]
    needs: int | None
    reached: int
    done: int
    lost: int
    retention: float
    retention_low: float | None
    retention_high: float | None
    first: dict[str, int]


class FunnelTotals(TypedDict):
    """The legs of a course that is no line."""

    legs: NotRequired[list[LegRow]]


@dataclass(frozen=True)
class Funnel:
    """The funnel over the course.

    Attributes:
        unknown_end: what a session that ends without a known cause counts as, one of ``UNKNOWN_ENDS``.
    """

    unknown_end: str = "lost"

    SUMS: ClassVar[Kinds] = (Attendance, FunnelCounts)

    def __post_init__(self) -> None:
        """Refuse what is none of these.

        Raises:
            UsageError: it is none.
        """
        if self.unknown_end not in UNKNOWN_ENDS:
            raise unknown_word("unknown_end", self.unknown_end, UNKNOWN_ENDS)

    def __call__(self, play: Summed) -> Table[FunnelRow, FunnelTotals]:
        """One row a level in course order; see docs/definitions.md for the columns."""
        counts = play.sums(FunnelCounts)
        reached, stops = _reach(play, counts), _stops(counts)
        lost = [row["stopped_quit"] + (row["stopped_unknown"] if self.unknown_end == "lost" else 0) for row in stops]
        untold = [bool(is_open) for is_open in play.about.open_levels]
        legs = legs_in(play)
        if lost and not _tells_last_clear(play, counts):
            for level in legs[last_leg(legs)].levels:
                lost[level], untold[level] = 0, True
        parts = zip(reached, stops, _losses(counts, lost, legs), strict=True)
        rows = [FunnelRow(**reach, **stopped, **gone) for reach, stopped, gone in parts]
        for row in itertools.compress(rows, untold):
            row["clear_rate"] = row["clear_rate_low"] = row["clear_rate_high"] = None
            row["drop_off"] = row["drop_off_low"] = row["drop_off_high"] = None
        plain = all(len(leg.levels) == 1 for leg in legs)
        return Table(rows, FunnelTotals() if plain else FunnelTotals(legs=_leg_rows(play, counts, lost, legs)))


def legs_in(play: Summed) -> tuple[Leg, ...]:
    """The legs of a play's course; one for each level where it has no course of its own."""
    course = play.course
    if course is not None and len(course.levels) == play.n_levels:
        return course.legs
    return tuple(Leg(play.stops[level], (level,), 1, (level,), False) for level in range(play.n_levels))


def _reach(play: Summed, counts: FunnelCounts) -> list[Reach]:
    n_players = play.sums(Attendance).players
    rows = []
    legs = {level: leg for leg in legs_in(play) for level in leg.levels}
    levels = play.course.levels if play.course is not None and len(play.course.levels) == play.n_levels else None
    for level in range(play.n_levels):
        able = int(counts.able[level])
        went_low, went_high = wilson_interval(int(counts.reached[level]), able)
        n_reached, done = int(counts.reached[level]), int(counts.cleared[level])
        low, high = wilson_interval(done, n_reached)
        rows.append(
            Reach(
                level=play.stops[level],
                reached=n_reached,
                cleared=done,
                clear_rate=share(done, n_reached),
                clear_rate_low=low,
                clear_rate_high=high,
                moved_on=int(counts.moved_on[level]),
                share=share(n_reached, n_players),
                leg=legs[level].name,
                route=levels[level].route if levels is not None else None,
                optional=levels[level].optional if levels is not None else False,
                able=able,
                went=share(n_reached, able),
                went_low=went_low,
                went_high=went_high,
            )
        )
    return rows


def _stops(counts: FunnelCounts) -> list[StopCounts]:
    """Per level, how many players stopped there, by the end of their last session and by place."""
    return [
        cast(StopCounts, {name: int(column[level]) for name, column in counts.stopped.items()})
        for level in range(len(counts.reached))
    ]


def _losses(counts: FunnelCounts, lost: list[int], legs: Sequence[Leg]) -> list[Losses]:
    """Drop-off by level, and retention as a product over the legs so far with Greenwood's variance."""
    losses: list[Losses | None] = [None] * len(lost)
    for leg, (retention, (least, most)) in zip(legs, _retention(counts, lost, legs), strict=True):
        for level in leg.levels:
            n_reached, gone = int(counts.reached[level]), lost[level]
            low, high = wilson_interval(gone, n_reached)
            losses[level] = Losses(
                lost=gone,
                drop_off=share(gone, n_reached),
                drop_off_low=low,
                drop_off_high=high,
                retention=retention,
                retention_low=least,
                retention_high=most,
            )
    return cast("list[Losses]", losses)


def _retention(
    counts: FunnelCounts, lost: list[int], legs: Sequence[Leg]
) -> list[tuple[float, tuple[float | None, float | None]]]:
    """Per leg, the share still playing after it, and its interval."""
    curve, retention, greenwood = [], 1.0, 0.0
    for leg, n_reached in zip(legs, counts.leg_reached.tolist(), strict=True):
        gone = sum(lost[level] for level in leg.levels)
        if n_reached:
            retention *= 1 - gone / n_reached
        if n_reached > gone:
            greenwood += gone / (n_reached * (n_reached - gone))
        curve.append((retention, log_log(retention, greenwood)))
    return curve


def _leg_rows(play: Summed, counts: FunnelCounts, lost: list[int], legs: Sequence[Leg]) -> list[LegRow]:
    parts = zip(legs, counts.leg_reached.tolist(), counts.leg_done.tolist(), _retention(counts, lost, legs), strict=True)
    return [
        LegRow(
            leg=leg.name,
            levels=[play.stops[level] for level in leg.levels],
            needs=leg.needs,
            reached=reached,
            done=done,
            lost=sum(lost[level] for level in leg.levels),
            retention=retention,
            retention_low=low,
            retention_high=high,
            first={play.stops[level]: int(counts.first[level]) for level in leg.levels},
        )
        for leg, reached, done, (retention, (low, high)) in parts
    ]


def _tells_last_clear(play: Summed, counts: FunnelCounts) -> bool:
    """Return whether the log shows clears of the last level; one without completions needs sessions that say finished."""
    return not play.about.rules.implied_complete or not play.n_levels or counts.tells_last_clear
