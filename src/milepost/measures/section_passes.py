"""Which marks inside a level each attempt passes, and when: the marks of checkpoints and openings, or their progress."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.logs.interface import ABSENT
from milepost.numerics.whole_numbers import count_values, distinct, is_among, number_values, stable_order
from milepost.playback.infer import count_precedence, infer_order
from milepost.playback.play import FullPlay, Play
from milepost.vocabulary import BIT, CHECKPOINT, DROPPED, PAUSE, RESUME, RETRY, START

_OPENINGS: Final = (START, RETRY)
_TELLING: Final = (CHECKPOINT, *_OPENINGS)  # events that may say a mark, or how far an attempt is
_UNUSED: Final = DROPPED | BIT["no_effect"]
_MOST_VALUES: Final = 12  # different values of progress that are marks by themselves
_EQUAL: Final = 1e-9
_TENTHS: Final = 10


@dataclass(frozen=True, eq=False, repr=False)
class MarkedRecords:
    """Records that say how far an attempt is, checkpoints and openings, and pauses and resumes; columns of one length.

    Attributes:
        session: its number in the whole log.
        place: its place among the session's records, in the order of replay.
        event: what it is.
        level: its stop; ABSENT where none is named.
        time: seconds since the session's first record.
        progress: NaN where none was logged.
        mark: the code of its `mark` among the log's values of that tag; ABSENT where it has none.
    """

    session: Ints
    place: Ints
    event: Ints
    level: Ints
    time: Floats
    progress: Floats
    mark: Ints

    @classmethod
    def of(cls, play: FullPlay) -> MarkedRecords:
        """Look through a play's records."""
        gated, records = play.gated, play.gated.log.records
        event = records.event[gated.order]
        tag = records.tags.get("mark")
        says = records.progress > 0
        says |= np.zeros(len(records), np.bool_) if tag is None else tag >= 0
        kept = np.isin(event, (PAUSE, RESUME)) | (np.isin(event, _TELLING) & says[gated.order])
        at = np.flatnonzero(kept & (records.marks[gated.order] & _UNUSED == 0))
        rows = gated.order[at]
        session = records.session[rows]
        mark = np.full(len(rows), ABSENT, np.int64) if tag is None else tag[rows].astype(np.int64)
        level = np.asarray(gated.level[rows], np.int64)
        place = at - gated.bounds[session]
        return cls(session, place, event[at].astype(np.int64), level, records.time[rows], records.progress[rows], mark)

    @classmethod
    def merged(cls, parts: list[MarkedRecords]) -> MarkedRecords:
        """Return the records of a log's parts, by session."""
        columns = {column.name: np.concatenate([getattr(part, column.name) for part in parts]) for column in fields(cls)}
        order = stable_order(columns["session"])
        return cls(**{name: column[order] for name, column in columns.items()})


@dataclass(frozen=True, eq=False, repr=False)
class _Told:
    """What the records of some attempts say of marks, in the order of play; columns of one length.

    Attributes:
        attempt: the place of the attempt among those that are looked at.
        mark: the code of the mark.
        progress: how far the attempt was.
        second: the active second of the attempt.
        opens: whether the record opened the attempt.
    """

    attempt: Ints
    mark: Ints
    progress: Floats
    second: Floats
    opens: Bools

    def of(self, rows: Bools | Ints) -> _Told:
        """Return some of it."""
        return _Told(**{name: column[rows] for name, column in vars(self).items()})


@dataclass(frozen=True, eq=False, repr=False)
class LevelMarks:
    """The marks of a level, in order, with what each attempt passed.

    Attributes:
        names: the marks: names, or values of progress.
        rows: the attempts, as rows of the table.
        opens_at: per attempt, the section that it opens in.
        furthest: per attempt, the section that it was in at last, clears aside.
        seen: keys (``key``) of the marks that an attempt has a record of, rising.
        passed: keys of the marks that an attempt passed before any later one, and of the one that it opens at, rising.
        seconds: per one of ``passed``, the active second of the attempt at which it did.
        unknown: marks of the log that the course does not have there, with how often each came.
    """

    names: tuple[str | float, ...]
    rows: Ints
    opens_at: Ints
    furthest: Ints
    seen: Ints
    passed: Ints
    seconds: Floats
    unknown: Mapping[str, int]

    def key(self, attempt: Ints, mark: Ints | int) -> Ints:
        """Return a number for an attempt, by its place in ``rows``, and a mark, that sorts by attempt first."""
        return attempt * (len(self.names) + 2) + mark


