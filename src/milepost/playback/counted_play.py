"""A replayed log with counts only, however many attempts it has."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import cast

from milepost.course.course import Course
from milepost.errors import AttemptsGoneError, unknown_word
from milepost.playback.attempt_tables import number_tries
from milepost.playback.play import About, Memo, Play, S, T
from milepost.playback.runs import find_runs
from milepost.vocabulary import CLEARED


@dataclass(eq=False, repr=False)
class CountedPlay(Memo):
    """A replayed log that knows the counts that were asked for; see `Summed`, one of which it is.

    Attributes:
        known: what was counted, by its kind.
    """

    stops: list[str]
    n_levels: int
    course: Course | None
    about: About
    summaries: dict[type, object]
    conditions: tuple[str, ...] = ()
    per_run: bool = False

    def sums(self, kind: type[S]) -> S:
        """Return the counts over the attempts.

        Raises:
            AttemptsGoneError: nothing of the kind was.
        """
        return cast(S, self._count_once(kind))

    def summary(self, kind: type[T]) -> T:
        """Return the counts over the records.

        Raises:
            AttemptsGoneError: nothing of the kind was.
        """
        return cast(T, self._count_once(kind))

    def _count_once(self, kind: type) -> object:
        if kind not in self.summaries:
            raise AttemptsGoneError
        return self.summaries[kind]


def count_per(play: Play, per: str) -> Play:
    """The play counted per `player`, as it is, or per `run`.

    Raises:
        UsageError: it is to be counted per something else.
    """
    if per not in ("player", "run"):
        raise unknown_word("per", per, ("player", "run"))
    if per == "player":
        return play
    table, run = play.attempts, find_runs(play).of_attempt
    number, rerun = number_tries(run, table.level, table.ended(CLEARED), table.void)
    return replace(play, attempts=replace(table, number=number, rerun=rerun), units=run, summaries=dict(play.summaries))
