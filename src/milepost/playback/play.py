"""The result of a replay: attempts, moves, players and sessions as columns; every measure starts here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol, Self, TypeVar, cast

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.cleaning.gate import Admitted, Gated
from milepost.cleaning.selection import Exclusion
from milepost.course.course import Course
from milepost.errors import AttemptsGoneError, RecordsGoneError
from milepost.logs.interface import count_refused
from milepost.playback.attempt_tables import (
    AroundAttempts,
    AttemptTable,
    Ends,
    MoveTable,
    SessionTimes,
    around_attempts,
    session_times,
)
from milepost.rules import ReplayRules

V = TypeVar("V")


class Keeper(Protocol):
    """A place that keeps values computed from a play longer than the process."""

    def load(self, name: str, *kinds: type) -> object:
        """Return the value kept under a name, if it is made of some kinds of objects; None if there is none."""

    def save(self, name: str, value: object) -> None:
        """Keep something, if that can be."""


@dataclass(eq=False, repr=False)
class Memo:
    """Something of which much is made, each once; what is made of it is not made of what is derived from it."""

    _computed: dict[object, object] = field(default_factory=dict, init=False, repr=False, compare=False)
    _keeper: Keeper | None = field(default=None, init=False, repr=False, compare=False)

    def compute_once(self, make: Callable[[Self], V]) -> V:
        """Return a function's result, computed once; nobody may change it."""
        if make not in self._computed:
            self._computed[make] = make(self)
        return cast(V, self._computed[make])

    def kept_by(self, keeper: Keeper) -> Self:
        """Return the memo with a keeper of values that take long to make and are small."""
        self._keeper = keeper
        return self

    def compute_and_keep(self, name: str, make: Callable[[Self], V], *kinds: type) -> V:
        """Return a function's result, computed once, and kept by the keeper; for what takes long and is small.

        Args:
            name: under which it is kept.
            make: makes it.
            kinds: the classes of the objects in it.
        """
        if name not in self._computed:
            kept = self._keeper.load(name, *kinds) if self._keeper is not None else None
            self._computed[name] = make(self) if kept is None else kept
            if kept is None and self._keeper is not None:
                self._keeper.save(name, self._computed[name])
        return cast(V, self._computed[name])


class Summary(Protocol):
    """A summary of the records of a play; summaries of parts of a log that share no session merge."""

    @classmethod
    def of(cls, play: FullPlay, /) -> Self:
        """Make it of a play that has its records."""

    @classmethod
    def merged(cls, parts: list[Self], /) -> Self:
        """Put those of all parts together."""


class Sums(Protocol):
    """Counts over the attempts of a play; counts of parts of a log that share no player merge."""

    @classmethod
    def of(cls, play: Play, /) -> Self:
        """Count over a play."""

    @classmethod
    def merged(cls, parts: list[Self], /) -> Self:
        """Put those of all parts together."""


S = TypeVar("S", bound=Sums)
T = TypeVar("T", bound=Summary)
P = TypeVar("P", bound="Play")  # a play with or without its records, which stays what it is
Kinds = tuple[type[Summary], ...]  # what is counted: `Sums`, or summaries of records


@dataclass(frozen=True, eq=False, repr=False)
class About:
    """Facts on a whole log that was replayed.

    Attributes:
        inferred: whether the course's order was inferred.
        rules: the settings that it was replayed by.
        open_levels: per level of the course, whether there is no way to clear it yet.
        causes, layouts, ratings: their names, by their codes.
        tags: the names of the tags that records have.
        unknown_words: event words outside the list.
        debug_sessions: how many sessions were left out as debug.
        refused: how many records could not be read.
        exclusion: what is left out as suspect, if anything is.
    """

    inferred: bool
    rules: ReplayRules
    open_levels: Bools
    causes: list[str]
    layouts: list[str]
    ratings: list[str]
    tags: list[str]
    unknown_words: list[str]
    debug_sessions: int
    refused: int
    exclusion: Exclusion | None = None


class Summed(Protocol):
    """A replayed log as measures see it that need nothing but counts.

    Every play is one; so is what is left of a log that was too large for its attempts to be merged.
    """

    @property
    def stops(self) -> list[str]:
        """The names of all stops, the course's levels first."""

    @property
    def n_levels(self) -> int:
        """How many levels the course has."""

    @property
    def course(self) -> Course | None:
        """The course that it was replayed by, if one was given."""

    @property
    def about(self) -> About:
        """Return the facts on the whole log."""

    @property
    def conditions(self) -> tuple[str, ...]:
        """Conditions on attempts, in words, where only those that fit are looked at."""

    @property
    def per_run(self) -> bool:
        """Return whether numbers and first clears begin anew in each run."""

    def compute_once(self, make: Callable[[Self], V]) -> V:
        """Return a function's result, computed once; nobody may change it."""

    def compute_and_keep(self, name: str, make: Callable[[Self], V], *kinds: type) -> V:
        """Return a function's result, computed once, and kept if the play is kept; for what takes long and is small."""

    def sums(self, kind: type[S]) -> S:
        """Return a kind of counts over the attempts, computed once."""

    def summary(self, kind: type[T]) -> T:
        """Return a kind of summary of the records, computed once."""