def marks_of_levels(play: Play, rows: Ints) -> dict[int, LevelMarks]:
    """Return the marks of each level, and what attempts passed.

    Args:
        play: the play.
        rows: the attempts that are looked at, first-clear ones as a rule; rising.
    """
    level = play.attempts.level[rows]
    mentions = _read_mentions(play, rows)
    names = play.gated.log.tags.get("mark", [])
    levels = play.course.levels if play.course is not None and len(play.course.levels) == play.n_levels else None
    by_level, told_by_level = stable_order(level), stable_order(level[mentions.attempt])
    attempts_at, told_at = level[by_level], level[mentions.attempt][told_by_level]
    place = np.zeros(len(rows), np.int64)
    marks = {}
    for number in distinct(level[level < play.n_levels]).tolist():
        of_level = by_level[slice(*np.searchsorted(attempts_at, (number, number + 1)))]
        place[of_level] = np.arange(len(of_level))
        marked = mentions.of(told_by_level[slice(*np.searchsorted(told_at, (number, number + 1)))])
        marked = replace(marked, attempt=place[marked.attempt])
        marks[number] = _marks_of_level(rows[of_level], marked, names, levels[number].marks if levels is not None else ())
    return marks


def _read_mentions(play: Play, rows: Ints) -> _Told:
    """Return what openings and checkpoints of attempts say; pauses are taken out of their seconds."""
    records, table, gated = play.summary(MarkedRecords), play.attempts, play.gated
    width = int(max(gated.bounds[-1] if len(gated.bounds) else 0, 1)) + 1
    keys = records.session * width + records.place
    session = table.session[rows]
    opened, closed = table.opened_at[rows] - gated.bounds[session], table.closed_at[rows] - gated.bounds[session]
    first = np.searchsorted(keys, session * width + opened)
    count = np.searchsorted(keys, session * width + closed, side="right") - first
    attempt = np.repeat(np.arange(len(rows)), count)
    at = np.arange(len(attempt)) - np.repeat(np.cumsum(count) - count, count) + first[attempt]
    event, level, time = records.event[at], records.level[at], records.time[at]
    attempt_level = table.level[rows][attempt]
    opens = is_among(event, _OPENINGS) & (records.place[at] == opened[attempt]) & (level == attempt_level)
    inside = ~is_among(event, _OPENINGS) & ((level == attempt_level) | (level == ABSENT))
    paused = _paused(attempt, time, np.where(inside, event, ABSENT))
    second = np.where(opens, 0.0, np.maximum(0.0, time - table.opened[rows][attempt] - paused))
    says = opens | (inside & ~is_among(event, (PAUSE, RESUME)))
    return _Told(attempt, records.mark[at], records.progress[at], second, opens).of(says)


def _paused(attempt: Ints, time: Floats, event: Ints) -> Floats:
    """Return how many seconds each record's attempt had been paused before it; a resume without a pause is none."""
    halts = np.flatnonzero(is_among(event, (PAUSE, RESUME)))
    paused = np.zeros(len(attempt))
    if not len(halts):
        return paused
    repeated = (np.diff(attempt[halts], prepend=-1) == 0) & (np.diff(event[halts], prepend=-1) == 0)
    halts = halts[~repeated]
    alone = (event[halts] == RESUME) & (np.diff(attempt[halts], prepend=-1) != 0)
    halts = halts[~alone]
    resumed = event[halts] == RESUME
    lasted = np.where(resumed, np.maximum(0.0, np.diff(time[halts], prepend=0.0)), 0.0)
    new = np.diff(attempt[halts], prepend=-1) != 0
    total = np.cumsum(lasted)
    total -= np.maximum.accumulate(np.where(new, total - lasted, 0.0))
    last = np.searchsorted(halts, np.arange(len(attempt)), side="right") - 1
    while_paused = (
        np.flatnonzero((last >= 0) & (attempt[halts[np.maximum(last, 0)]] == attempt)) if len(halts) else np.zeros(0, np.int64)
    )
    before = last[while_paused]
    running = np.where(resumed[before], 0.0, np.maximum(0.0, time[while_paused] - time[halts[before]]))
    paused[while_paused] = total[before] + running
    return paused


