"""The columns that a replay gives: attempts, moves, and how sessions ended."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.numerics.whole_numbers import among, ordinals, stable_order
from milepost.vocabulary import END_CAUSES, EndCause, Outcome


@dataclass
class AttemptTable:
    """The attempts in the order of play: by player, session and time; all columns of one length.

    ``active``, ``paused`` and ``settling`` are seconds, ``opened`` and ``closed`` seconds since the session's first
    record. ``active`` is NaN where the duration is not known, ``settling`` without a first input, ``progress``
    where none was logged. ``opened_at`` and ``closed_at`` are the places, in ``Gated.order``, of the records that opened
    and closed it. ``number`` counts the player's attempts at the level from 1, 0 for void ones; ``rerun`` is
    true after the player's first clear of it. ``void`` ones are left out as suspect, and ``aside`` those that are not asked for:
    both say nothing of trying, and all the same where a player went.
    """

    player: Ints
    session: Ints
    level: Ints
    visit: Ints
    opened: Floats
    closed: Floats
    active: Floats
    paused: Floats
    settling: Floats
    progress: Floats
    hits: Ints
    outcome: Ints
    opened_at: Ints
    closed_at: Ints
    number: Ints
    rerun: Bools
    void: Bools
    aside: Bools

    def __len__(self) -> int:
        """The number of attempts."""
        return len(self.level)

    @property
    def taken(self) -> Bools:
        """Return a mask of the attempts that are evidence on tries."""
        return ~(self.void | self.aside)

    def ended(self, *outcomes: Outcome) -> Bools:
        """Return a mask of the attempts that ended in one of some outcomes."""
        return among(self.outcome, outcomes)


@dataclass(frozen=True)
class Ends:
    """Per session, or per player by the last session, why it ended."""

    codes: Ints

    def by(self, *causes: EndCause) -> Bools:
        """Return a mask of the attempts that ended by one of some causes."""
        return among(self.codes, causes)

    def of(self, rows: Ints) -> Ends:
        """Return the ends of some rows."""
        return Ends(self.codes[rows])

    def name(self, row: int) -> str:
        """The cause of one, as a word."""
        return END_CAUSES[self.codes[row]]


@dataclass
class MoveTable:
    """The transitions that count, in the order of play; ``at`` is the record's place in ``Gated.order``.

    ``time`` is in seconds since the session's first record. ``target`` is ABSENT where the transition led to no named
    place.
    """

    player: Ints
    session: Ints
    at: Ints
    time: Floats
    origin: Ints
    target: Ints
    kind: Ints


def numbered_tries(player: Ints, level: Ints, cleared: Bools, void: Bools) -> tuple[Ints, Bools]:
    """The number of each attempt among the player's at its level, and whether a clear came before it.

    Args:
        player, level: of each attempt, in the order of play.
        cleared: which of them cleared.
        void: which of them have no number, and are none for those after them; a void clear is a clear all the same.
    """
    cell = player * (int(level.max(initial=0)) + 1) + level
    order = stable_order(cell)
    place = ordinals(cell, order)
    first = np.arange(len(order)) - (place[order] - 1)  # of the same player and level
    number, rerun = np.empty(len(order), np.int64), np.empty(len(order), np.bool_)
    rerun[order] = _before(cleared[order], first) > 0
    number[order] = np.where(void[order], 0, _before(~void[order], first) + 1)
    return number, rerun


def _before(marked: Bools, first: Ints) -> Ints:
    """How many rows are marked from each row's first one up to, but without, the row itself."""
    count: Ints = np.cumsum(marked) - marked
    return count - count[first]
