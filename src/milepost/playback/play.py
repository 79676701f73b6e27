"""What came of a replay: attempts, moves, players and sessions as columns; every measure starts here."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from milepost.gate.gate import Gated
from milepost.logs.interface import Bools, Floats, Ints
from milepost.vocabulary import FINDINGS, OUTCOMES


@dataclass
class AttemptTable:
    """The attempts in the order of play: by player, session and time; all columns of one length.

    ``active``, ``paused`` and ``settling`` are seconds, ``opened`` and ``closed`` seconds since the session's first
    record. ``active`` is NaN where the duration is not known, ``settling`` without a first input, ``progress``
    where none was logged. ``opened_at`` and ``closed_at`` are the places, in ``Gated.order``, of the records that opened
    and closed it. ``number`` counts the player's attempts at the level from 1; ``rerun`` is true after the
    player's first clear of it.
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

    def __len__(self) -> int:
        """The number of attempts."""
        return len(self.level)


@dataclass
class MoveTable:
    """The transitions that count, in the order of play; ``at`` is the record's place in ``Gated.order``.

    ``target`` is ABSENT where the transition led to no named place.
    """

    player: Ints
    session: Ints
    at: Ints
    origin: Ints
    target: Ints
    kind: Ints


@dataclass
class Play:
    """A replayed log.

    Attributes:
        gated: the records as the gate let them through, with every finding marked.
        attempts: the attempts.
        moves: the transitions with their kinds.
        end: per session, its end cause.
        endless: per session, whether its end was missing from the log.
        inferred: whether the course's order was inferred.
        n_levels: the number of levels in the course; stops from there on have no place in it.
    """

    gated: Gated
    attempts: AttemptTable
    moves: MoveTable
    end: Ints
    endless: Bools
    inferred: bool

    @property
    def n_levels(self) -> int:
        """How many levels the course has."""
        return self.gated.stops.n_levels

    @property
    def stops(self) -> list[str]:
        """The names of all stops, the course's levels first."""
        return self.gated.stops.names

    @cached_property
    def counts(self) -> Bools:
        """Per player, whether it counts: it has an attempt in a level of the course."""
        tried = np.zeros(len(self.gated.players), np.bool_)
        tried[self.attempts.player[self.attempts.level < self.n_levels]] = True
        return tried

    def finding_counts(self) -> dict[str, int]:
        """How many records (for some codes: sessions) each finding was made on; codes without any are left out."""
        return dict(self._finding_counts)

    @cached_property
    def _finding_counts(self) -> dict[str, int]:
        marks = self.gated.log.records.marks
        marks = marks[marks != 0]  # most records are as they should be
        counts = {"unreadable_record": len(self.gated.log.refused)}
        for number, finding in enumerate(FINDINGS[1:], 1):
            counts[finding.code] = int(np.count_nonzero(marks & (1 << number)))
        counts["no_session_end"] = int(np.count_nonzero(self.endless))
        counts["coarse_clock"] = int(np.count_nonzero(self.gated.coarse))
        return {code: count for code, count in counts.items() if count}

    def unknown_words(self) -> dict[str, int]:
        """The event words outside the list, with how many records have each."""
        event = self.gated.log.records.event
        counts = np.bincount(-1 - event[event < 0], minlength=len(self.gated.log.unknown_words))
        return {word: int(count) for word, count in zip(self.gated.log.unknown_words, counts, strict=True) if count}

    def outcome_names(self) -> list[str]:
        """The outcomes of the attempts, as words."""
        return [OUTCOMES[code] for code in self.attempts.outcome]