def _marks_of_level(rows: Ints, mentions: _Told, names: Sequence[str], declared: Sequence[str]) -> LevelMarks:
    order: tuple[str | float, ...]
    named = mentions.mark >= 0
    unknown: dict[str, int] = {}
    if declared or named.any():
        if declared:
            codes, counts = count_values(mentions.mark[named])
            unknown = {names[code]: count for code, count in zip(codes.tolist(), counts.tolist(), strict=True)}
            unknown = {name: count for name, count in unknown.items() if name not in declared}
        order = tuple(declared) or tuple(_inferred(mentions.attempt[named], mentions.mark[named], names))
        number_of = {name: number for number, name in enumerate(order, 1)}
        numbers = np.array([*(number_of.get(name, 0) for name in names), 0], np.int64)[mentions.mark]
    else:
        order, numbers = _mark_progress(mentions.progress)
    return _passes(replace(NO_MARKS, names=order, rows=rows, unknown=unknown), mentions, numbers)


def _inferred(attempt: Ints, mark: Ints, names: Sequence[str]) -> list[str]:
    """The marks in the order in which attempts passed them first."""
    codes, number = number_values(mark)
    listed = [names[code] for code in codes.tolist()]
    return [listed[code] for code in infer_order(count_precedence(attempt, number), listed)]


def _mark_progress(progress: Floats) -> tuple[tuple[float, ...], Ints]:
    """Values of progress as marks: the different ones, or tenths where these are many; and the number of each record's."""
    with_progress = progress > 0
    values: list[float] = []
    for value in np.unique(progress[with_progress]).tolist():
        if not values or value > values[-1] + _EQUAL:
            values.append(value)
        if len(values) > _MOST_VALUES:
            values = [tenth / _TENTHS for tenth in range(1, _TENTHS)]
            break
    numbers = np.zeros(len(progress), np.int64)
    numbers[with_progress] = np.searchsorted(np.array(values) - _EQUAL, progress[with_progress], side="right")
    return tuple(values), numbers


_NONE: Final = np.zeros(0, np.int64)
NO_MARKS: Final = LevelMarks((), _NONE, _NONE, _NONE, _NONE, _NONE, np.zeros(0), {})


def _passes(marks: LevelMarks, mentions: _Told, numbers: Ints) -> LevelMarks:
    """Fill in what each attempt passed, from the numbers of the marks that its records say."""
    opens_at, furthest = np.zeros(len(marks.rows), np.int64), np.zeros(len(marks.rows), np.int64)
    opens_at[mentions.attempt[mentions.opens]] = numbers[mentions.opens]
    keys = marks.key(mentions.attempt, numbers)
    least = marks.key(mentions.attempt, 0)
    most = np.maximum.accumulate(keys) if len(keys) else keys  # rises from attempt to attempt
    before = np.maximum(least, np.append(least[:1], most[:-1]))
    passes = ~mentions.opens & (keys > before)
    np.maximum.at(furthest, mentions.attempt, most - least)
    at_opening = marks.key(np.arange(len(marks.rows)), opens_at)
    passed = np.concatenate((at_opening, keys[passes]))
    order = stable_order(passed)
    seconds = np.concatenate((np.zeros(len(at_opening)), mentions.second[passes]))[order]
    seen = distinct(keys[numbers > 0])
    return replace(marks, opens_at=opens_at, furthest=furthest, seen=seen, passed=passed[order], seconds=seconds)
