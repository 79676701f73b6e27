"""Counted players, their tries, and the levels they reached."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.logs.records.shared_sessions import copied
from milepost.measures.cells import cells
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play, Summed


@dataclass(frozen=True)
class Attendance:
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
        own = counts[table.player]
        tried = np.zeros(n_stops, np.bool_)
        tried[table.level[own]] = True
        return cls(
            players=counted,
            without_attempt=len(distinct(player)) - counted,
            sessions=int(counts[player[~copied(gated.log.sessions)[gated.sequence]]].sum()),
            void=np.bincount(table.level[own & ~table.taken], minlength=n_stops),
            tried=tried,
        )

    @classmethod
    def merged(cls, parts: list[Attendance]) -> Attendance:
        """Return the attendance of a log, added up from its parts."""
        return cls(
            sum(part.players for part in parts),
            sum(part.without_attempt for part in parts),
            sum(part.sessions for part in parts),
            np.sum([part.void for part in parts], axis=0),
            np.any([part.tried for part in parts], axis=0),
        )


@dataclass(frozen=True)
class ReachedStops:
    """Players who reached a stop: counted players with an attempt there before their first clear, or at it.

    Attributes:
        players: per stop, how many; runs of them, where it is counted per run.
    """

    players: Ints

    @classmethod
    def of(cls, play: Play) -> ReachedStops:
        """Return the players who reached each stop of a play."""
        return cls(np.bincount(cells(play).level, minlength=len(play.stops)))

    @classmethod
    def merged(cls, parts: list[ReachedStops]) -> ReachedStops:
        """Return the players who reached each stop of a log, added up from its parts."""
        return cls(np.sum([part.players for part in parts], axis=0))


def void_attempts(play: Summed, level: int) -> int:
    """How many attempts at a level, of counted players, say nothing of trying; re-runs too."""
    return int(play.sums(Attendance).void[level])


def levels_shown(play: Summed) -> list[int]:
    """The course's levels in order, then the unplaced levels that counted players attempted, by name."""
    from milepost.level_names import natural_key

    tried = np.flatnonzero(play.sums(Attendance).tried).tolist()
    others = [level for level in tried if level >= play.n_levels]
    return [*range(play.n_levels), *sorted(others, key=lambda level: natural_key(play.stops[level]))]
