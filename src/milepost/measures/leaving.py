"""Leaving: after which tries players go on, take a break, or leave for good; by failures in a row, by time, and by level."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.errors import UsageError, unknown_word
from milepost.measures.cells import first_tries
from milepost.measures.funnel_counts import cleared_by
from milepost.measures.interface import UNKNOWN_ENDS, LevelRow, Table, share
from milepost.numerics.intervals import clustered_share
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, END_QUIT, END_UNKNOWN, N_SETTLED

_MOST_STREAK: Final = 5  # failures in a row that have a row of their own; the last one stands for all beyond
_MINUTES: Final = (0, 5, 10, 20, 30, 60)  # where rows of minutes begin
_DAY: Final = 86_400.0
FEW_LEAVINGS: Final = 10  # fewer make no curve
GOES_ON, CUT_OFF, BREAK, GONE, GONE_MID = range(5)


class LeavingFigures(TypedDict):
    """How often tries were a player's last."""

    tries: int
    cut_off: int
    breaks: int
    left: int
    left_mid: int
    left_share: float | None
    left_share_low: float | None
    left_share_high: float | None
    seconds_p50: float | None


class StreakRow(LeavingFigures):
    """By how many tries at the level had failed, this one included; 0 after a clear, and 5 for five or more."""

    streak: int


MinutesSpan = TypedDict("MinutesSpan", {"from": int, "to": int | None})


class MinutesRow(MinutesSpan, LeavingFigures):
    """By active minutes of the session so far."""


class LeavingRow(LevelRow, LeavingFigures):
    """A level."""

    after_failure: int
    after_clear: int


class LeavingTotals(TypedDict):
    """By streak and by minutes, and how many left in all."""

    streaks: list[StreakRow]
    minutes: list[MinutesRow]
    leavings: int


@dataclass(frozen=True, eq=False, repr=False)
class _Ends:
    """Tries after which it is known what the player did, or during which the player left; columns of one length.

    Attributes:
        player, level: whose, and where.
        fate: what the player did.
        streak: failures at the level so far; of a try that was left, those before it.
        minutes: active minutes of the session so far; of a try that was left, at its opening.
        seconds: from the try's end to the session's.
        failed: whether the try failed.
    """

    player: Ints
    level: Ints
    fate: Ints
    streak: Ints
    minutes: Floats
    seconds: Floats
    failed: Bools

    def figures(self, rows: Bools) -> LeavingFigures:
        """The figures of some of them."""
        fate, player = self.fate[rows], self.player[rows]
        counts = np.bincount(fate, minlength=GONE_MID + 1)
        tries = int(counts[:GONE_MID].sum())
        left, mid = int(counts[GONE]), int(counts[GONE_MID])
        told = fate != CUT_OFF
        who, number = np.unique(player[told], return_inverse=True)
        gone = np.bincount(number, weights=(fate[told] >= GONE), minlength=len(who)).astype(np.int64)
        low, high = clustered_share(gone, np.bincount(number, minlength=len(who)))
        waited = self.seconds[rows][(fate == BREAK) | (fate == GONE)]
        return LeavingFigures(
            tries=tries,
            cut_off=int(counts[CUT_OFF]),
            breaks=int(counts[BREAK]),
            left=left,
            left_mid=mid,
            left_share=share(left + mid, tries - int(counts[CUT_OFF]) + mid),
            left_share_low=low,
            left_share_high=high,
            seconds_p50=float(np.median(waited)) if len(waited) else None,
        )


