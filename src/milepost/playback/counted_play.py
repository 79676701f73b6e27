"""What is left of a replayed log of which only counts were put together, however many attempts it has."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Self, TypeVar, cast

from milepost.arrays import Bools
from milepost.course.course import Course
from milepost.errors import AttemptsGoneError
from milepost.gate.exclusion import Exclusion
from milepost.playback.play import Summary
from milepost.playback.summed import S
from milepost.rules import ReplayRules

T = TypeVar("T", bound=Summary)
V = TypeVar("V")


@dataclass
class CountedPlay:
    """A replayed log that knows the counts that were asked for; see `Summed`, one of which it is.

    Attributes:
        known: what was counted, by its kind.
    """

    stops: list[str]
    n_levels: int
    course: Course | None
    inferred: bool
    rules: ReplayRules
    open_levels: Bools
    causes: list[str]
    layouts: list[str]
    ratings: list[str]
    tags: list[str]
    debug_sessions: int
    refused: int
    unknown_words: list[str]
    known: dict[type, object]
    asked: tuple[str, ...] = ()
    per_run: bool = False
    exclusion: Exclusion | None = None
    _made: dict[object, object] = field(default_factory=dict, init=False, repr=False, compare=False)

    def once(self, make: Callable[[Self], V]) -> V:
        """What a function makes of it; made once, so nobody may change it."""
        if make not in self._made:
            self._made[make] = make(self)
        return cast(V, self._made[make])

    def lasting(self, _: str, make: Callable[[Self], V], *_kinds: type) -> V:
        """The same; nothing but the document is kept of it."""
        return self.once(make)

    def sums(self, kind: type[S]) -> S:
        """What was counted over the attempts.

        Raises:
            AttemptsGoneError: nothing of the kind was.
        """
        return cast(S, self._counted(kind))

    def summary(self, kind: type[T]) -> T:
        """What was counted over the records.

        Raises:
            AttemptsGoneError: nothing of the kind was.
        """
        return cast(T, self._counted(kind))

    def _counted(self, kind: type) -> object:
        if kind not in self.known:
            raise AttemptsGoneError
        return self.known[kind]
