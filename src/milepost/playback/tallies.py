"""Counts over all records of a log; those of parts of a log add up to those of the whole."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final, NamedTuple

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.logs.interface import ABSENT, Records
from milepost.logs.records.sink import copies_mask
from milepost.numerics.value_counts import AddedUp
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import FullPlay, Play, Summed
from milepost.vocabulary import COPY, DROPPED, EVENTS, FINDINGS

if TYPE_CHECKING:
    from collections.abc import Sequence

# Of times between records, by logarithm: from a millionth of a second to ten thousand million.
_LEAST_GAP, _PER_TENFOLD, _BINS = -6, 24, 24 * 16
_WRAPPED: Final = next(number for number, finding in enumerate(FINDINGS) if finding.code == "clock_wrapped")
PLACES: Final = 3  # of a finding, that are kept


class FoundAt(NamedTuple):
    """Where a finding was made: file and line, the stop (``ABSENT`` for none), and the build of the session."""

    file: int
    line: int
    level: int
    build: str | None


@dataclass(frozen=True)
class Found:
    """How many records a finding was made on, in how many sessions, where first, and at which stops."""

    records: int
    sessions: int
    places: tuple[FoundAt, ...]
    levels: frozenset[int] = frozenset()

    def __add__(self, other: Found) -> Found:
        """Add up the tallies of two parts that share no session."""
        places = tuple(sorted((*self.places, *other.places), key=lambda place: place[:2])[:PLACES])
        return Found(self.records + other.records, self.sessions + other.sessions, places, self.levels | other.levels)


@dataclass(frozen=True, eq=False, repr=False)
class Tallies:
    """Counts over all readable records.

    Attributes:
        records: how many there are.
        dropped: those that are not used.
        events: per known event word, how many.
        words: per unknown event word, how many.
        findings: by the number of the finding, for findings on records that were made.
        seconds: of each session, in no order, from the least to the greatest time of its records.
        wholes: how many records have a whole number for a time.
        gaps: how often, of records one after the other, the time between is in each bin of logarithms.
    """

    records: int
    dropped: int
    events: Ints
    words: Ints
    findings: dict[int, Found]
    seconds: Floats
    wholes: int
    gaps: Ints

    @property
    def whole(self) -> float:
        """The share of records that have a whole number for a time."""
        return self.wholes / self.records if self.records else 0.0

    @property
    def gap(self) -> float | None:
        """The median time between two records of a session, to a tenth; None where there is none."""
        total = int(self.gaps.sum())
        return float(_bin_middle(int(np.searchsorted(np.cumsum(self.gaps), total / 2)))) if total else None

    @classmethod
    def of(cls, play: FullPlay) -> Tallies:
        """Count over a play's records."""
        log, records = play.gated.log, play.gated.log.records
        originals = records.marks & COPY == 0
        if not originals.all():
            records = Records.of(records.rows(originals))
        known = records.event >= 0
        return cls(
            len(records),
            int(np.count_nonzero(records.marks & DROPPED)),
            np.bincount(records.event[known], minlength=len(EVENTS)),
            np.bincount(-1 - records.event[~known], minlength=len(log.unknown_words)),
            _findings(records, play.gated.level[originals], log.sessions.build),
            _seconds(records, len(log.sessions.name)),
            int(np.count_nonzero(records.whole)),
            _gaps(play),
        )

    @classmethod
    def merged(cls, parts: list[Tallies]) -> Tallies:
        """Return the tallies of a log, added up from its parts."""
        findings: dict[int, Found] = {}
        for part in parts:
            for number, tally in part.findings.items():
                findings[number] = findings[number] + tally if number in findings else tally
        return cls(
            sum(part.records for part in parts),
            sum(part.dropped for part in parts),
            np.sum([part.events for part in parts], axis=0),
            np.sum([part.words for part in parts], axis=0),
            findings,
            np.concatenate([part.seconds for part in parts]),
            sum(part.wholes for part in parts),
            np.sum([part.gaps for part in parts], axis=0),
        )


