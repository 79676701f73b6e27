"""The columns that a replay gives: attempts, moves, and how sessions ended."""

from __future__ import annotations

from dataclasses import dataclass

from milepost.arrays import Bools, Floats, Ints
from milepost.numerics.whole_numbers import among
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
