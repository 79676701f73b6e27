"""The funnel: who reached, cleared and moved on from each level, who stopped there and why."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TypedDict, cast

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.measures.cells import cells
from milepost.measures.interface import LevelRow, NoTotals, RawRow, Table, share
from milepost.numerics.intervals import log_log, wilson
from milepost.numerics.whole_numbers import among, distinct
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, CRASH, DIED, END_CAUSES, END_FINISHED, LEFT, QUIT, TIME_UP, UNKNOWN, WAS_RESET, EndCause

_MID_ATTEMPT = (QUIT, TIME_UP, CRASH, UNKNOWN)
_AFTER_FAILURE = (DIED, WAS_RESET)
_BETWEEN = (LEFT, CLEARED)


class Stops(TypedDict):
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
    """Who reached and cleared a level, and moved on from it."""

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
    """Who was lost at a level, and who is still there after it."""

    lost: int
    drop_off: float | None
    drop_off_low: float | None
    drop_off_high: float | None
    retention: float
    retention_low: float | None
    retention_high: float | None


class FunnelRow(Reach, Stops, Losses):
    """A level of the funnel."""


class FunnelWithRawRow(FunnelRow, RawRow):
    """The same beside what a naive count says."""


@dataclass(frozen=True)
class Funnel:
    """The funnel over the course.

    Attributes:
        censor_unknown: take a session that ends without a known cause as cut short, not as lost.
    """

    censor_unknown: bool = False

    def __call__(self, play: Play) -> Table[FunnelRow, NoTotals]:
        """One row a level in course order; see docs/definitions.md for the columns."""
        reached, stops = _reach(play), _stops(play)
        lost = [own["stopped_quit"] + (0 if self.censor_unknown else own["stopped_unknown"]) for own in stops]
        untold = [bool(is_open) for is_open in play.gated.open_levels]
        if lost and not _tells_last_clear(play):
            lost[-1], untold[-1] = 0, True
        parts = zip(reached, stops, _losses([row["reached"] for row in reached], lost), strict=True)
        rows = [FunnelRow(**reach, **stopped, **gone) for reach, stopped, gone in parts]
        for row in itertools.compress(rows, untold):
            row["clear_rate"] = row["clear_rate_low"] = row["clear_rate_high"] = None
            row["drop_off"] = row["drop_off_low"] = row["drop_off_high"] = None
        return Table(rows, NoTotals())


def _reach(play: Play) -> list[Reach]:
    n_levels, n_players = play.n_levels, int(play.counts.sum())
    cell = cells(play)
    furthest = _furthest(play)
    tried, _ = _each_once(cell.level, cell.player)  # of a play counted per run, too, the funnel is one of players
    level_done, by = _each_once(cell.level[cell.done], cell.player[cell.done])
    reached, cleared = (np.bincount(levels, minlength=n_levels) for levels in (tried, level_done))
    placed = np.flatnonzero(level_done < n_levels)
    on = placed[furthest[by[placed]] > play.gated.places(by[placed], level_done[placed])]
    moved_on = np.bincount(level_done[on], minlength=n_levels)
    rows = []
    for level in range(n_levels):
        here, done = int(reached[level]), int(cleared[level])
        low, high = wilson(done, here)
        rows.append(
            Reach(
                level=play.stops[level],
                reached=here,
                cleared=done,
                clear_rate=share(done, here),
                clear_rate_low=low,
                clear_rate_high=high,
                moved_on=int(moved_on[level]),
                share=share(here, n_players),
            )
        )
    return rows


def _each_once(level: Ints, player: Ints) -> tuple[Ints, Ints]:
    """Pairs of level and player, each once."""
    width = int(player.max(initial=0)) + 1
    pairs = distinct(level * width + player)
    return pairs // width, pairs % width


def _furthest(play: Play) -> Ints:
    """Per player, the furthest place reached in the order of the player's last build; -1 without any."""
    table, furthest = play.attempts, np.full(len(play.gated.players), -1)
    placed = table.level < play.n_levels
    np.maximum.at(furthest, table.player[placed], play.gated.places(table.player[placed], table.level[placed]))
    return furthest


def furthest_level(play: Play) -> Ints:
    """Per player, the furthest level reached, in the order of the last build where that has one of them; -1 without any."""
    gated, table = play.gated, play.attempts
    place, latest = _furthest(play), np.full(len(gated.players), -1)
    placed = table.level < play.n_levels
    np.maximum.at(latest, table.player[placed], table.level[placed])
    return np.where(place < 0, latest, gated.orders.level_at(gated.order_of_player, np.maximum(0, place)))


def _stops(play: Play) -> list[Stops]:
    """Per level, how many players stopped there, by the end of their last session and by place."""
    table = play.attempts
    frontier = furthest_level(play)
    cleared = _has_cleared(play)
    last_attempt = _last_of(table.player, len(play.gated.players))
    sequence = play.gated.sequence
    last_session = sequence[_last_of(play.gated.player[sequence], len(play.gated.players))]
    there = np.flatnonzero(play.counts & (frontier >= 0))
    last = play.gated.last_level[there]
    stopped = there[~(cleared[last, there] & (last >= 0))]

    level = frontier[stopped]
    cause = play.end.of(last_session[stopped])
    outcome = table.outcome[last_attempt[stopped]]
    after_clear = cleared[level, stopped]
    elsewhere = table.level[last_attempt[stopped]] != level

    def count(where: Bools) -> Ints:
        return np.bincount(level[where], minlength=play.n_levels)

    columns = {"stopped": count(np.ones(len(stopped), np.bool_))}
    at_open = play.gated.open_levels[level]
    columns |= {f"stopped_{name}": count(cause.by(EndCause(code)) & ~at_open) for code, name in enumerate(END_CAUSES)}
    columns["stopped_open"] = count(at_open)
    columns["stopped_after_clear"] = count(after_clear)
    columns["stopped_mid_attempt"] = count(~after_clear & among(outcome, _MID_ATTEMPT))
    columns["stopped_after_failure"] = count(~after_clear & among(outcome, _AFTER_FAILURE))
    columns["stopped_between"] = count(~after_clear & among(outcome, _BETWEEN))
    columns["stopped_elsewhere"] = count(elsewhere)
    return [cast(Stops, {name: int(column[number]) for name, column in columns.items()}) for number in range(play.n_levels)]


def stopped_at_open(play: Play) -> Bools:
    """Per player, whether the furthest level reached is one that there is no way to clear yet."""
    furthest = furthest_level(play)
    stopped: Bools = (furthest >= 0) & np.append(play.gated.open_levels, False)[furthest]
    return stopped


def _has_cleared(play: Play) -> Bools:
    """Whether a player has cleared a level: levels down, players across."""
    table = play.attempts
    cleared = np.zeros((play.n_levels, len(play.gated.players)), np.bool_)
    done = table.ended(CLEARED) & (table.level < play.n_levels)
    cleared[table.level[done], table.player[done]] = True
    return cleared


def _last_of(player: Ints, n_players: int) -> Ints:
    """Per player, the last row of a column sorted in the order of play; -1 without any."""
    last = np.full(n_players, -1)
    np.maximum.at(last, player, np.arange(len(player)))
    return last


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


def _tells_last_clear(play: Play) -> bool:
    """Whether the log can tell that the last level was cleared; one without completions needs sessions that say finished."""
    if not play.rules.implied_complete or not play.n_levels:
        return True
    table = play.attempts
    cleared = table.ended(CLEARED) & (table.level == play.gated.last_level[table.player])
    return bool(cleared.any() or play.end.by(END_FINISHED).any())
