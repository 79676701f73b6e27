"""Counts over all records of a log; those of parts of a log add up to those of the whole."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np

from milepost.logs.interface import Floats, Ints, Place
from milepost.numerics.whole_numbers import distinct
from milepost.vocabulary import DROPPED, EVENTS, FINDINGS

if TYPE_CHECKING:
    from milepost.playback.play import Play

PLACES: Final = 3  # of a finding, that are kept


@dataclass(frozen=True)
class Found:
    """How many records a finding was made on, in how many sessions, and where first."""

    records: int
    sessions: int
    places: tuple[Place, ...]

    def __add__(self, other: Found) -> Found:
        """The same over two parts that share no session."""
        places = tuple(sorted((*self.places, *other.places))[:PLACES])
        return Found(self.records + other.records, self.sessions + other.sessions, places)


@dataclass(frozen=True)
class Tallies:
    """Counts over all readable records.

    Attributes:
        records: how many there are.
        dropped: those that are not used.
        events: per known event word, how many.
        words: per unknown event word, how many.
        findings: by the number of the finding, for findings on records that were made.
        seconds: per session, from the least to the greatest time of its records.
    """

    records: int
    dropped: int
    events: Ints
    words: Ints
    findings: dict[int, Found]
    seconds: Floats

    @classmethod
    def of(cls, play: Play) -> Tallies:
        """Count over a play's records."""
        log, records = play.gated.log, play.gated.log.records
        known = records.event >= 0
        return cls(
            len(records), int(np.count_nonzero(records.marks & DROPPED)),
            np.bincount(records.event[known], minlength=len(EVENTS)),
            np.bincount(-1 - records.event[~known], minlength=len(log.unknown_words)),
            _findings(play), _seconds(play),
        )  # fmt: skip

    @classmethod
    def merged(cls, parts: list[Tallies]) -> Tallies:
        """Those of a log from those of its parts."""
        findings: dict[int, Found] = {}
        for part in parts:
            for number, found in part.findings.items():
                findings[number] = findings[number] + found if number in findings else found
        return cls(
            sum(part.records for part in parts), sum(part.dropped for part in parts),
            np.sum([part.events for part in parts], axis=0), np.sum([part.words for part in parts], axis=0),
            findings, np.max([part.seconds for part in parts], axis=0),
        )  # fmt: skip


def _findings(play: Play) -> dict[int, Found]:
    records = play.gated.log.records
    marked = np.flatnonzero(records.marks)  # most records are as they should be
    marks = records.marks[marked]
    result = {}
    for number in range(1, len(FINDINGS)):
        rows = marked[(marks & (1 << number)) != 0]
        if len(rows):
            first = rows[np.lexsort((records.line[rows], records.file[rows]))[:PLACES]]
            places = zip(records.file[first].tolist(), records.line[first].tolist(), strict=True)
            result[number] = Found(len(rows), len(distinct(records.session[rows])), tuple(Place(*place) for place in places))
    return result


def _seconds(play: Play) -> Floats:
    records, count = play.gated.log.records, len(play.gated.log.sessions.name)
    if not len(records):
        return np.zeros(count)
    first, last = np.full(count, np.inf), np.full(count, -np.inf)
    np.maximum.at(last, records.session, records.time)
    np.minimum.at(first, records.session, records.time)
    seconds: Floats = np.maximum(0.0, last - first)
    return seconds