@dataclass(eq=False, repr=False)
class Play(Memo):
    """A replayed log, which may have let its records go.

    Attributes:
        gated: the sessions as the gate let them through.
        attempts: the attempts.
        moves: the transitions with their kinds.
        end: per session, its end cause.
        endless: per session, whether its end was missing from the log.
        inferred: whether the course's order was inferred.
        rules: the settings that it was replayed by.
        summaries: what was made of the records already.
        conditions: those on attempts, in words, where only those that fit are looked at.
        units: per attempt, the run that it belongs to, where numbers and first clears begin anew in each run.
        before: the same log before anything was left out of it as suspect, where something is.
        replay_without: replays some of its sessions with something left out, where the play has let its records go.
        recall: gives what was made of the records when it was replayed another time, where that was kept; None where not.
        n_levels: the number of levels in the course; stops from there on have no place in it.
    """

    gated: Admitted
    attempts: AttemptTable
    moves: MoveTable
    end: Ends
    endless: Bools
    inferred: bool
    rules: ReplayRules
    summaries: dict[type, object] = field(default_factory=dict)
    conditions: tuple[str, ...] = ()
    units: Ints | None = None
    before: Play | None = None
    replay_without: Callable[[Exclusion, Bools], Play] | None = None
    recall: Callable[[type], object] | None = None

    @property
    def n_levels(self) -> int:
        """How many levels the course has."""
        return self.gated.stops.n_levels

    @property
    def course(self) -> Course | None:
        """The course that it was replayed by, if one was given."""
        return self.gated.course

    @property
    def stops(self) -> list[str]:
        """The names of all stops, the course's levels first."""
        return self.gated.stops.names

    @cached_property
    def about(self) -> About:
        """Return the facts on the whole log."""
        log = self.gated.log
        return About(
            self.inferred,
            self.rules,
            self.gated.open_levels,
            log.causes,
            log.layouts,
            log.ratings,
            list(log.tags),
            log.unknown_words,
            self.gated.debug_sessions,
            count_refused(log.refused),
            self.gated.exclusion,
        )

    @property
    def per_run(self) -> bool:
        """Return whether numbers and first clears begin anew in each run."""
        return self.units is not None

    @cached_property
    def counts(self) -> Bools:
        """Per player, whether it counts: it has an attempt in a level of the course."""
        tried = np.zeros(len(self.gated.players), np.bool_)
        tried[self.attempts.player[self.attempts.level < self.n_levels]] = True
        return tried

    def sums(self, kind: type[S]) -> S:
        """Return a kind of counts over the attempts, computed once.

        Args:
            kind: a class with ``of``, which counts over a play, and ``merged``, which puts the counts of several together.
        """
        return self.compute_once(kind.of)

    def summary(self, kind: type[T]) -> T:
        """Return a kind of summary of the records, computed once.

        Args:
            kind: a class with ``of``, which makes the summary of a play, and ``merged``, which puts several together.

        Raises:
            RecordsGoneError: it was not made before the records were freed.
        """
        return self._summarised(kind, kind.of)

    @property
    def around(self) -> AroundAttempts:
        """Return the openings and closings of the attempts."""
        return self._summarised(AroundAttempts, lambda full: around_attempts(full.gated, full.attempts))

    @property
    def session_times(self) -> SessionTimes:
        """When sessions begin and end."""
        return self._summarised(SessionTimes, lambda full: session_times(full.gated))

    def known_summary(self, kind: type[V]) -> V | None:
        """Return a summary that was computed already; None if there is none of the kind."""
        if kind not in self.summaries and self.recall is not None:
            self.summaries[kind] = self.recall(kind)
        return cast(V | None, self.summaries.get(kind))

    def _summarised(self, kind: type[V], make: Callable[[FullPlay], V]) -> V:
        summary = self.known_summary(kind)
        if summary is None:
            summary = make(with_records(self))
            self.summaries[kind] = summary
        return summary


@dataclass(eq=False, repr=False)
class FullPlay(Play):
    """A replayed log that still has its records, with every finding marked on them."""

    gated: Gated


def with_records(play: Play) -> FullPlay:
    """The play, for whoever looks at records one by one.

    Raises:
        RecordsGoneError: it has let them go.
    """
    if not isinstance(play, FullPlay):
        raise RecordsGoneError
    return play


def with_attempts(play: Summed) -> Play:
    """The play, for whoever looks at attempts one by one.

    Raises:
        AttemptsGoneError: only counts of it were kept.
    """
    if not isinstance(play, Play):
        raise AttemptsGoneError
    return play