@dataclass(frozen=True)
class Leaving:
    """After which tries players leave.

    Attributes:
        unknown_end: what a session that ends without a known cause counts as, one of ``UNKNOWN_ENDS``.
        return_within: days within which a player may still come back after the log's end; None where that is not looked at.
    """

    unknown_end: str = "lost"
    return_within: float | None = None

    def __post_init__(self) -> None:
        """Refuse another end than these.

        Raises:
            UsageError: it is another.
        """
        if self.unknown_end not in UNKNOWN_ENDS:
            raise unknown_word("unknown_end", self.unknown_end, UNKNOWN_ENDS)

    def __call__(self, play: Play) -> Table[LeavingRow, LeavingTotals]:
        """One row a level; the totals have those by streak and by minutes.

        Raises:
            UsageError: days are asked for, and the log has no time stamps.
        """
        ends = self._ends(play)
        streaks = [StreakRow(streak=n, **ends.figures(ends.streak == n)) for n in range(_MOST_STREAK + 1)]
        spans = [*_MINUTES, None]
        minutes: list[MinutesRow] = [
            {"from": low, "to": high, **ends.figures(_within(ends.minutes, low, high))}
            for low, high in zip(_MINUTES, spans[1:], strict=True)
        ]
        levels = [_level(play, ends, level) for level in range(play.n_levels)]
        return Table(levels, LeavingTotals(streaks=streaks, minutes=minutes, leavings=int((ends.fate >= GONE).sum())))

    def _ends(self, play: Play) -> _Ends:
        table = play.attempts
        first = first_tries(play) & (table.level < play.n_levels)
        settled = table.outcome < N_SETTLED
        last = _is_last(table.player)
        cut = self._is_cut_off(play, last)
        same_session = np.append((np.diff(table.player) == 0) & (np.diff(table.session) == 0), False)
        fate = np.where(same_session, GOES_ON, np.where(cut, CUT_OFF, np.where(last, GONE, BREAK)))
        mid = first & ~settled & last & ~cut
        fate = np.where(mid, GONE_MID, fate)
        rows = np.flatnonzero((first & settled) | mid)
        failures = _failures_so_far(table.player, table.level, first & settled & (table.outcome != CLEARED))
        failed = settled & (table.outcome != CLEARED)
        streak = np.where(table.outcome == CLEARED, 0, failures)
        active = np.nan_to_num(table.active)
        so_far = _running(table.session, active)
        minutes = np.where(mid, so_far - active, so_far) / 60
        seconds = play.session_times.last[table.session] - table.closed
        return _Ends(
            table.player[rows],
            table.level[rows],
            fate[rows],
            np.minimum(streak, _MOST_STREAK)[rows],
            minutes[rows],
            np.maximum(0.0, seconds)[rows],
            failed[rows],
        )

    def _is_cut_off(self, play: Play, last: Bools) -> Bools:
        """Per attempt, whether nobody knows if its player would have left after it."""
        table, gated = play.attempts, play.gated
        open_ends = (END_QUIT, END_UNKNOWN) if self.unknown_end == "lost" else (END_QUIT,)
        cut = ~play.end.of(table.session).by(*open_ends)
        done = gated.done(cleared_by(play))
        won = done[gated.last_leg, np.arange(len(gated.last_leg))] & (gated.last_leg >= 0)
        cut |= last & won[table.player]
        if self.return_within is not None:
            ends = _ends_of_sessions(play)
            cut |= (np.nanmax(ends) - ends < self.return_within * _DAY)[table.session]
        result: Bools = cut
        return result


def _ends_of_sessions(play: Play) -> Floats:
    """Per session, when its last record was, in seconds since 1970."""
    epochs = play.gated.log.sessions.epoch
    if any(epoch is None for epoch in epochs):
        raise UsageError("--return-within takes days, and this log has times without a date. Leave it out.")
    ends: Floats = np.array([float(epoch or 0) / 1e9 for epoch in epochs]) + play.session_times.most
    return ends


def _is_last(player: Ints) -> Bools:
    """Per attempt in the order of play, whether it is its player's last."""
    return np.append(np.diff(player) != 0, True) if len(player) else np.zeros(0, np.bool_)


def _failures_so_far(player: Ints, level: Ints, failed: Bools) -> Ints:
    """Per attempt, how many of the player's attempts at the level had failed, this one included."""
    order = np.lexsort((np.arange(len(player)), level, player))
    begins = np.ones(len(order), np.bool_)
    begins[1:] = (np.diff(player[order]) != 0) | (np.diff(level[order]) != 0)
    total = np.cumsum(failed[order])
    before = np.maximum.accumulate(np.where(begins, total - failed[order], 0))
    found = np.zeros(len(order), np.int64)
    found[order] = total - before
    return found


def _running(session: Ints, seconds: Floats) -> Floats:
    """Per attempt, the seconds of its session's attempts so far, its own included."""
    total = np.cumsum(seconds)
    begins = np.append(True, np.diff(session) != 0)[: len(session)]
    before = np.where(begins, total - seconds, 0.0)
    return total - np.maximum.accumulate(before) if len(session) else total


def _within(minutes: Floats, low: int, high: int | None) -> Bools:
    inside: Bools = (minutes >= low) & (minutes < (np.inf if high is None else high))
    return inside


def _level(play: Play, ends: _Ends, level: int) -> LeavingRow:
    rows = ends.level == level
    gone = rows & (ends.fate == GONE)
    return LeavingRow(
        level=play.stops[level],
        **ends.figures(rows),
        after_failure=int((gone & ends.failed).sum()),
        after_clear=int((gone & ~ends.failed).sum()),
    )


def makes_a_curve(streaks: Sequence[StreakRow]) -> bool:
    """Return whether enough players left for a curve."""
    return sum(row["left"] + row["left_mid"] for row in streaks) >= FEW_LEAVINGS
