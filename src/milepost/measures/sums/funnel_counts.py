"""Players who reached, cleared and moved on from each level, and who stopped there and how."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.measures.cells import cells
from milepost.numerics.whole_numbers import among, distinct
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, CRASH, DIED, END_CAUSES, END_FINISHED, LEFT, QUIT, TIME_UP, UNKNOWN, WAS_RESET, EndCause

_MID_ATTEMPT = (QUIT, TIME_UP, CRASH, UNKNOWN)
_AFTER_FAILURE = (DIED, WAS_RESET)
_BETWEEN = (LEFT, CLEARED)


@dataclass(frozen=True)
class FunnelCounts:
    """Players by level of the course.

    Attributes:
        reached, cleared, moved_on: per level.
        stopped: of those who stopped there, by the end of their last session and by place; the names are the funnel's.
        tells_last_clear: whether somebody cleared the last level, or a session ended as finished.
    """

    reached: Ints
    cleared: Ints
    moved_on: Ints
    stopped: dict[str, Ints]
    tells_last_clear: bool

    @classmethod
    def of(cls, play: Play) -> FunnelCounts:
        """Return the funnel counts of a play."""
        n_levels, cell = play.n_levels, cells(play)
        furthest = furthest_place(play)
        tried, _ = _each_once(cell.level, cell.player)  # of a play counted per run, too, the funnel is one of players
        level_done, by = _each_once(cell.level[cell.done], cell.player[cell.done])
        placed = np.flatnonzero(level_done < n_levels)
        on = placed[furthest[by[placed]] > play.gated.places(by[placed], level_done[placed])]
        return cls(
            np.bincount(tried, minlength=n_levels)[:n_levels],
            np.bincount(level_done, minlength=n_levels)[:n_levels],
            np.bincount(level_done[on], minlength=n_levels),
            _stopped(play),
            _tells_last_clear(play),
        )

    @classmethod
    def merged(cls, parts: list[FunnelCounts]) -> FunnelCounts:
        """Return the funnel counts of a log, added up from its parts."""
        reached, cleared, moved_on = (
            np.sum([getattr(part, name) for part in parts], axis=0) for name in ("reached", "cleared", "moved_on")
        )
        stopped = {name: np.sum([part.stopped[name] for part in parts], axis=0) for name in parts[0].stopped}
        return cls(reached, cleared, moved_on, stopped, any(part.tells_last_clear for part in parts))


def _each_once(level: Ints, player: Ints) -> tuple[Ints, Ints]:
    """Pairs of level and player, each once."""
    width = int(player.max(initial=0)) + 1
    pairs = distinct(level * width + player)
    return pairs // width, pairs % width


def _stopped(play: Play) -> dict[str, Ints]:
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
    at_open = play.about.open_levels[level]
    columns |= {f"stopped_{name}": count(cause.by(EndCause(code)) & ~at_open) for code, name in enumerate(END_CAUSES)}
    columns["stopped_open"] = count(at_open)
    columns["stopped_after_clear"] = count(after_clear)
    columns["stopped_mid_attempt"] = count(~after_clear & among(outcome, _MID_ATTEMPT))
    columns["stopped_after_failure"] = count(~after_clear & among(outcome, _AFTER_FAILURE))
    columns["stopped_between"] = count(~after_clear & among(outcome, _BETWEEN))
    columns["stopped_elsewhere"] = count(elsewhere)
    return columns


def _has_cleared(play: Play) -> Bools:
    """Return whether a player has cleared a level: levels down, players across."""
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


def _tells_last_clear(play: Play) -> bool:
    """Return whether somebody cleared the last level, or a session ended as finished."""
    table = play.attempts
    cleared = table.ended(CLEARED) & (table.level == play.gated.last_level[table.player])
    return bool(cleared.any() or play.end.of(play.gated.sequence).by(END_FINISHED).any())


def furthest_place(play: Play) -> Ints:
    """Per player, the furthest place reached in the order of the player's last build; -1 without any."""
    table, furthest = play.attempts, np.full(len(play.gated.players), -1)
    placed = table.level < play.n_levels
    np.maximum.at(furthest, table.player[placed], play.gated.places(table.player[placed], table.level[placed]))
    return furthest


def furthest_level(play: Play) -> Ints:
    """Per player, the furthest level reached, in the order of the last build where that has one of them; -1 without any."""
    gated, table = play.gated, play.attempts
    place, latest = furthest_place(play), np.full(len(gated.players), -1)
    placed = table.level < play.n_levels
    np.maximum.at(latest, table.player[placed], table.level[placed])
    return np.where(place < 0, latest, gated.orders.level_at(gated.order_of_player, np.maximum(0, place)))


def stopped_at_open(play: Play) -> Bools:
    """Per player, whether the furthest level reached is one that there is no way to clear yet."""
    furthest = furthest_level(play)
    stopped: Bools = (furthest >= 0) & np.append(play.about.open_levels, False)[furthest]
    return stopped