@dataclass(frozen=True)
class SessionMarks(AddedUp):
    """How many sessions there are.

    Attributes:
        sessions: all that are replayed.
        endless, differing, coarse: those without an end in the log, with tags that the table of players gives otherwise, and with
            a clock of whole seconds.
    """

    sessions: int
    endless: int
    differing: int
    coarse: int

    @classmethod
    def of(cls, play: Play) -> SessionMarks:
        """Return the session marks of a play, or of the sessions of a part."""
        sessions = play.gated.sequence[~copies_mask(play.gated.log.sessions)[play.gated.sequence]]
        return cls(
            len(sessions),
            *(int(np.count_nonzero(marks[sessions])) for marks in (play.endless, differs_mask(play), play.gated.coarse)),
        )


def get_tallies(play: Summed) -> Tallies:
    """Counts over all records of a play."""
    return play.summary(Tallies)


def finding_counts(play: Summed) -> dict[str, int]:
    """How many records (for some codes: sessions) each finding was made on; codes without any are left out."""
    return dict(play.compute_once(_finding_counts))


def _finding_counts(play: Summed) -> dict[str, int]:
    counts, marks = {"unreadable_record": play.about.refused}, play.sums(SessionMarks)
    tallies = get_tallies(play).findings
    for number, finding in enumerate(FINDINGS[1:], 1):
        counts[finding.code] = tallies[number].records if number in tallies else 0
    if (wrapped := tallies.get(_WRAPPED)) is not None:
        counts["clock_wrapped"] = wrapped.sessions
    counts["no_session_end"] = marks.endless
    counts["player_tag_differs"] = marks.differing
    counts["coarse_clock"] = marks.coarse
    return {code: count for code, count in counts.items() if count}


def differs_mask(play: Play) -> Bools:
    """Per session, whether the table of players gives a tag of it otherwise."""
    log = play.gated.log
    differ = log.players.differ if log.players is not None else frozenset()
    return np.array([name in differ for name in log.sessions.name], dtype=np.bool_)


def unknown_words(play: Summed) -> dict[str, int]:
    """The event words outside the list, with how many records have each."""
    words = zip(play.about.unknown_words, get_tallies(play).words, strict=True)
    return {word: int(count) for word, count in words if count}


def _gaps(play: FullPlay) -> Ints:
    """Counts of times between records, by logarithm."""
    records, order = play.gated.log.records, play.gated.order
    gap = np.diff(records.time[order])
    gap = gap[(np.diff(records.session[order]) == 0) & (gap > 0)]
    place = np.clip(np.round(_PER_TENFOLD * (np.log10(gap) - _LEAST_GAP)), 0, _BINS - 1).astype(np.int64)
    return np.bincount(place, minlength=_BINS)


def _bin_middle(place: int) -> float:
    return float(10.0 ** (place / _PER_TENFOLD + _LEAST_GAP))


def _findings(records: Records, level: Ints, builds: Sequence[str | None]) -> dict[int, Found]:
    marked = np.flatnonzero(records.marks)  # most records are as they should be
    marks = records.marks[marked]
    result = {}
    for number in range(1, len(FINDINGS)):
        rows = marked[(marks & (1 << number)) != 0]
        if len(rows):
            first = rows[np.lexsort((records.line[rows], records.file[rows]))[:PLACES]]
            columns = (column[first].tolist() for column in (records.file, records.line, level, records.session))
            places = tuple(FoundAt(file, line, stop, builds[session]) for file, line, stop, session in zip(*columns, strict=True))
            levels = frozenset(distinct(level[rows]).tolist()) - {ABSENT}
            result[number] = Found(len(rows), len(distinct(records.session[rows])), places, levels)
    return result


def _seconds(records: Records, count: int) -> Floats:
    first, last = np.full(count, np.inf), np.full(count, -np.inf)
    np.maximum.at(last, records.session, records.time)
    np.minimum.at(first, records.session, records.time)
    seconds: Floats = np.maximum(0.0, last - first)[first < np.inf]
    return seconds
