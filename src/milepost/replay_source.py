"""The interface of a log that is opened to be replayed: as a whole, in parts, or from what was kept of it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol, Self, TypeVar

if TYPE_CHECKING:
    from collections.abc import Callable

    from milepost.arrays import Bools
    from milepost.cleaning.selection import Exclusion
    from milepost.cleaning.splitting import Split
    from milepost.course.course import Course
    from milepost.logs.interface import BareLog
    from milepost.playback.play import Kinds, Play, Summed

V = TypeVar("V")


class ReplaySource(Protocol):
    """A log with what it takes to replay it, with or without what is left out as suspect."""

    @property
    def course(self) -> Course | None:
        """The course, if one is given."""

    def play(self, exclusion: Exclusion | None = None, last: bool = False) -> Play:
        """Replay it; what is held in memory may be freed where nobody will have it replayed after that."""

    def grouped(self, key: str, exclusion: Exclusion | None = None) -> list[tuple[str | None, Play]]:
        """Replay each group of sessions by itself, as if the log held only those."""

    def sides(self, split: Split, exclusion: Exclusion | None = None) -> tuple[Play, Play]:
        """Replay two groups of sessions, each by itself and by its own course."""

    def made(self, name: str, make: Callable[[Play], V]) -> V:
        """Return a function's result on the replayed log: plain values, kept under the name if plays are kept."""

    def counted(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts over the log, which is not needed otherwise.

        Args:
            name: tells the function from any other, where it makes plain values; None where nothing does.
            make: the function.
            kinds: what it needs counted.
        """

    def some(self, exclusion: Exclusion, sessions: Bools) -> Play:
        """Replay some sessions, as if the log held only those, with something left out."""

    @property
    def sessions(self) -> BareLog:
        """The log, of which only the sessions may be asked."""

    def without_names(self) -> Self:
        """Return the log with pseudonyms for people."""

    def without_idle(self, cap: float | None) -> Self:
        """Return the log with a bound on how many seconds a stretch without a record counts in an attempt."""
