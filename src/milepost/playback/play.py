"""What came of a replay: attempts, moves, players and sessions as columns; every measure starts here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Protocol, Self, TypeVar, cast

import numpy as np

from milepost.errors import RecordsGoneError
from milepost.gate.gate import Gated
from milepost.logs.course import Course
from milepost.logs.interface import Bools, Floats, Ints, refused_in_all
from milepost.playback.around import AroundAttempts, SessionTimes, around_attempts, session_times
from milepost.playback.tallies import Tallies
from milepost.rules import ReplayRules
from milepost.vocabulary import CLEARED, END_CAUSES, END_FINISHED, FINDINGS, OUTCOMES, EndCause, Outcome


class Summary(Protocol):
    """What is made of the records of a play; summaries of parts of a log that share no session merge."""

    @classmethod
    def of(cls, play: Play, /) -> Self:
        """Make it of a play that has its records."""

    @classmethod
    def merged(cls, parts: list[Self], /) -> Self:
        """Put those of all parts together."""


T = TypeVar("T", bound=Summary)
V = TypeVar("V")


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

    def ended(self, *outcomes: Outcome) -> Bools:
        """Which attempts ended in one of some outcomes."""
        return _among(self.outcome, outcomes)


@dataclass(frozen=True)
class Ends:
    """Per session, or per player by the last session, why it ended."""

    codes: Ints

    def by(self, *causes: EndCause) -> Bools:
        """Which of them ended by one of some causes."""
        return _among(self.codes, causes)

    def of(self, rows: Ints) -> Ends:
        """Those of some rows."""
        return Ends(self.codes[rows])

    def name(self, row: int) -> str:
        """The cause of one, as a word."""
        return END_CAUSES[self.codes[row]]


def _among(codes: Ints, wanted: tuple[int, ...]) -> Bools:
    found: Bools = codes == wanted[0]
    for code in wanted[1:]:
        found |= codes == code
    return found


class LetGo:
    """In the place of records, and of columns by record, that a play has let go: whoever asks for them is told."""

    def __getattr__(self, name: str) -> Any:
        raise RecordsGoneError

    def __len__(self) -> int:
        """How many there are is not known any more."""
        raise RecordsGoneError

    def __getitem__(self, place: Any) -> Any:
        raise RecordsGoneError

    def __array__(self, *given: Any, **more: Any) -> Any:
        raise RecordsGoneError


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
        rules: the settings that it was replayed by.
        known: what was made of the records already; all of it where they have been let go, as in a play that was put
            together from parts of a log.
        n_levels: the number of levels in the course; stops from there on have no place in it.
    """

    gated: Gated
    attempts: AttemptTable
    moves: MoveTable
    end: Ends
    endless: Bools
    inferred: bool
    rules: ReplayRules
    known: dict[type, Any] = field(default_factory=dict)
    _made: dict[Any, Any] = field(default_factory=dict, init=False, repr=False, compare=False)

    @property
    def n_levels(self) -> int:
        """How many levels the course has."""
        return self.gated.stops.n_levels

    @property
    def course(self) -> Course | None:
        """The course that it was replayed by, if one was given."""
        return self.gated.course

    @cached_property
    def open_levels(self) -> Bools:
        """Per level of the course, whether the course says that there is no way to clear it yet."""
        levels = self.course.levels if self.course else ()
        return np.array([level.open for level in levels] or [False] * self.n_levels, dtype=np.bool_)

    @cached_property
    def tells_last_clear(self) -> bool:
        """Whether the log can tell that the last level was cleared; one without completions needs sessions that say finished."""
        if not self.rules.implied_complete or not self.n_levels:
            return True
        cleared = self.attempts.ended(CLEARED) & (self.attempts.level == self.n_levels - 1)
        return bool(cleared.any() or self.end.by(END_FINISHED).any())

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

    def once(self, make: Callable[[Play], V]) -> V:
        """What a function makes of this play; made once, so nobody may change it."""
        if make not in self._made:
            self._made[make] = make(self)
        return cast(V, self._made[make])

    def summary(self, kind: type[T]) -> T:
        """What a kind of summary says of the records, each made once.

        Args:
            kind: a class with ``of``, which makes the summary of a play, and ``merged``, which puts several together.
        """
        if kind not in self.known:
            self.known[kind] = kind.of(self)
        return cast(T, self.known[kind])

    @property
    def tallies(self) -> Tallies:
        """Counts over all records."""
        return self.summary(Tallies)

    @property
    def around(self) -> AroundAttempts:
        """What opened and closed the attempts."""
        if AroundAttempts not in self.known:
            self.known[AroundAttempts] = around_attempts(self.gated, self.attempts)
        return cast(AroundAttempts, self.known[AroundAttempts])

    @property
    def session_times(self) -> SessionTimes:
        """When sessions begin and end."""
        if SessionTimes not in self.known:
            self.known[SessionTimes] = session_times(self.gated)
        return cast(SessionTimes, self.known[SessionTimes])

    def finding_counts(self) -> dict[str, int]:
        """How many records (for some codes: sessions) each finding was made on; codes without any are left out."""
        return dict(self._finding_counts)

    @cached_property
    def _finding_counts(self) -> dict[str, int]:
        counts = {"unreadable_record": refused_in_all(self.gated.log.refused)}
        found = self.tallies.findings
        for number, finding in enumerate(FINDINGS[1:], 1):
            counts[finding.code] = found[number].records if number in found else 0
        counts["no_session_end"] = int(np.count_nonzero(self.endless))
        counts["coarse_clock"] = int(np.count_nonzero(self.gated.coarse))
        return {code: count for code, count in counts.items() if count}

    def unknown_words(self) -> dict[str, int]:
        """The event words outside the list, with how many records have each."""
        words = zip(self.gated.log.unknown_words, self.tallies.words, strict=True)
        return {word: int(count) for word, count in words if count}

    def outcome_names(self) -> list[str]:
        """The outcomes of the attempts, as words."""
        return [OUTCOMES[code] for code in self.attempts.outcome]
