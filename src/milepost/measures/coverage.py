"""Coverage: which levels and moves were hardly tested, and how long it takes to get to a level."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.measures.cells import void_attempts
from milepost.measures.funnel import legs_in
from milepost.measures.interface import LevelRow, Table
from milepost.measures.time_counts import Spent
from milepost.numerics.value_counts import AddedUp, Counted
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Kinds, Play, Summed
from milepost.vocabulary import N_SETTLED


@dataclass(frozen=True, eq=False, repr=False)
class CoverageCounts(AddedUp):
    """Attempts of counted players, per stop, and their players.

    Attributes:
        players: with an attempt there.
        attempts: all of them.
        settled: those that say something of trying and were settled.
        went_on: per level, players who moved on to the next one, and tried it.
        never_there: per level, players who moved on to the next one, by a transition, and never tried it.
        seconds_before: by level and seconds of session time before it: first attempts at it.
    """

    players: Ints
    attempts: Ints
    settled: Ints
    went_on: Ints
    never_there: Ints
    seconds_before: Counted

    @classmethod
    def of(cls, play: Play) -> CoverageCounts:
        """Return the coverage counts of a play."""
        table, n_stops = play.attempts, len(play.stops)
        counted = play.counts[table.player]
        rows = np.flatnonzero(counted)
        taken = counted & table.taken
        first = np.flatnonzero(taken & (table.number == 1))
        width = max(1, len(play.gated.players))
        players = distinct(table.level[rows] * width + table.player[rows]) // width
        return cls(
            np.bincount(players, minlength=n_stops),
            np.bincount(table.level[rows], minlength=n_stops),
            np.bincount(table.level[taken & (table.outcome < N_SETTLED)], minlength=n_stops),
            *_went_on(play),
            Counted.of(table.level[first], _seconds_before(play, first)),
        )


def _went_on(play: Play) -> tuple[Ints, Ints]:
    """Per level, how many players moved on from it to the next and tried that, and how many moved on and never did.

    In a session without transitions a player moves on who tries the next level after this one.
    """
    moves, width = play.moves, len(play.gated.players) + 1
    tried = distinct(play.attempts.player * (len(play.stops) + 1) + play.attempts.level)
    arrives = np.isin(moves.player * (len(play.stops) + 1) + moves.target, tried)
    onward = _is_onward(play, moves.origin, moves.target)
    onward &= play.counts[moves.player]
    by_move = moves.origin * width + moves.player
    arrived = distinct(np.concatenate((by_move[onward & arrives], _find_moves_by_starts(play, width))))
    never = np.setdiff1d(distinct(by_move[onward & ~arrives]), arrived, assume_unique=True)
    n_levels = play.n_levels
    return np.bincount(arrived // width, minlength=n_levels), np.bincount(never // width, minlength=n_levels)


def _is_onward(play: Play, origin: Ints, target: Ints) -> Bools:
    """Return a mask of the moves by which the course goes on: to a next leg, or to another level of the leg."""
    n_levels, legs = play.n_levels, legs_in(play)
    placed = (origin >= 0) & (origin < n_levels) & (target >= 0) & (target < n_levels)
    if not n_levels:
        return placed
    leg_of = np.repeat(np.arange(len(legs)), [len(leg.levels) for leg in legs])
    passed = np.cumsum([leg.passed_over for leg in legs])
    from_leg, to_leg = leg_of[np.where(placed, origin, 0)], leg_of[np.where(placed, target, 0)]
    between = passed[np.maximum(to_leg - 1, 0)] - passed[from_leg] == to_leg - from_leg - 1
    route = play.gated.orders.route
    same_route = (route[np.where(placed, origin, 0)] >= 0) & (
        route[np.where(placed, origin, 0)] == route[np.where(placed, target, 0)]
    )
    within = (from_leg == to_leg) & (origin != target) & (~same_route | (target > origin))
    onward: Bools = placed & (within | ((to_leg > from_leg) & between))
    return onward


def _find_moves_by_starts(play: Play, width: int) -> Ints:
    """Levels and players, as one number, who tried the next level right after it, in sessions without transitions."""
    table = play.attempts
    moved = np.zeros(len(play.gated.player), np.bool_)
    moved[play.moves.session] = True
    follows = (np.diff(table.session) == 0) & _is_onward(play, table.level[:-1], table.level[1:])
    rows = np.flatnonzero(follows & ~moved[table.session[1:]] & play.counts[table.player[1:]])
    return table.level[rows] * width + table.player[rows]


def _seconds_before(play: Play, rows: Ints) -> Floats:
    """Return the session time of the player before each of some attempts, in seconds over all sessions so far."""
    gated, table, times = play.gated, play.attempts, play.session_times
    sessions = gated.sequence
    first = np.nan_to_num(times.first)
    length = np.maximum(0.0, np.nan_to_num(times.most[sessions]) - first[sessions])
    before = np.zeros(len(gated.player))
    spent: dict[int, float] = {}
    for session, player, seconds in zip(sessions.tolist(), gated.player[sessions].tolist(), length.tolist(), strict=True):
        before[session] = spent.get(player, 0.0)
        spent[player] = before[session] + seconds
    session = table.session[rows]
    seconds_before: Floats = before[session] + np.maximum(0.0, table.opened[rows] - first[session])
    return seconds_before


class CoverageRow(LevelRow):
    """How well a level was tested."""

    players: int
    attempts: int
    settled: int
    minutes: float
    minutes_to_reach: float | None
    went_on: int
    never_there: int
    hardly_tested: bool
    void: int


ThinMove = TypedDict("ThinMove", {"from": str, "to": str, "players": int})  # a move that was hardly tested


class CoverageTotals(TypedDict):
    """The levels and moves that were hardly tested."""

    hardly_tested: list[str]
    moves_hardly_tested: list[ThinMove]


@dataclass(frozen=True)
class Coverage:
    """How well the course was tested.

    Attributes:
        min_players: a level or move with fewer players counts as hardly tested.
    """

    min_players: int = 5

    SUMS: ClassVar[Kinds] = (Spent, CoverageCounts)

    def __call__(self, play: Summed) -> Table[CoverageRow, CoverageTotals]:
        """One row a level: players, tries, minutes played, minutes to get there, and the move on to the next level."""
        rows = [self._row(play, level) for level in range(play.n_levels)]
        thin = [row["level"] for row in rows if row["hardly_tested"]]
        moves: list[ThinMove] = [
            {"from": row["level"], "to": after["level"], "players": row["went_on"]}
            for row, after in zip(rows, rows[1:], strict=False)
            if row["went_on"] < self.min_players
        ]
        return Table(rows, CoverageTotals(hardly_tested=thin, moves_hardly_tested=moves))

    def _row(self, play: Summed, level: int) -> CoverageRow:
        counts = play.sums(CoverageCounts)
        players, seconds = int(counts.players[level]), counts.seconds_before.at(level).median()
        return {
            "level": play.stops[level],
            "players": players,
            "attempts": int(counts.attempts[level]),
            "settled": int(counts.settled[level]),
            "minutes": play.sums(Spent).at(level) / 60,
            "minutes_to_reach": None if seconds is None else seconds / 60,
            "went_on": int(counts.went_on[level]),
            "never_there": int(counts.never_there[level]),
            "hardly_tested": players < self.min_players,
            "void": void_attempts(play, level),
        }
