"""A replayed log with counts only, however many attempts it has."""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

from milepost.course.course import Course
from milepost.errors import AttemptsGoneError
from milepost.playback.memo import Lasting
from milepost.playback.play import About, S, T


@dataclass
class CountedPlay(Lasting):
    """A replayed log that knows the counts that were asked for; see `Summed`, one of which it is.

    Attributes:
        known: what was counted, by its kind.
    """

    stops: list[str]
    n_levels: int
    course: Course | None
    about: About
    known: dict[type, object]
    asked: tuple[str, ...] = ()
    per_run: bool = False

    def sums(self, kind: type[S]) -> S:
        """Return the counts over the attempts.

        Raises:
            AttemptsGoneError: nothing of the kind was.
        """
        return cast(S, self._counted(kind))

    def summary(self, kind: type[T]) -> T:
        """Return the counts over the records.

        Raises:
            AttemptsGoneError: nothing of the kind was.
        """
        return cast(T, self._counted(kind))

    def _counted(self, kind: type) -> object:
        if kind not in self.known:
            raise AttemptsGoneError
        return self.known[kind]
