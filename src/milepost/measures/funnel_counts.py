"""Players who reached, cleared and moved on from each level, and who stopped there and how."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.measures.cells import gather_cells
from milepost.numerics.value_counts import AddedUp
from milepost.numerics.whole_numbers import distinct, first_places, is_among
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, CRASH, DIED, END_CAUSES, END_FINISHED, LEFT, QUIT, TIME_UP, UNKNOWN, WAS_RESET, EndCause

_MID_ATTEMPT = (QUIT, TIME_UP, CRASH, UNKNOWN)
_AFTER_FAILURE = (DIED, WAS_RESET)
_BETWEEN = (LEFT, CLEARED)


@dataclass(frozen=True, eq=False, repr=False)
class FunnelCounts(AddedUp):
    """Players by level of the course, and by leg.

    Attributes:
        reached, cleared, moved_on: per level.
        able: per level, players with an attempt in its leg or a later one.
        stopped: of those who stopped there, by the end of their last session and by place; the names are the funnel's.
        leg_reached, leg_done: per leg of the course; of those who reached it.
        first: per level, players whose first attempt in its leg was there.
        tells_last_clear: whether somebody cleared a level of the last leg, or a session ended as finished.
    """

    reached: Ints
    cleared: Ints
    moved_on: Ints
    able: Ints
    stopped: dict[str, Ints]
    leg_reached: Ints
    leg_done: Ints
    first: Ints
    tells_last_clear: bool

    @classmethod
    def of(cls, play: Play) -> FunnelCounts:
        """Return the funnel counts of a play."""
        n_levels, cell = play.n_levels, gather_cells(play)
        tried, _ = _drop_repeats(cell.level, cell.player)  # of a play counted per run, too, the funnel is one of players
        level_done, by = _drop_repeats(cell.level[cell.done], cell.player[cell.done])
        placed = np.flatnonzero(level_done < n_levels)
        on = placed[_mask_moved_on(play, level_done[placed], by[placed])]
        done = play.gated.done(cleared_mask(play))
        leg_reached, leg_done, first = _count_by_leg(play, done)
        return cls(
            np.bincount(tried, minlength=n_levels)[:n_levels],
            np.bincount(level_done, minlength=n_levels)[:n_levels],
            np.bincount(level_done[on], minlength=n_levels),
            _able(play),
            _stopped(play, done),
            leg_reached,
            leg_done,
            first,
            _tells_last_clear(play),
        )


def _drop_repeats(level: Ints, player: Ints) -> tuple[Ints, Ints]:
    """Pairs of level and player, each once."""
    width = int(player.max(initial=0)) + 1
    pairs = distinct(level * width + player)
    return pairs // width, pairs % width


def _mask_moved_on(play: Play, level: Ints, player: Ints) -> Bools:
    """Return which clears are of players with an attempt in a later leg, or at another level of the leg after."""
    gated = play.gated
    leg = gated.legs(player, level)
    on: Bools = furthest_leg(play)[player] > leg
    if gated.orders.is_line:
        return on
    last, first_clear = _find_last_and_first_clear(play)
    for number, (stop, its_player) in enumerate(zip(level.tolist(), player.tolist(), strict=True)):
        if not on[number] and leg[number] >= 0:
            together = gated.orders.legs[gated.order_of_player[its_player]][leg[number]].levels
            on[number] = any(last[other, its_player] > first_clear[stop, its_player] for other in together if other != stop)
    return on


def _find_last_and_first_clear(play: Play) -> tuple[Ints, Ints]:
    """The rows of the last attempt and of the first clear, by level and player; -1, and the number of rows, where none is."""
    table, shape = play.attempts, (play.n_levels, len(play.gated.players))
    last, first_clear = np.full(shape, -1), np.full(shape, len(table))
    placed = np.flatnonzero(table.level < play.n_levels)
    np.maximum.at(last, (table.level[placed], table.player[placed]), placed)
    clears = placed[table.ended(CLEARED)[placed]]
    np.minimum.at(first_clear, (table.level[clears], table.player[clears]), clears)
    return last, first_clear


def _able(play: Play) -> Ints:
    """Per level, players with an attempt in its leg or a later one, who could have played it."""
    gated, table = play.gated, play.attempts
    furthest, able = furthest_leg(play), np.zeros(play.n_levels, np.int64)
    counted = play.counts[table.player] & (table.level < play.n_levels)
    level, player = _drop_repeats(table.level[counted], table.player[counted])
    elsewhere = gated.legs(player, level) < 0  # of a level that the player's last build has not
    able += np.bincount(level[elsewhere], minlength=play.n_levels)
    for order, legs in enumerate(gated.orders.legs):
        furthest_legs = furthest[play.counts & (gated.order_of_player == order) & (furthest >= 0)]
        further = np.cumsum(np.bincount(furthest_legs, minlength=len(legs))[::-1])[::-1]
        for number, leg in enumerate(legs):
            able[list(leg.levels)] += further[number]
    return able


def _count_by_leg(play: Play, done: Bools) -> tuple[Ints, Ints, Ints]:
    """Per leg of the course, who reached it and who did it; per level, whose first attempt in its leg was there."""
    gated, table = play.gated, play.attempts
    legs = gated.orders.course_legs
    leg_of = np.zeros(play.n_levels, np.int64)
    for number, levels in enumerate(legs):
        leg_of[list(levels)] = number
    rows = np.flatnonzero(play.counts[table.player] & (table.level < play.n_levels))
    width = len(gated.players) + 1
    keys, firsts = first_places(leg_of[table.level[rows]] * width + table.player[rows])
    leg, player = keys // width, keys % width
    level = table.level[rows[firsts]]
    leg_number = gated.legs(player, level)
    has_done = done[leg_number, player]
    count = len(legs)
    return (
        np.bincount(leg, minlength=count),
        np.bincount(leg[has_done], minlength=count),
        np.bincount(level, minlength=play.n_levels),
    )


def _stopped(play: Play, done: Bools) -> dict[str, Ints]:
    """Per level, how many players stopped there, by the end of their last session and by place.

    Args:
        play: the play.
        done: who has done which leg.
    """
    table, gated = play.attempts, play.gated
    last_attempt = _find_last_of(table.player, len(gated.players))
    sequence = gated.sequence
    last_session = sequence[_find_last_of(gated.player[sequence], len(gated.players))]
    at = stopped_levels(play, done)
    stopped = np.flatnonzero(at >= 0)

    level = at[stopped]
    cause = play.end.of(last_session[stopped])
    outcome = table.outcome[last_attempt[stopped]]
    leg = gated.legs(stopped, level)
    after_clear = np.where(leg >= 0, done[leg, stopped], cleared_mask(play)[level, stopped])
    elsewhere = table.level[last_attempt[stopped]] != level

    def count(where: Bools) -> Ints:
        return np.bincount(level[where], minlength=play.n_levels)

    columns = {"stopped": count(np.ones(len(stopped), np.bool_))}
    at_open = play.about.open_levels[level]
    columns |= {f"stopped_{name}": count(cause.by(EndCause(code)) & ~at_open) for code, name in enumerate(END_CAUSES)}
    columns["stopped_open"] = count(at_open)
    columns["stopped_after_clear"] = count(after_clear)
    columns["stopped_mid_attempt"] = count(~after_clear & is_among(outcome, _MID_ATTEMPT))
    columns["stopped_after_failure"] = count(~after_clear & is_among(outcome, _AFTER_FAILURE))
    columns["stopped_between"] = count(~after_clear & is_among(outcome, _BETWEEN))
    columns["stopped_elsewhere"] = count(elsewhere)
    return columns


def stopped_levels(play: Play, done: Bools) -> Ints:
    """Per player, the level where the player stopped, who has not done the last leg; -1 for all others.

    Args:
        play: the play.
        done: who has done which leg.
    """
    frontier = frontier_level(play)
    players = np.flatnonzero(play.counts & (frontier >= 0))
    last = play.gated.last_leg[players]
    stopped = players[~(done[last, players] & (last >= 0))]
    levels = np.full(len(frontier), -1)
    levels[stopped] = frontier[stopped]
    return levels


def cleared_mask(play: Play) -> Bools:
    """Return whether a player has cleared a level: levels down, players across."""
    table = play.attempts
    cleared = np.zeros((play.n_levels, len(play.gated.players)), np.bool_)
    done = table.ended(CLEARED) & (table.level < play.n_levels)
    cleared[table.level[done], table.player[done]] = True
    return cleared


def _find_last_of(player: Ints, n_players: int) -> Ints:
    """Per player, the last row of a column sorted in the order of play; -1 without any."""
    last = np.full(n_players, -1)
    np.maximum.at(last, player, np.arange(len(player)))
    return last


def _tells_last_clear(play: Play) -> bool:
    """Return whether somebody cleared a level of the last leg, or a session ended as finished."""
    table = play.attempts
    last = play.gated.last_leg[table.player]
    placed = np.where(table.level < play.n_levels, table.level, 0)
    cleared = table.ended(CLEARED) & (last >= 0) & (play.gated.legs(table.player, placed) == last) & (table.level < play.n_levels)
    return bool(cleared.any() or play.end.of(play.gated.sequence).by(END_FINISHED).any())


def furthest_leg(play: Play) -> Ints:
    """Per player, the furthest leg with an attempt, in the order of the player's last build; -1 without any."""
    return play.compute_once(_furthest_leg)


