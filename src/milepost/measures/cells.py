"""Counts of players that much rests on: who was there, and one row for each player and level."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.logs.records.sink import copies_mask
from milepost.measures.sessions_to_watch import Candidate, Watched, pick_best, pick_sessions
from milepost.numerics.value_counts import AddedUp
from milepost.numerics.whole_numbers import distinct, number_values, stable_order
from milepost.playback.play import Play, Summed
from milepost.vocabulary import CLEARED, N_SETTLED


@dataclass(frozen=True, eq=False, repr=False)
class Cells:
    """Player-level pairs, by level and then player; all columns of one length.

    ``settled`` counts settled first-clear attempts, the clear included; ``cleared`` says that one of them cleared. ``seconds`` is
    the active time of all first-clear attempts of known duration; ``untimed`` says that some duration is not known. Attempts that
    are void or not asked for are in none of these; ``done`` says that the player has cleared the level, by whatever attempt;
    ``tried`` says that some attempt of the player there is neither void nor aside. Counted per run, each run of a player has a
    row.
    """

    level: Ints
    player: Ints
    settled: Ints
    cleared: Bools
    seconds: Floats
    untimed: Bools
    done: Bools
    tried: Bools

    def of(self, level: int) -> Cells:
        """The rows of one level."""
        rows = slice(*np.searchsorted(self.level, [level, level + 1]))
        return Cells(*(column[rows] for column in vars(self).values()))


def first_clear(play: Play) -> Bools:
    """Return a mask of the first-clear attempts of counted players."""
    return play.compute_once(_mask_first_clear)


def _mask_first_clear(play: Play) -> Bools:
    return ~play.attempts.rerun & play.counts[play.attempts.player]


def first_tries(play: Play) -> Bools:
    """Return a mask of the attempts that are evidence on tries."""
    return play.compute_once(_mask_first_tries)


def _mask_first_tries(play: Play) -> Bools:
    return first_clear(play) & play.attempts.taken


def gather_cells(play: Play) -> Cells:
    """The first-clear attempts of counted players, gathered by player and level."""
    return play.compute_once(_gathered)


def _gathered(play: Play) -> Cells:
    table = play.attempts
    rows = first_clear(play)
    unit = (table.player if play.units is None else play.units)[rows]
    n_units = int(unit.max(initial=0)) + 1
    keys, cell = number_values(table.level[rows] * n_units + unit)
    player = np.zeros(n_units, np.int64)
    player[unit] = table.player[rows]
    whole = play.around.whole[rows]
    outcome, active = table.outcome[rows], np.where(whole, (table.closed - table.opened)[rows], table.active[rows])
    taken, unknown = table.taken[rows], np.isnan(active)

    def total(values: Floats | Bools) -> Floats:
        return np.bincount(cell, weights=values, minlength=len(keys)).astype(np.float64)

    return Cells(
        keys // n_units,
        player[keys % n_units],
        total(taken & (outcome < N_SETTLED)).astype(np.int64),
        total(taken & (outcome == CLEARED)) > 0,
        total(np.where(unknown | ~taken, 0.0, active)),
        total(taken & unknown) > 0,
        total(outcome == CLEARED) > 0,
        total(taken) > 0,
    )


@dataclass(frozen=True, eq=False, repr=False)
class Attendance(AddedUp):
    """Counted players and sessions, and the levels they tried.

    Attributes:
        players: who count.
        without_attempt: who do not.
        sessions: of counted players.
        void: per stop, how many attempts of counted players say nothing of trying.
        tried: per stop, whether a counted player has an attempt there.
    """

    players: int
    without_attempt: int
    sessions: int
    void: Ints
    tried: Bools

    @classmethod
    def of(cls, play: Play) -> Attendance:
        """Return the attendance of a play, or of the sessions of a part."""
        gated, counts, n_stops = play.gated, play.counts, len(play.stops)
        player = gated.player[gated.sequence]
        counted = int(counts.sum())
        table = play.attempts
        of_counted = counts[table.player]
        tried = np.zeros(n_stops, np.bool_)
        tried[table.level[of_counted]] = True
        return cls(
            players=counted,
            without_attempt=len(distinct(player)) - counted,
            sessions=int(counts[player[~copies_mask(gated.log.sessions)[gated.sequence]]].sum()),
            void=np.bincount(table.level[of_counted & ~table.taken], minlength=n_stops),
            tried=tried,
        )


@dataclass(frozen=True, eq=False, repr=False)
class ReachedStops(AddedUp):
    """Players who reached a stop: counted players with an attempt there before their first clear, or at it.

    Attributes:
        players: per stop, how many; runs of them, where it is counted per run.
    """

    players: Ints

    @classmethod
    def of(cls, play: Play) -> ReachedStops:
        """Return the players who reached each stop of a play."""
        return cls(np.bincount(gather_cells(play).level, minlength=len(play.stops)))


def void_attempts(play: Summed, level: int) -> int:
    """How many attempts at a level, of counted players, say nothing of trying; re-runs too."""
    return int(play.sums(Attendance).void[level])


def levels_shown(play: Summed) -> list[int]:
    """The course's levels in order, then the unplaced levels that counted players attempted, by name."""
    from milepost.level_names import natural_key

    tried = np.flatnonzero(play.sums(Attendance).tried).tolist()
    others = [level for level in tried if level >= play.n_levels]
    return [*range(play.n_levels), *sorted(others, key=lambda level: natural_key(play.stops[level]))]


_MOST: Final = 3  # of a level


@dataclass(frozen=True, eq=False, repr=False)
class WatchOfLevels:
    """The sessions that show settled first-clear attempts best, per level of the course."""

    candidates: list[list[Candidate]]

    @classmethod
    def of(cls, play: Play) -> WatchOfLevels:
        """Return the sessions to watch of a play."""
        table = play.attempts
        rows = np.flatnonzero(first_tries(play) & (table.outcome < N_SETTLED) & (table.level < play.n_levels))
        rows = rows[stable_order(table.level[rows])]
        bounds = np.searchsorted(table.level[rows], np.arange(play.n_levels + 1))
        return cls([pick_sessions(play, rows[start:end], _MOST) for start, end in pairwise(bounds.tolist())])

    @classmethod
    def merged(cls, parts: list[WatchOfLevels]) -> WatchOfLevels:
        """Return the sessions to watch of a log, added up from its parts."""
        levels = zip(*(part.candidates for part in parts), strict=True)
        return cls([pick_best([candidate for part in level for candidate in part], _MOST) for level in levels])

    def of_level(self, level: int) -> list[Watched]:
        """The sessions that show a level, the best first."""
        return [candidate.watched for candidate in self.candidates[level]]
