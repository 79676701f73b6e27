"""What a naive count of the records would say, to be put beside the clean figures."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.logs.interface import ABSENT, Ints
from milepost.measures.interface import Row
from milepost.numerics.whole_numbers import counted, distinct
from milepost.playback.play import Play
from milepost.vocabulary import COMPLETE, LEVEL_EVENTS, RETRY, START


@dataclass(frozen=True)
class RawCounts:
    """Counts over every readable record at a level of the course, whatever was found on it.

    Attributes:
        reached: per level, players with any level event there.
        cleared: per level, players with a complete.
        lost: per level, the players whose furthest level with any event it is, and who have no complete of the last level.
        tried: the level of each pair of a level and a player with a start or retry there.
        tries: how many starts and retries each of these pairs has.
    """

    reached: Ints
    cleared: Ints
    lost: Ints
    tried: Ints
    tries: Ints

    @classmethod
    def of(cls, play: Play) -> RawCounts:
        """Count over a play's records."""
        gated, n_levels = play.gated, play.n_levels
        placed = (gated.level != ABSENT) & (gated.level < n_levels)
        records = gated.log.records
        event, level, player = records.event[placed], gated.level[placed], gated.player[records.session[placed]]
        n_players = max(1, len(gated.players))
        here = np.isin(event, LEVEL_EVENTS)
        reached = distinct(level[here] * n_players + player[here]) // n_players
        cleared = distinct(level[event == COMPLETE] * n_players + player[event == COMPLETE]) // n_players
        trying = np.isin(event, (START, RETRY))
        pairs, tries = counted(level[trying] * n_players + player[trying])
        furthest = np.full(n_players, -1)
        np.maximum.at(furthest, player[here], level[here])
        won = np.zeros(n_players, np.bool_)
        won[player[(event == COMPLETE) & (level == n_levels - 1)]] = True
        lost = np.bincount(furthest[(furthest >= 0) & ~won], minlength=n_levels)
        reached, cleared = (np.bincount(of, minlength=n_levels) for of in (reached, cleared))
        return cls(reached, cleared, lost, pairs // n_players, tries)

    @classmethod
    def merged(cls, parts: list[RawCounts]) -> RawCounts:
        """Those of a log from those of parts that share no player."""
        sums = (np.sum([getattr(part, name) for part in parts], axis=0) for name in ("reached", "cleared", "lost"))
        reached, cleared, lost = sums
        tried, tries = (np.concatenate([getattr(part, name) for part in parts]) for name in ("tried", "tries"))
        return cls(reached, cleared, lost, tried, tries)


def raw_counts(play: Play) -> list[Row]:
    """Per level of the course: players with any level event there, players with a complete, starts and retries."""
    counts = play.summary(RawCounts)
    tries = np.bincount(counts.tried, weights=counts.tries, minlength=play.n_levels)
    return [
        {"raw_reached": int(counts.reached[number]), "raw_cleared": int(counts.cleared[number]), "raw_tries": int(tries[number])}
        for number in range(play.n_levels)
    ]
