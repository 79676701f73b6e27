"""The funnel: who reached, cleared and moved on from each level, who stopped there and why."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, TypedDict, cast

from milepost.measures.interface import LevelRow, NoTotals, Table, share
from milepost.measures.sums.attendance import Attendance
from milepost.measures.sums.funnel_counts import FunnelCounts
from milepost.numerics.intervals import log_log, wilson
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


def stopped_by(row: Mapping[str, object], cause: str) -> int:
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


@dataclass(frozen=True)
class Funnel:
    """The funnel over the course.

    Attributes:
        censor_unknown: take a session that ends without a known cause as cut short, not as lost.
    """

    censor_unknown: bool = False

    SUMS: ClassVar[Kinds] = (Attendance, FunnelCounts)

    def __call__(self, play: Summed) -> Table[FunnelRow, NoTotals]:
        """One row a level in course order; see docs/definitions.md for the columns."""
        counts = play.sums(FunnelCounts)
        reached, stops = _reach(play, counts), _stops(counts)
        lost = [own["stopped_quit"] + (0 if self.censor_unknown else own["stopped_unknown"]) for own in stops]
        untold = [bool(is_open) for is_open in play.about.open_levels]
        if lost and not _tells_last_clear(play, counts):
            lost[-1], untold[-1] = 0, True
        parts = zip(reached, stops, _losses([row["reached"] for row in reached], lost), strict=True)
        rows = [FunnelRow(**reach, **stopped, **gone) for reach, stopped, gone in parts]
        for row in itertools.compress(rows, untold):
            row["clear_rate"] = row["clear_rate_low"] = row["clear_rate_high"] = None
            row["drop_off"] = row["drop_off_low"] = row["drop_off_high"] = None
        return Table(rows, NoTotals())


def _reach(play: Summed, counts: FunnelCounts) -> list[Reach]:
    n_players = play.sums(Attendance).players
    rows = []
    for level in range(play.n_levels):
        here, done = int(counts.reached[level]), int(counts.cleared[level])
        low, high = wilson(done, here)
        rows.append(
            Reach(
                level=play.stops[level],
                reached=here,
                cleared=done,
                clear_rate=share(done, here),
                clear_rate_low=low,
                clear_rate_high=high,
                moved_on=int(counts.moved_on[level]),
                share=share(here, n_players),
            )
        )
    return rows


def _stops(counts: FunnelCounts) -> list[StopCounts]:
    """Per level, how many players stopped there, by the end of their last session and by place."""
    return [
        cast(StopCounts, {name: int(column[level]) for name, column in counts.stopped.items()})
        for level in range(len(counts.reached))
    ]


def _losses(reached: list[int], lost: list[int]) -> list[Losses]:
    """Drop-off, and retention as a product over the levels so far with Greenwood's variance."""
    found, retention, greenwood = [], 1.0, 0.0
    for here, gone in zip(reached, lost, strict=True):
        if here:
            retention *= 1 - gone / here
        if here > gone:
            greenwood += gone / (here * (here - gone))
        (low, high), (least, most) = wilson(gone, here), log_log(retention, greenwood)
        found.append(
            Losses(
                lost=gone,
                drop_off=share(gone, here),
                drop_off_low=low,
                drop_off_high=high,
                retention=retention,
                retention_low=least,
                retention_high=most,
            )
        )
    return found


def _tells_last_clear(play: Summed, counts: FunnelCounts) -> bool:
    """Return whether the log shows clears of the last level; one without completions needs sessions that say finished."""
    return not play.about.rules.implied_complete or not play.n_levels or counts.tells_last_clear
