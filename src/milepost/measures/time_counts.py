"""How long players, and single attempts, took at each level; seconds."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.measures.cells import first_tries, gather_cells
from milepost.numerics.value_counts import AddedUp, Counted
from milepost.playback.attempt_tables import AttemptTable
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, N_SETTLED


@dataclass(frozen=True, eq=False, repr=False)
class Spent(AddedUp):
    """The active time of attempts.

    Attributes:
        attempts: by level, whether it is a first-clear attempt, outcome and seconds: attempts of known duration that say
            something of trying, of counted players.
    """

    attempts: Counted

    @classmethod
    def of(cls, play: Play) -> Spent:
        """Return the time spent in a play."""
        table = play.attempts
        rows = np.flatnonzero(~np.isnan(table.active) & table.taken & play.counts[table.player])
        return cls(Counted.of(table.level[rows], first_tries(play)[rows], table.outcome[rows], table.active[rows]))

    def at(self, level: int) -> float:
        """The seconds spent at a level."""
        return self.attempts.at(level).by(2).sum()


@dataclass(frozen=True, eq=False, repr=False)
class TimeCounts(AddedUp):
    """Times by level, and then by seconds.

    Attributes:
        to_clear: whether the level was cleared, and seconds: players whose time is known.
        untimed: players whose time is not known.
        settling, paused: first-clear attempts of known duration.
        between: those of them that cleared, until the next one is opened.
        to_move, to_start: the same until the game moves on, and from then on, where both are known.
        sessions: how long sessions of counted players last; by seconds alone.
    """

    to_clear: Counted
    untimed: Counted
    settling: Counted
    paused: Counted
    between: Counted
    to_move: Counted
    to_start: Counted
    sessions: Counted

    @classmethod
    def of(cls, play: Play) -> TimeCounts:
        """Return the time counts of a play."""
        cell, table = gather_cells(play), play.attempts
        timed = ~cell.untimed & (cell.tried if play.conditions else True)
        rows = np.flatnonzero(first_tries(play) & ~np.isnan(table.active))
        level, settling = table.level[rows], table.settling[rows]
        clears = rows[table.outcome[rows] == CLEARED]
        between, until_move = _seconds_between(table)[clears], _measure_until_move(play)[clears]
        known = ~np.isnan(between)
        split = known & ~np.isnan(until_move)
        before = np.minimum(until_move, between)
        at = table.level[clears]
        return cls(
            Counted.of(cell.level[timed], cell.cleared[timed], cell.seconds[timed]),
            Counted.of(cell.level[cell.untimed]),
            _count_given(level, settling, ~np.isnan(settling)),
            _count_given(level, table.paused[rows], table.paused[rows] > 0),
            _count_given(at, between, known),
            _count_given(at, before, split),
            _count_given(at, between - before, split),
            Counted.of(_session_seconds(play)),
        )


def _count_given(level: Ints, seconds: Floats, given: Bools) -> Counted:
    return Counted.of(level[given], seconds[given])


def _seconds_between(table: AttemptTable) -> Floats:
    """Per attempt, seconds from its closing to the opening of the session's next attempt; NaN where not known."""
    gap = np.full(len(table), np.nan)
    if len(table) > 1:
        follows = (np.diff(table.session) == 0) & ~np.isnan(table.active[1:])
        gap[:-1][follows] = np.maximum(0.0, table.opened[1:] - table.closed[:-1])[follows]
    return gap


def _measure_until_move(play: Play) -> Floats:
    """Per attempt, seconds from its closing to the session's next transition, where one comes before the next attempt."""
    table, moves = play.attempts, play.moves
    wait = np.full(len(table), np.nan)
    if not len(moves.at) or not len(table):
        return wait
    by_place = np.argsort(moves.at)
    at, session = moves.at[by_place], moves.session[by_place]
    place = np.minimum(np.searchsorted(at, table.closed_at, side="left"), len(at) - 1)
    following = np.full(len(table), np.iinfo(np.int64).max)
    same_session = np.diff(table.session) == 0
    following[:-1][same_session] = table.opened_at[1:][same_session]
    in_time = (at[place] >= table.closed_at) & (session[place] == table.session) & (at[place] <= following)
    times = moves.time[by_place[place[in_time]]]
    wait[in_time] = np.maximum(0.0, times - table.closed[in_time])
    return wait


def _session_seconds(play: Play) -> Floats:
    """How long the sessions of counted players last."""
    times, sessions = play.session_times, play.gated.sequence
    counted = sessions[play.counts[play.gated.player[sessions]] & ~np.isnan(times.first[sessions])]
    seconds: Floats = np.maximum(0.0, times.last[counted] - times.first[counted])
    return seconds


@dataclass(frozen=True, eq=False, repr=False)
class TypicalTimes(AddedUp):
    """Counts over the attempts of a log.

    Attributes:
        attempts: how many there are, at whatever level.
        clears: how many of them clear.
        settled: by seconds, settled attempts of known duration.
        to_clear: by level and seconds, players who cleared a level whose planned time the course says.
        numeric: how many sessions have numbers for times.
    """

    attempts: int
    clears: int
    settled: Counted
    to_clear: Counted
    numeric: int

    @classmethod
    def of(cls, play: Play) -> TypicalTimes:
        """Return the typical times of a play, or of the sessions of a part."""
        table, epochs = play.attempts, play.gated.log.sessions.epoch
        numeric = sum(epochs[session] is None for session in play.gated.sequence.tolist())
        clears = int(np.count_nonzero(table.outcome == CLEARED))
        timed = table.active[(table.outcome < N_SETTLED) & (table.active > 0)]
        return cls(len(table), clears, Counted.of(timed), _count_to_clear(play), numeric)


def _count_to_clear(play: Play) -> Counted:
    planned = [n for n, level in enumerate(play.course.levels) if level.par_seconds] if play.course else []
    if not planned:
        return Counted.of(np.empty(0, np.int64), np.empty(0))
    cell = gather_cells(play)
    rows = np.isin(cell.level, planned) & cell.cleared & ~cell.untimed & (cell.seconds > 0)
    return Counted.of(cell.level[rows], cell.seconds[rows])
