"""The funnel: who reached, cleared and moved on from each level, who stopped there and why."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.measures.cells import cells
from milepost.measures.interface import Row, Table, share, with_interval
from milepost.numerics.intervals import log_log, wilson
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, CRASH, DIED, END_CAUSES, LEFT, QUIT, TIME_UP, UNKNOWN, WAS_RESET, EndCause

# What cannot be said of a level that there is no way to clear yet, or whose clears the log does not tell.
_OF_CLEARS = tuple(f"{name}{end}" for name in ("clear_rate", "drop_off") for end in ("", "_low", "_high"))
_MID_ATTEMPT = (QUIT, TIME_UP, CRASH, UNKNOWN)
_AFTER_FAILURE = (DIED, WAS_RESET)
_BETWEEN = (LEFT, CLEARED)


@dataclass(frozen=True)
class Funnel:
    """The funnel over the course.

    Attributes:
        censor_unknown: take a session that ends without a known cause as cut short, not as lost.
    """

    censor_unknown: bool = False

    def __call__(self, play: Play) -> Table:
        """One row a level in course order; see docs/definitions.md for the columns."""
        rows = _reach(play)
        for row, stopped in zip(rows, _stops(play), strict=True):
            row.update(stopped)
            row["lost"] = row["stopped_quit"] + (0 if self.censor_unknown else row["stopped_unknown"])
        untold = [bool(is_open) for is_open in play.open_levels]
        if rows and not play.tells_last_clear:
            rows[-1]["lost"], untold[-1] = 0, True
        _add_losses(rows)
        for row in itertools.compress(rows, untold):
            row.update(dict.fromkeys(_OF_CLEARS))
        return Table(rows)


def _reach(play: Play) -> list[Row]:
    table, n_levels, n_players = play.attempts, play.n_levels, int(play.counts.sum())
    cell = cells(play)
    furthest = _furthest(table.player, table.level, len(play.gated.players), n_levels)
    reached = np.bincount(cell.level, minlength=n_levels)
    cleared = np.bincount(cell.level[cell.cleared], minlength=n_levels)
    on = cell.cleared & (furthest[cell.player] > cell.level)
    moved_on = np.bincount(cell.level[on], minlength=n_levels)
    rows = []
    for level in range(n_levels):
        here, done = int(reached[level]), int(cleared[level])
        rows.append({
            "level": play.stops[level], "reached": here, "cleared": done,
            **with_interval("clear_rate", share(done, here), wilson(done, here)),
            "moved_on": int(moved_on[level]), "share": share(here, n_players),
        })  # fmt: skip
    return rows


def _furthest(player: Ints, level: Ints, n_players: int, n_levels: int) -> Ints:
    """Per player, the furthest level of the course reached; -1 without any."""
    furthest = np.full(n_players, -1)
    placed = level < n_levels
    np.maximum.at(furthest, player[placed], level[placed])
    return furthest


def _stops(play: Play) -> list[Row]:
    """Per level, how many players stopped there, by the end of their last session and by place."""
    table = play.attempts
    frontier = _furthest(table.player, table.level, len(play.gated.players), play.n_levels)
    cleared = _has_cleared(play)
    last_attempt = _last_of(table.player, len(play.gated.players))
    sequence = play.gated.sequence
    last_session = sequence[_last_of(play.gated.player[sequence], len(play.gated.players))]
    stopped = np.flatnonzero(play.counts & ~cleared[play.n_levels - 1]) if play.n_levels else np.zeros(0, np.int64)

    level = frontier[stopped]
    cause = play.end.of(last_session[stopped])
    outcome = table.outcome[last_attempt[stopped]]
    after_clear = cleared[level, stopped]
    elsewhere = table.level[last_attempt[stopped]] != level

    def count(where: Bools) -> Ints:
        return np.bincount(level[where], minlength=play.n_levels)

    columns = {"stopped": count(np.ones(len(stopped), np.bool_))}
    at_open = play.open_levels[level]
    columns |= {f"stopped_{name}": count(cause.by(EndCause(code)) & ~at_open) for code, name in enumerate(END_CAUSES)}
    columns["stopped_open"] = count(at_open)
    columns["stopped_after_clear"] = count(after_clear)
    columns["stopped_mid_attempt"] = count(~after_clear & np.isin(outcome, _MID_ATTEMPT))
    columns["stopped_after_failure"] = count(~after_clear & np.isin(outcome, _AFTER_FAILURE))
    columns["stopped_between"] = count(~after_clear & np.isin(outcome, _BETWEEN))
    columns["stopped_elsewhere"] = count(elsewhere)
    return [{name: int(column[number]) for name, column in columns.items()} for number in range(play.n_levels)]


def stopped_at_open(play: Play) -> Bools:
    """Per player, whether the furthest level reached is one that there is no way to clear yet."""
    furthest = _furthest(play.attempts.player, play.attempts.level, len(play.gated.players), play.n_levels)
    stopped: Bools = (furthest >= 0) & np.append(play.open_levels, False)[furthest]
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


def _add_losses(rows: list[Row]) -> None:
    """Drop-off, and retention as a product over the levels so far with Greenwood's variance."""
    retention, greenwood = 1.0, 0.0
    for row in rows:
        here, lost = row["reached"], row["lost"]
        row.update(with_interval("drop_off", share(lost, here), wilson(lost, here)))
        if here:
            retention *= 1 - lost / here
        if here > lost:
            greenwood += lost / (here * (here - lost))
        row.update(with_interval("retention", retention, log_log(retention, greenwood)))
