"""The way of a log, from its files to a document; whoever joins reads this page first.

    read       files become records: columns, with numbers for names         `read_log`
    clean      which records are replayed, and what is found on the way       `clean`
    replay     records become attempts and moves                              `replay`
    count      attempts become counts, which add up over players              `count`
    add up     counts of blocks become those of the log                       `add_up`
    measure    counts become numbers with intervals                           `measured_document`
    document   numbers become one table of keys, for every form of output     `document_of`

A log is blocks of whole players. A small log is one block, of which records and attempts stay (`WholeLog`); a large one, or a
store, is many (`PartedLog`), of which counts stay, or attempts where a measure looks at these one by one. Each block is cleaned
and replayed alike; of many, names and clocks are surveyed beforehand (`survey`), and the order of the levels where no course
gives it (`levels_first_tried`); a log that is one block is cleaned and replayed at once by `replay_log`, which does the same.
The command line and the calls of a notebook go this one way.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

from milepost.audit.cautions import require_used
from milepost.cleaning.gate import Gated, drop_debug_sessions, judge_records
from milepost.cleaning.survey import Survey, survey_of
from milepost.logs.read import read
from milepost.measures.interface import CountingMeasure, table_of
from milepost.measures.times import use_clock
from milepost.playback.counted_play import count_per
from milepost.playback.replay import levels_in_play, replay_gated
from milepost.progress import SILENT
from milepost.reports.build_document import build_document, name_of_document, needs_of

if TYPE_CHECKING:
    from milepost.cleaning.selection import Exclusion
    from milepost.course.course import Course
    from milepost.logs.interface import Log
    from milepost.measures.interface import AnyMeasure, AnyTable, P
    from milepost.partitions.execution import LogRequest
    from milepost.playback.infer import Precedence
    from milepost.playback.play import FullPlay, Kinds, Play, Summed
    from milepost.progress import Progress
    from milepost.reports.head_types import Head
    from milepost.rules import ReplayRules

V = TypeVar("V")
Counts = dict[type, Any]  # by their kind


def read_log(asked: LogRequest, progress: Progress) -> Log:
    """Read a log as a whole.

    Raises:
        MilePostError: it cannot be read.
    """
    return read(asked.names, asked.log_map, progress, asked.options)


def survey(log: Log, rules: ReplayRules) -> Survey:
    """Count names and clocks in one block of many: what has to be known of the whole log before its records are judged."""
    return survey_of(log if rules.keep_debug else drop_debug_sessions(log)[0])


def clean(
    log: Log, course: Course | None, rules: ReplayRules, whole: Survey | None = None, exclusion: Exclusion | None = None
) -> Gated:
    """Judge every record of a block: what is replayed, in which order, and what is found on the way.

    Args:
        log: the block.
        course: the course, if one is given.
        rules: the replay's settings.
        whole: the survey of the whole log, where this is one block of many.
        exclusion: what is left out as suspect.
    """
    return judge_records(log, course, rules.keep_debug, whole, exclusion)


def levels_first_tried(gated: Gated, rules: ReplayRules) -> Precedence:
    """Return which levels the players of a block tried first, to infer the order of the levels from.

    Raises:
        LogError: there are more levels than an order can be inferred for.
    """
    return levels_in_play(gated, rules)


def replay(
    gated: Gated, rules: ReplayRules, order: list[int] | None, progress: Progress = SILENT, idle_cap: float | None = None
) -> FullPlay:
    """Replay a cleaned block, by its course or by an order of stops that was inferred.

    Args:
        gated: the block.
        rules: the replay's settings.
        order: the stops in the order that was inferred; None where there is a course.
        progress: told of the sessions replayed.
        idle_cap: seconds that a stretch without a record counts at most, where there is such a bound.
    """
    return _set_idle_cap(replay_gated(gated, rules, order, progress), idle_cap)


def _set_idle_cap(play: FullPlay, idle_cap: float | None) -> FullPlay:
    return play if idle_cap is None else use_clock(play, idle_cap=idle_cap)


def count(play: FullPlay, kinds: Kinds) -> Counts:
    """Count over a replayed block."""
    return {kind: kind.of(play) for kind in kinds}


def all_summaries() -> Kinds:
    """Return the kinds of summaries of records, which are made of every block before its records are freed."""
    from milepost.audit.promise_checks import Promises
    from milepost.audit.record_checks import Signs, Varying
    from milepost.comparison.changed import EventsAtLevels
    from milepost.measures.raw import RawCounts, RawTries
    from milepost.measures.section_passes import MarkedRecords
    from milepost.playback.runs import RunMarks
    from milepost.playback.tallies import Tallies

    return Tallies, RunMarks, RawTries, RawCounts, MarkedRecords, Promises, Signs, Varying, EventsAtLevels


def add_up(blocks: Sequence[Counts], kinds: Kinds) -> Counts:
    """Add the counts of blocks up."""
    return {kind: kind.merged([counts[kind] for counts in blocks]) for kind in kinds}


def measured_document(play: P, command: str, measure: Callable[[P], AnyTable]) -> Head:
    """Measure a play, or what was counted of it, and return the command's document: a row a level, totals, and the head."""
    return build_document(command, play, table_of(play, measure))


class Replayable(Protocol):
    """A log that was opened, of which a function's result is asked."""

    def compute(self, name: str | None, make: Callable[[Play], V]) -> V:
        """Return a function's result on the replayed log."""

    def compute_from_counts(self, name: str | None, make: Callable[[Summed], V], kinds: Kinds) -> V:
        """Return a function's result on counts over the log."""


def document_of(log: Replayable, command: str, measure: AnyMeasure, per: str = "player") -> Head:
    """Return the document of a measure on a log; where it needs nothing but counts, no more is asked for.

    Args:
        log: the log.
        command: the command that the document is of.
        measure: what is measured.
        per: whether it is counted per `player` or per `run`.

    Raises:
        MilePostError: the log cannot be read, no record of it could be used, or the measure has nothing to go by.
    """
    name = name_of_document(command, measure, per)
    if isinstance(measure, CountingMeasure) and per == "player":
        counting: CountingMeasure = measure

        def counted(play: Summed) -> Head:
            require_used(play)
            return measured_document(play, command, counting)

        return log.compute_from_counts(name, counted, needs_of([counting]))

    def made(play: Play) -> Head:
        require_used(play)
        return measured_document(count_per(play, per), command, measure)

    return log.compute(name, made)