def _furthest_leg(play: Play) -> Ints:
    table, furthest = play.attempts, np.full(len(play.gated.players), -1)
    placed = table.level < play.n_levels
    np.maximum.at(furthest, table.player[placed], play.gated.legs(table.player[placed], table.level[placed]))
    return furthest


def frontier_level(play: Play) -> Ints:
    """Per player, the level of the last attempt in the furthest leg; -1 without any.

    Of a player whose last build has none of the levels that were attempted, the furthest of these in the course.
    """
    gated, table = play.gated, play.attempts
    leg, latest = furthest_leg(play), np.full(len(gated.players), -1)
    placed = np.flatnonzero(table.level < play.n_levels)
    player, level = table.player[placed], table.level[placed]
    np.maximum.at(latest, player, level)
    at_frontier = (leg[player] >= 0) & (gated.legs(player, level) == leg[player])
    last = _find_last_of(player[at_frontier], len(gated.players))
    return np.where(last < 0, latest, np.append(level[at_frontier], -1)[last])


def stopped_at_open(play: Play) -> Bools:
    """Per player, whether the level of the frontier is one that there is no way to clear yet."""
    frontier = frontier_level(play)
    stopped: Bools = (frontier >= 0) & np.append(play.about.open_levels, False)[frontier]
    return stopped
