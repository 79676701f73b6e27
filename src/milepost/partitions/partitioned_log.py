"""A log that is replayed part by part, on as many workers as there are: the same play as of the whole log."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, reduce
from operator import add, or_
from typing import Final

import numpy as np

from milepost import engine
from milepost.arrays import Bools, Ints
from milepost.cleaning.gate import drop_debug_sessions, open_levels
from milepost.cleaning.names import Stops, gather
from milepost.cleaning.selection import Condition, Exclusion, keep_sessions, require_any, require_known
from milepost.cleaning.survey import Survey
from milepost.logs.interface import BareLog, count_refused
from milepost.memory import give_back_now
from milepost.partitions.executors import Workers
from milepost.partitions.merging import merge_plays
from milepost.partitions.tasks import Part, PartRequest, hits_of_part, levels_of_part, play_part, replay_part, survey_part
from milepost.playback.counted_play import CountedPlay
from milepost.playback.infer import infer_order
from milepost.playback.play import About, Kinds, Play
from milepost.playback.replay import MOST_RECORDS, require_few
from milepost.progress import SILENT, Progress


@dataclass(frozen=True, eq=False, repr=False)
class PartedLog:
    """A log in parts.

    Attributes:
        parts: its parts, which share no player and no session.
        bare: gives the log without its records.
        names: gives the log without its sessions as well, where it is not there already.
        records: how many it has that could be read.
    """

    parts: Sequence[Part]
    bare: Callable[[], BareLog]
    names: Callable[[], BareLog]
    records: int

    @cached_property
    def log(self) -> BareLog:
        """The log without its records."""
        return self.bare()

    def fitting(self, conditions: tuple[Condition, ...], workers: Workers) -> Bools | None:
        """Per session, whether it fits all conditions; None without any.

        Raises:
            UsageError: no session fits, or a condition is on a key that the log does not have.
        """
        if not conditions:
            return None
        kept, log = np.ones(len(self.log.sessions.name), np.bool_), self.log
        for condition in conditions:
            require_known(condition, log)
            fits = self._hits(condition, workers)[kept] if condition.of_records else condition.fits_session(log)
            require_any(fits, condition, log)
            kept[kept] = fits
            log = keep_sessions(log, fits)
        return kept

    def _hits(self, condition: Condition, workers: Workers) -> Bools:
        hits = workers.map(hits_of_part, [(part, condition) for part in self.parts], SILENT)
        return condition.judged(reduce(or_, hits))

    def play(self, wanted: PartRequest, workers: Workers, progress: Progress = SILENT, last: bool = False) -> Play:
        """Replay what is wanted of it: survey all parts, replay each, and put them together.

        Args:
            wanted: what is wanted.
            workers: who does it.
            progress: told of each step.
            last: whether nobody will have it replayed after that, but for some players of a small log.

        Raises:
            LogError: the store is damaged, or no course is given and there are too many levels to infer their order.
        """
        log = wanted.of(self.log)
        log, debug_sessions = (log, 0) if wanted.rules.keep_debug else drop_debug_sessions(log)
        survey, order = self._surveyed(wanted, False, log, workers, progress)
        played = workers.map(play_part, [(part, wanted, survey, order) for part in self.parts], progress)
        if last and survey.records > MOST_RECORDS:
            self._free()
        give_back_now()
        play = merge_plays(played, log, debug_sessions, wanted)
        return replace(
            play, replay_without=lambda exclusion, sessions: self.play(self.once_more(wanted, exclusion, sessions), workers)
        )

    def count_parts(self, wanted: PartRequest, kinds: Kinds, workers: Workers, progress: Progress = SILENT) -> CountedPlay:
        """Replay what is wanted of it, count, and keep nothing else; nobody will have it replayed after that.

        Args:
            wanted: what is wanted.
            kinds: what is counted.
            workers: who does it.
            progress: told of each step.

        Raises:
            LogError: the store is damaged, or no course is given and there are too many levels to infer their order.
        """
        log = self.names()
        survey, order = self._surveyed(wanted, True, log, workers, progress)
        inputs: list[tuple[object, ...]] = [(part, wanted, survey, order, kinds) for part in self.parts]
        together = count_together(workers.run_each(count_part, inputs, progress), kinds)
        self._free()
        give_back_now()
        stops, course = together.stops, wanted.course
        about = About(
            course is None,
            wanted.rules,
            open_levels(course, stops),
            log.causes,
            log.layouts,
            log.ratings,
            list(log.tags),
            log.unknown_words,
            together.debug_sessions,
            count_refused(log.refused) - together.refused_gone,
        )
        known = course.with_levels(stops.names[len(course.levels) : stops.n_levels]) if course else None
        return CountedPlay(stops.names, stops.n_levels, known, about, together.counts)

    def _surveyed(
        self, wanted: PartRequest, alone: bool, log: BareLog, workers: Workers, progress: Progress
    ) -> tuple[Survey, list[int] | None]:
        """Return the survey of the whole log, and the order of the levels if no course is given."""
        progress.step("surveying parts", len(self.parts))
        survey: Survey = reduce(add, workers.map(survey_part, [(part, wanted, alone) for part in self.parts], progress))
        order = None
        if wanted.course is None:
            progress.step("inferring the order of the levels", len(self.parts))
            inputs: list[tuple[object, ...]] = [(part, wanted, alone, survey) for part in self.parts]
            seen = reduce(add, workers.map(levels_of_part, inputs, progress))
            require_few(seen.levels, log)
            order = infer_order(seen, gather(log.stops, survey.names).names)
        progress.step("replaying parts", len(self.parts))
        return survey, order

    def _free(self) -> None:
        for part in self.parts:
            part.free()

    def once_more(self, wanted: PartRequest, exclusion: Exclusion, sessions: Bools) -> PartRequest:
        """Replay some sessions of a play again with an exclusion, without summaries of their records."""
        kept = np.zeros(len(self.log.sessions.name), np.bool_)
        kept[self._numbers_of(wanted)[sessions]] = True
        return replace(wanted, kept=kept, exclusion=exclusion, summarised=False)

    def _numbers_of(self, wanted: PartRequest) -> Ints:
        """Per session of a play, its number in the log."""
        numbers = np.arange(len(self.log.sessions.name))
        numbers = numbers if wanted.kept is None else numbers[wanted.kept]
        debug = np.array(self.log.sessions.debug, dtype=np.bool_)[numbers]
        return numbers if wanted.rules.keep_debug else numbers[~debug]


_AT_ONCE: Final = 16  # parts whose counts wait to be merged


@dataclass(frozen=True, eq=False, repr=False)
class CountedPart:
    """Counts over a part.

    Attributes:
        stops: what its names stand for.
        counts: by their kind.
        debug_sessions: how many were left out.
        refused_gone: how many records that could not be read are of sessions that were left out.
    """

    stops: Stops
    counts: engine.Counts
    debug_sessions: int
    refused_gone: int


def count_part(part: Part, wanted: PartRequest, survey: Survey, order: list[int] | None, kinds: Kinds) -> CountedPart:
    """Replay a part, count over it, and let its records and attempts go."""
    log = part.by_itself()
    play = replay_part(wanted.of(log), wanted, survey, order)
    return CountedPart(
        play.gated.stops, engine.count(play, kinds), play.about.debug_sessions, count_refused(log.refused) - play.about.refused
    )


def count_together(parts: Iterable[CountedPart], kinds: Kinds) -> CountedPart:
    """The counts over all parts, of which few wait at a time."""
    waiting: list[CountedPart] = []
    for part in parts:
        waiting.append(part)
        if len(waiting) == _AT_ONCE:
            waiting = [_together(waiting, kinds)]
    return _together(waiting, kinds)


def _together(parts: list[CountedPart], kinds: Kinds) -> CountedPart:
    return CountedPart(
        parts[0].stops,
        engine.add_up([part.counts for part in parts], kinds),
        sum(part.debug_sessions for part in parts),
        sum(part.refused_gone for part in parts),
    )
