"""The evidence on suspects: the play, and its records in replay order."""

from __future__ import annotations

from dataclasses import dataclass
from dataclasses import field as dataclass_field
from functools import cached_property
from typing import TypedDict

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.audit.record_checks import RecordRows, Signs
from milepost.cleaning.survey import number_builds
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play
from milepost.vocabulary import RETRY, START


@dataclass(frozen=True, eq=False, repr=False)
class Suspect:
    """Something that looks wrong and may be true.

    Attributes:
        code: which suspicion.
        levels: the levels that it concerns.
        count: how many records, attempts or sessions look so.
        sessions: the numbers of the sessions in which they stand.
        why: what was seen, as a sentence.
        builds: the builds that it concerns, where it concerns not all.
        attempts: the attempts that it concerns, by their places in the table.
        leaves: the sessions that go if it is left out, where these are not all of them.
        field: the field that it is about, where it is about one.
        places: where the first of it stands, as file and line.
        weight: how much it matters.
    """

    code: str
    levels: list[str]
    count: int
    sessions: frozenset[int]
    why: str
    builds: list[str] = dataclass_field(default_factory=list)
    attempts: Ints = dataclass_field(default_factory=lambda: np.zeros(0, np.int64), compare=False)
    leaves: frozenset[int] | None = None
    field: str | None = None
    places: list[str] = dataclass_field(default_factory=list)
    weight: str = "medium"


class Evidence:
    """A play with the signs in its records."""

    def __init__(self, play: Play) -> None:
        self.play = play
        self.signs = play.summary(Signs)

    @cached_property
    def builds(self) -> list[str]:
        """Per session, its build; sessions without one share the empty name."""
        return [build or "" for build in self.play.gated.log.sessions.build]

    @cached_property
    def logs_inputs(self) -> bool:
        """Return whether the log tells of first inputs in most attempts, so that their absence means something."""
        settling = self.play.attempts.settling
        return len(settling) > 0 and float(np.mean(~np.isnan(settling))) > 0.5

    def names(self, levels: Ints) -> list[str]:
        """The names of levels, each once, in course order."""
        return [self.play.stops[level] for level in distinct(levels)]

    def events_by_build(self, build: Ints, count: int) -> Ints:
        """Per build, as numbered per session, and event word, how many records there are."""
        events = np.zeros((count, self.signs.events.shape[1]), np.int64)
        first = dict(zip(number_builds(self.play.gated.log.sessions)[0].tolist(), build.tolist(), strict=True))
        for number, code in first.items():
            events[code] += self.signs.events[number]
        return events

    def by_rows(self, code: str, rows: RecordRows, why: str) -> list[Suspect]:
        """A suspect over some records, if there are any."""
        if not len(rows.session):
            return []
        levels = self.names(rows.level[rows.level >= 0])
        attempts = find_attempts(self.play, rows.session, rows.place)
        return [Suspect(code, levels, len(rows.session), frozenset(rows.session.tolist()), why, attempts=attempts)]

    def suspect(self, code: str, rows: Bools | Ints, why: str) -> list[Suspect]:
        """A suspect over some attempts, if there are any; ``{n}`` in ``why`` is their number."""
        table = self.play.attempts
        levels, sessions = table.level[rows], table.session[rows]
        if not len(levels):
            return []
        attempts, why = np.arange(len(table))[rows], why.replace("{n}", f"{len(levels):,}")
        return [Suspect(code, self.names(levels), len(levels), frozenset(sessions.tolist()), why, attempts=attempts)]


def find_attempts(play: Play, session: Ints, place: Ints) -> Ints:
    """The attempts, each once, of some records, as ``attempt_of_records`` has them."""
    attempts = attempt_of_records(play, session, place)
    return distinct(attempts[attempts >= 0])


def attempt_of_records(play: Play, session: Ints, place: Ints) -> Ints:
    """The attempts that records opened or closed, or else that were open then; -1 where there is none.

    Args:
        play: a play.
        session: of each record.
        place: its place in the session's order of replay; below 0 where it is not replayed.
    """
    table = play.attempts
    none = np.full(len(session), -1, np.int64)
    if not len(table):
        return none
    rank = np.empty(len(play.gated.player), np.int64)
    rank[play.gated.sequence] = np.arange(len(play.gated.sequence))
    width = int(play.gated.bounds[-1]) + 1
    replayed = np.flatnonzero(place >= 0)
    session, at = session[replayed], (play.gated.bounds[session] + place)[replayed]
    begun = rank[table.session] * width + table.opened_at  # rising, as the table is in the order of play
    last = np.searchsorted(begun, rank[session] * width + at, side="right") - 1
    inside = last >= 0
    inside[inside] = (table.session[last] == session)[inside] & (table.closed_at[last] >= at)[inside]
    implied = inside & (table.opened_at[last] == at) & ~np.isin(play.around.begun_as[last], (START, RETRY))
    before = np.maximum(0, last - 1)
    closes = implied & (last > 0) & (table.session[before] == session) & (table.closed_at[before] == at)
    none[replayed[inside]] = np.where(closes, before, last)[inside]
    return none


# A figure of a level, with the suspects in it and without them.
Excluding = TypedDict("Excluding", {"level": str, "figure": str, "with": float | None, "without": float | None})
