"""Leaving: after which tries players go on, take a break, or leave for good; by failures in a row, by time, and by level."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Final, TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.errors import UsageError, unknown_word
from milepost.measures.cells import first_tries
from milepost.measures.funnel_counts import cleared_mask
from milepost.measures.interface import UNKNOWN_ENDS, LevelRow, Table, share
from milepost.numerics.intervals import clustered_share
from milepost.numerics.value_counts import AddedUp, RowsOfPlayers
from milepost.playback.play import Kinds, Play, Summed
from milepost.vocabulary import CLEARED, END_QUIT, END_UNKNOWN, N_SETTLED

_MOST_STREAK: Final = 5  # failures in a row that have a row of their own; the last one stands for all beyond
_MINUTES: Final = (0, 5, 10, 20, 30, 60)  # where rows of minutes begin
_DAY: Final = 86_400.0
_STEPS: Final = 1e6  # of a clock, to a second
_LONGEST: Final = 1e9  # seconds of a try, beyond which more do not matter
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
        known = fate != CUT_OFF
        players, number = np.unique(player[known], return_inverse=True)
        gone = np.bincount(number, weights=(fate[known] >= GONE), minlength=len(players)).astype(np.int64)
        low, high = clustered_share(gone, np.bincount(number, minlength=len(players)))
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


@dataclass(frozen=True, eq=False, repr=False)
class LeavingCounts(AddedUp):
    """Tries that were settled, and those that were a player's last and were not.

    Attributes:
        tries: a row a try: its level; its streak (`_Ends`); the cause that ended its session; whether another try of the session
            follows, it is the player's last, the last of one who did the last leg, settled, failed; minutes and seconds
            (`_Ends`); and when its session's last record was, in seconds since 1970.
        last_records: when the last record was.
        undated: whether a session has times without a date.
    """

    tries: RowsOfPlayers
    last_records: frozenset[float]
    undated: bool

    @classmethod
    def of(cls, play: Play) -> LeavingCounts:
        """Return the counts of a play."""
        table, gated = play.attempts, play.gated
        first = first_tries(play) & (table.level < play.n_levels)
        settled, last = table.outcome < N_SETTLED, _is_last(table.player)
        failed = settled & (table.outcome != CLEARED)
        failures = _failures_so_far(table.player, table.level, first & failed)
        streak = np.minimum(np.where(table.outcome == CLEARED, 0, failures), _MOST_STREAK)
        done = gated.done(cleared_mask(play))
        won = done[gated.last_leg, np.arange(len(gated.last_leg))] & (gated.last_leg >= 0)
        goes_on = np.append((np.diff(table.player) == 0) & (np.diff(table.session) == 0), False)
        active = np.nan_to_num(table.active)
        minutes = (_running(table.session, active) - np.where(settled, 0.0, active)) / 60
        seconds = np.maximum(0.0, play.session_times.last[table.session] - table.closed)
        ends = _ends_of_sessions(play)
        rows = np.flatnonzero(first & (settled | last))
        columns = (
            *(table.level, streak, play.end.of(table.session).codes, goes_on, last, last & won[table.player]),
            *(settled, failed, minutes, seconds, ends[table.session]),
        )
        known = ends[~np.isnan(ends)]
        return cls(
            RowsOfPlayers.gathered(table.player[rows], *(column[rows] for column in columns)),
            frozenset([float(known.max())] if len(known) else []),
            any(epoch is None for epoch in gated.log.sessions.epoch),
        )


def _ends_of_sessions(play: Play) -> Floats:
    """Per session, when its last record was, in seconds since 1970; NaN where that is not known."""
    epochs = np.array([np.nan if epoch is None else epoch / 1e9 for epoch in play.gated.log.sessions.epoch])
    ends: Floats = epochs + play.session_times.most
    return ends


@dataclass(frozen=True)
class Leaving:
    """After which tries players leave.

    Attributes:
        unknown_end: what a session that ends without a known cause counts as, one of ``UNKNOWN_ENDS``.
        return_within: days within which a player may still come back after the log's end; None where that is not looked at.
    """

    unknown_end: str = "lost"
    return_within: float | None = None

    SUMS: ClassVar[Kinds] = (LeavingCounts,)

    def __post_init__(self) -> None:
        """Refuse another end than these.

        Raises:
            UsageError: it is another.
        """
        if self.unknown_end not in UNKNOWN_ENDS:
            raise unknown_word("unknown_end", self.unknown_end, UNKNOWN_ENDS)

    def __call__(self, play: Summed) -> Table[LeavingRow, LeavingTotals]:
        """One row a level; the totals have those by streak and by minutes.

        Raises:
            UsageError: days are asked for, and the log has no time stamps.
        """
        ends = self._ends(play.sums(LeavingCounts))
        streaks = [StreakRow(streak=n, **ends.figures(ends.streak == n)) for n in range(_MOST_STREAK + 1)]
        spans = [*_MINUTES, None]
        minutes: list[MinutesRow] = [
            {"from": low, "to": high, **ends.figures(_is_within(ends.minutes, low, high))}
            for low, high in zip(_MINUTES, spans[1:], strict=True)
        ]
        levels = [_level(play, ends, level) for level in range(play.n_levels)]
        return Table(levels, LeavingTotals(streaks=streaks, minutes=minutes, leavings=int((ends.fate >= GONE).sum())))

    def _ends(self, counts: LeavingCounts) -> _Ends:
        player, level, streak, by, goes_on, last, won, settled, failed, minutes, seconds, ended = counts.tries.in_order()
        open_ends = (END_QUIT, END_UNKNOWN) if self.unknown_end == "lost" else (END_QUIT,)
        cut = ~np.isin(by, open_ends) | won
        if self.return_within is not None:
            if counts.undated:
                raise UsageError("--return-within takes days, and this log has times without a date. Leave it out.")
            cut |= max(counts.last_records, default=0.0) - ended < self.return_within * _DAY
        fate = np.where(goes_on, GOES_ON, np.where(cut, CUT_OFF, np.where(last, GONE, BREAK)))
        known = settled | ~cut
        fate = np.where(settled, fate, GONE_MID)[known]
        return _Ends(player[known], level[known], fate, streak[known], minutes[known], seconds[known], failed[known])


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
    failures = np.zeros(len(order), np.int64)
    failures[order] = total - before
    return failures


def _running(session: Ints, seconds: Floats) -> Floats:
    """Per attempt, the seconds of its session's attempts so far, its own included; to a millionth, to add up exactly."""
    steps = np.rint(np.minimum(seconds, _LONGEST) * _STEPS).astype(np.int64)
    total = np.cumsum(steps)
    begins = np.append(True, np.diff(session) != 0)[: len(session)]
    before = np.where(begins, total - steps, 0)
    return (total - np.maximum.accumulate(before) if len(session) else total) / _STEPS


def _is_within(minutes: Floats, low: int, high: int | None) -> Bools:
    inside: Bools = (minutes >= low) & (minutes < (np.inf if high is None else high))
    return inside


def _level(play: Summed, ends: _Ends, level: int) -> LeavingRow:
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
