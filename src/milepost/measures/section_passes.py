"""Which marks inside a level each attempt passes, and when: the marks of checkpoints and openings, or their progress."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Final, NamedTuple

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.logs.interface import ABSENT
from milepost.numerics.whole_numbers import stable_order
from milepost.playback.infer import infer_order, precedence
from milepost.playback.play import FullPlay, Play, summary
from milepost.vocabulary import BIT, CHECKPOINT, DROPPED, PAUSE, RESUME, RETRY, START

_OPENINGS: Final = (START, RETRY)
_TELLING: Final = (CHECKPOINT, *_OPENINGS)  # events that may say a mark, or how far an attempt is
_UNUSED: Final = DROPPED | BIT["no_effect"]
_MOST_VALUES: Final = 12  # different values of progress that are marks by themselves
_EQUAL: Final = 1e-9
_TENTHS: Final = 10


@summary
@dataclass(frozen=True)
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
        columns = {own.name: np.concatenate([getattr(part, own.name) for part in parts]) for own in fields(cls)}
        order = stable_order(columns["session"])
        return cls(**{name: column[order] for name, column in columns.items()})


class Pass(NamedTuple):
    """A mark that an attempt passed: its number in the level, and the active second of the attempt at which it did."""

    mark: int
    second: float


class AttemptPasses(NamedTuple):
    """What an attempt passed.

    Attributes:
        row: the attempt.
        opens_at: the section that it opens in.
        seen: numbers of all marks that it has a record of.
        passes: the marks that it passed before any later one, in order.
        furthest: the section that it was in at last, clears aside.
    """

    row: int
    opens_at: int
    seen: frozenset[int]
    passes: tuple[Pass, ...]
    furthest: int


class _Raw(NamedTuple):
    """What a record of an attempt says of marks: the code of a mark, its progress, the active second, whether it opens."""

    mark: int
    progress: float
    second: float
    opens: bool


@dataclass(frozen=True)
class LevelMarks:
    """The marks of a level, in order, with what each attempt passed.

    Attributes:
        names: the marks: names, or values of progress.
        passes: of each attempt.
        unknown: marks of the log that the course does not have there, with how often each came.
    """

    names: tuple[str | float, ...]
    passes: tuple[AttemptPasses, ...]
    unknown: Mapping[str, int]


def marks_of_levels(play: Play, rows: Ints) -> dict[int, LevelMarks]:
    """Return the marks of each level, and what attempts passed.

    Args:
        play: the play.
        rows: the attempts that are looked at, first-clear ones as a rule.
    """
    raw = _raw_marks(play, rows)
    names = play.gated.log.tags.get("mark", [])
    by_level: dict[int, list[int]] = {}
    for row in rows.tolist():
        level = int(play.attempts.level[row])
        if level < play.n_levels:
            by_level.setdefault(level, []).append(row)
    levels = play.course.levels if play.course is not None and len(play.course.levels) == play.n_levels else None
    return {
        level: _marks_of_level(own, raw, names, levels[level].marks if levels is not None else ())
        for level, own in by_level.items()
    }


def _raw_marks(play: Play, rows: Ints) -> dict[int, list[_Raw]]:
    """Per attempt, what its opening and its checkpoints say, in the order of play."""
    records, table, gated = play.summary(MarkedRecords), play.attempts, play.gated
    width = int(max(gated.bounds[-1] if len(gated.bounds) else 0, 1)) + 1
    keys = records.session * width + records.place
    session = table.session[rows]
    opened, closed = table.opened_at[rows] - gated.bounds[session], table.closed_at[rows] - gated.bounds[session]
    firsts = np.searchsorted(keys, session * width + opened)
    lasts = np.searchsorted(keys, session * width + closed, side="right")
    found = {}
    for row, first, last, begin in zip(rows.tolist(), firsts.tolist(), lasts.tolist(), opened.tolist(), strict=True):
        if last > first:
            found[row] = list(_told(play, records, row, range(first, last), begin))
    return found


def _told(play: Play, records: MarkedRecords, row: int, places: range, begin: int) -> Iterator[_Raw]:
    """Yield what the records of one attempt say; pauses are taken out of its seconds."""
    level, opened = int(play.attempts.level[row]), float(play.attempts.opened[row])
    paused, since = 0.0, None
    for n in places:
        event, time = int(records.event[n]), float(records.time[n])
        own = int(records.level[n])
        if event in _OPENINGS:
            if int(records.place[n]) == begin and own == level:
                yield _Raw(int(records.mark[n]), float(records.progress[n]), 0.0, True)
        elif own not in (level, ABSENT):
            continue
        elif event == PAUSE:
            since = time if since is None else since
        elif event == RESUME:
            paused += 0.0 if since is None else max(0.0, time - since)
            since = None
        else:
            running = paused + (0.0 if since is None else max(0.0, time - since))
            yield _Raw(int(records.mark[n]), float(records.progress[n]), max(0.0, time - opened - running), False)


def _marks_of_level(
    rows: Sequence[int], raw: Mapping[int, list[_Raw]], names: Sequence[str], declared: Sequence[str]
) -> LevelMarks:
    unknown: dict[str, int] = {}
    codes = [[(names[told.mark] if told.mark >= 0 else None) for told in raw.get(row, ())] for row in rows]
    if declared:
        for name in (name for own in codes for name in own if name is not None and name not in declared):
            unknown[name] = unknown.get(name, 0) + 1
        order: list[str | float] = list(declared)
    else:
        order = list(_inferred(codes))
    if order:
        number = {name: place for place, name in enumerate(order, 1)}
        numbers = {
            row: [number.get(name, 0) if name is not None else 0 for name in own] for row, own in zip(rows, codes, strict=True)
        }
    else:
        order, numbers = _by_progress(rows, raw)
    passes = tuple(_passes(row, raw.get(row, ()), numbers.get(row, ())) for row in rows)
    return LevelMarks(tuple(order), passes, unknown)


def _inferred(codes: Sequence[Sequence[str | None]]) -> list[str]:
    """The marks in the order in which attempts passed them first."""
    known: dict[str, int] = {}
    attempt, mark = [], []
    for number, own in enumerate(codes):
        for name in own:
            if name is not None:
                attempt.append(number)
                mark.append(known.setdefault(name, len(known)))
    listed = list(known)
    order = infer_order(precedence(np.array(attempt, np.int64), np.array(mark, np.int64)), listed)
    return [listed[code] for code in order]


def _by_progress(rows: Sequence[int], raw: Mapping[int, list[_Raw]]) -> tuple[list[str | float], dict[int, list[int]]]:
    """Values of progress as marks: the different ones, or tenths where these are many; and per attempt the marks' numbers."""
    said = sorted(told.progress for row in rows for told in raw.get(row, ()) if told.progress > 0)
    values: list[float] = []
    for value in said:
        if not values or value > values[-1] + _EQUAL:
            values.append(value)
    tenths = len(values) > _MOST_VALUES
    marks = [tenth / _TENTHS for tenth in range(1, _TENTHS)] if tenths else values
    edges = np.array(marks) - _EQUAL
    numbers = {
        row: [int(np.searchsorted(edges, told.progress, side="right")) if told.progress > 0 else 0 for told in raw.get(row, ())]
        for row in rows
    }
    return list(marks), numbers


def _passes(row: int, raw: Sequence[_Raw], numbers: Sequence[int]) -> AttemptPasses:
    opens_at = next((number for told, number in zip(raw, numbers, strict=True) if told.opens), 0)
    furthest, passes = opens_at, []
    for told, number in zip(raw, numbers, strict=True):
        if number > furthest and not told.opens:
            furthest = number
            passes.append(Pass(number, told.second))
    return AttemptPasses(row, opens_at, frozenset(numbers) - {0}, tuple(passes), furthest)
