"""A replayed log as measures see it that are made of counts: its names and rules, and counts that add up over players.

Every play is one; so is what is left of a log that was too large for its attempts to be put together.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol, Self, TypeVar

if TYPE_CHECKING:
    from milepost.arrays import Bools
    from milepost.course.course import Course
    from milepost.gate.exclusion import Exclusion
    from milepost.playback.play import Play, Summary
    from milepost.rules import ReplayRules


class Sums(Protocol):
    """What is counted over the attempts of a play; counts of parts of a log that share no player merge."""

    @classmethod
    def of(cls, play: Play, /) -> Self:
        """Count over a play."""

    @classmethod
    def merged(cls, parts: list[Self], /) -> Self:
        """Put those of all parts together."""


S = TypeVar("S", bound=Sums)
T = TypeVar("T", bound="Summary")
V = TypeVar("V")
Kinds = tuple["type[Summary]", ...]  # what is counted: `Sums`, or summaries of records


class Summed(Protocol):
    """What every replayed log can be asked."""

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
    def inferred(self) -> bool:
        """Whether the course's order was inferred."""

    @property
    def rules(self) -> ReplayRules:
        """The settings that it was replayed by."""

    @property
    def asked(self) -> tuple[str, ...]:
        """Conditions on attempts, in words, where only those that fit are looked at."""

    @property
    def per_run(self) -> bool:
        """Whether numbers and first clears begin anew in each run."""

    @property
    def open_levels(self) -> Bools:
        """Per level of the course, whether there is no way to clear it yet."""

    @property
    def causes(self) -> list[str]:
        """The names of causes, by their codes."""

    @property
    def layouts(self) -> list[str]:
        """The names of layouts, by their codes."""

    @property
    def ratings(self) -> list[str]:
        """The names of ratings, by their codes."""

    @property
    def tags(self) -> list[str]:
        """The names of the tags that records have."""

    @property
    def debug_sessions(self) -> int:
        """How many sessions were left out as debug."""

    @property
    def exclusion(self) -> Exclusion | None:
        """What is left out as suspect, if anything is."""

    @property
    def refused(self) -> int:
        """How many records could not be read."""

    @property
    def unknown_words(self) -> list[str]:
        """Event words outside the list."""

    def once(self, make: Callable[[Self], V]) -> V:
        """What a function makes of it; made once, so nobody may change it."""

    def lasting(self, name: str, make: Callable[[Self], V], *kinds: type) -> V:
        """The same for what takes long and is small, kept where the play is kept."""

    def sums(self, kind: type[S]) -> S:
        """What is counted over the attempts, each once."""

    def summary(self, kind: type[T]) -> T:
        """What a kind of summary says of the records, each made once."""
