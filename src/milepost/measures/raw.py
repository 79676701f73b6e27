"""A naive count of the records, to stand beside the clean figures."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.logs.interface import ABSENT
from milepost.measures.funnel import Funnel, FunnelRow, FunnelTotals
from milepost.measures.interface import RawRow, Table, put_beside, table_of
from milepost.numerics.value_counts import AddedUp
from milepost.numerics.whole_numbers import distinct, is_among, number_values, stable_order
from milepost.playback.attempt_tables import Ends
from milepost.playback.play import FullPlay, Kinds, Summed
from milepost.playback.replay import end_codes
from milepost.vocabulary import COMPLETE, DEATH, END_QUIT, END_UNKNOWN, LEVEL_EVENTS, RESET, RETRY, SESSION_END, START, TRANSITION

_ENDING = (START, RETRY, DEATH, RESET, COMPLETE)  # of a try
_TELLING = (START, RETRY, DEATH, RESET, COMPLETE, TRANSITION, SESSION_END)  # of when a try begins and ends


@dataclass(frozen=True, eq=False, repr=False)
class RawTries:
    """Tries that one record after the other tells of; a row for each pair of a level and a player who tried it.

    Attributes:
        level: of the pair.
        count: tries up to the first clear, or up to the last failure where there is none.
        cleared: whether there is one.
    """

    level: Ints
    count: Ints
    cleared: Bools

    @classmethod
    def of(cls, play: FullPlay) -> RawTries:
        """A start or retry is a try if what follows it in its session ends it: a clear, a failure or another start there."""
        seen, n_players = _RawSeen.of(play), max(1, len(play.gated.players))
        order = stable_order(seen.session)
        session, event, level, player = (column[order] for column in (seen.session, seen.event, seen.level, seen.player))
        ended = np.zeros(len(order), np.bool_)
        ended[:-1] = (session[1:] == session[:-1]) & (level[1:] == level[:-1]) & is_among(event[1:], _ENDING)
        tried = np.flatnonzero(ended & is_among(event, (START, RETRY)) & (level >= 0))
        clears = np.flatnonzero((event == COMPLETE) & (level >= 0))
        both = np.concatenate((tried, clears))
        pairs, pair = number_values(level[both] * n_players + player[both])
        of_try, of_clear = pair[: len(tried)], pair[len(tried) :]
        first = np.full(len(pairs), len(order))  # where the first clear was logged
        np.minimum.at(first, of_clear, order[clears])
        cleared = first < len(order)
        count = np.bincount(of_try[order[tried] < first[of_try]], minlength=len(pairs))
        return cls(pairs // n_players, np.where(cleared, np.maximum(1, count), count), cleared)

    @classmethod
    def merged(cls, parts: list[RawTries]) -> RawTries:
        """Return the raw tries of a log, added up from parts that share no player."""
        return cls(*(np.concatenate([getattr(part, name) for part in parts]) for name in vars(parts[0])))


@dataclass(frozen=True, eq=False, repr=False)
class _RawSeen:
    """Columns of the records that a plain count looks at, as logged; ``level`` is ABSENT off the course."""

    session: Ints
    event: Ints
    level: Ints
    player: Ints

    @classmethod
    def of(cls, play: FullPlay) -> _RawSeen:
        """Return the levels and clears that a naive count sees in a play."""
        records, gated = play.gated.log.records, play.gated
        rows = np.flatnonzero(is_among(records.event, _TELLING))
        session, level = records.session[rows], gated.level[rows]
        return cls(session, records.event[rows], np.where(level < play.n_levels, level, ABSENT), gated.player[session])


@dataclass(frozen=True, eq=False, repr=False)
class RawCounts(AddedUp):
    """Counts over every readable record at a level of the course, whatever was found on it.

    Attributes:
        reached: per level, players with any level event there.
        cleared: per level, players with a complete.
        lost: per level, the players whose furthest level with any event it is, who have no complete of the last level, and whose
            last session end, as logged, is a quit or not known.
        begun: per level, starts and retries.
    """

    reached: Ints
    cleared: Ints
    lost: Ints
    begun: Ints

    @classmethod
    def of(cls, play: FullPlay) -> RawCounts:
        """Count over a play's records."""
        gated, n_levels = play.gated, play.n_levels
        placed = (gated.level != ABSENT) & (gated.level < n_levels)
        records = gated.log.records
        event, level, player = records.event[placed], gated.level[placed], gated.player[records.session[placed]]
        n_players = max(1, len(gated.players))
        at_levels, complete = is_among(event, LEVEL_EVENTS), np.flatnonzero(event == COMPLETE)
        reached = distinct(level[at_levels] * n_players + player[at_levels]) // n_players
        cleared = distinct(level[complete] * n_players + player[complete]) // n_players
        furthest, won = np.full(n_players, -1), np.zeros(n_players, np.bool_)
        leg = gated.legs(player, level)
        np.maximum.at(furthest, player[at_levels], leg[at_levels])
        done = np.zeros((len(play.stops), n_players), np.bool_)
        done[level[complete], player[complete]] = True
        if len(gated.players):
            last = gated.last_leg
            won = gated.done(done)[last, np.arange(n_players)] & (last >= 0)
        lost_there = (furthest >= 0) & ~won & _gave_up(play, n_players)
        last_row = np.full(n_players, -1)
        rows = np.flatnonzero(at_levels & (leg == furthest[player]))
        np.maximum.at(last_row, player[rows], rows)
        last_seen = level[last_row[lost_there]]
        lost = np.bincount(last_seen, minlength=n_levels)
        reached, cleared = (np.bincount(pairs, minlength=n_levels) for pairs in (reached, cleared))
        begun = np.bincount(level[is_among(event, (START, RETRY))], minlength=n_levels)
        return cls(reached, cleared, lost, begun)


def _gave_up(play: FullPlay, n_players: int) -> Bools:
    """Per player, whether the last end of a session that was logged is a quit or not known, or none was."""
    log = play.gated.log
    ends = np.flatnonzero(log.records.event == SESSION_END)
    last = np.full(n_players, END_UNKNOWN, np.int64)
    last[play.gated.player[log.records.session[ends]]] = end_codes(log, ends)  # as logged, so that the last one stays
    return Ends(last).by(END_QUIT, END_UNKNOWN)


@dataclass(frozen=True)
class FunnelWithRaw:
    """The funnel with a naive count of the records beside it.

    Attributes:
        funnel: the funnel.
    """

    funnel: Funnel
    SUMS: ClassVar[Kinds] = (*Funnel.SUMS, RawCounts)

    def __call__(self, play: Summed) -> Table[FunnelRow, FunnelTotals]:
        """One row a level, as of the funnel."""
        return put_beside(table_of(play, self.funnel), raw_counts(play))


def raw_counts(play: Summed) -> list[RawRow]:
    """Per level of the course: players with any level event there, players with a complete, starts and retries."""
    counts = play.summary(RawCounts)
    return [
        {"raw_reached": int(reached), "raw_cleared": int(cleared), "raw_tries": int(begun)}
        for reached, cleared, begun in zip(counts.reached, counts.cleared, counts.begun, strict=True)
    ]
