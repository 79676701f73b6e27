"""Suspects in what starts say: a value that drifts from what it is as a rule, and knobs that are not as planned."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Final

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.audit.evidence import Evidence, Suspect
from milepost.audit.record_checks import Varying
from milepost.cleaning.field_values import Values, number_of, text_of
from milepost.course.course import Level
from milepost.errors import UsageError
from milepost.numerics.whole_numbers import counted, distinct
from milepost.playback.attributes import attribute
from milepost.playback.play import Play

_OPENINGS, _PLAYERS, _SHARE = 10, 5, 0.9  # from which one value is the rule
_NO_STATE: Final = frozenset({"x", "y"})  # fields that differ from one start to the next as they should


def drifting_start(evidence: Evidence) -> list[Suspect]:
    """Fields that differ within sessions, and have one value in nearly all openings of a level in a build: the others."""
    return [
        suspect
        for name in sorted(evidence.play.summary(Varying).names - _NO_STATE)
        if (values := _at_openings(evidence, name)) is not None
        for suspect in _drifting(evidence, name, values)
    ]


def _at_openings(evidence: Evidence, name: str) -> Values | None:
    try:
        return attribute(evidence.play, f"start.{name}")
    except UsageError:
        return None


def _drifting(evidence: Evidence, name: str, values: Values) -> Iterator[Suspect]:
    table = evidence.play.attempts
    builds = list(dict.fromkeys(evidence.builds))
    place = {build: number for number, build in enumerate(builds)}
    build = np.array([place[own] for own in evidence.builds], dtype=np.int64)
    given = np.flatnonzero(values.codes >= 0)
    cell = table.level[given] * len(builds) + build[table.session[given]]
    for key in distinct(cell).tolist():
        rows = given[cell == key]
        usual = _usual(values.codes[rows], table.player[rows])
        if usual is None:
            continue
        odd = rows[values.codes[rows] != usual]
        level, own_build = evidence.play.stops[key // len(builds)], builds[key % len(builds)]
        seen = ", ".join(values.texts[code] for code in distinct(values.codes[odd])[:4])
        where = f" in build {own_build}" if own_build else ""
        why = (
            f"starts there{where} say {name} = {values.texts[usual]}, but these say {seen}: {_from_where(evidence, values, odd)}"
        )
        yield Suspect(
            "drifting_start",
            [level],
            len(odd),
            frozenset(table.session[odd].tolist()),
            why,
            [own_build] if own_build else [],
            attempts=odd,
            field=name,
        )


def _from_where(evidence: Evidence, values: Values, odd: Ints) -> str:
    """Say whether odd values are those of the level that the same player played before in the session."""
    table = evidence.play.attempts
    at, alike = np.arange(len(table)), 0
    new = np.ones(len(table), np.bool_)
    new[1:] = (np.diff(table.level) != 0) | (np.diff(table.session) != 0)
    before = np.maximum.accumulate(np.where(new, at, 0))[odd] - 1  # the last attempt at the level before
    there = (before >= 0) & (table.session[before] == table.session[odd])
    alike = int((there & (values.codes[before] == values.codes[odd])).sum())
    if not alike:
        return "is it kept from before?"
    return f"{'all' if alike == len(odd) else alike} of these as at the level before; is it kept from there?"


def _usual(codes: Ints, players: Ints) -> int | None:
    """The value that nearly all openings have; None where there are too few, or no other one."""
    if len(codes) < _OPENINGS or len(distinct(players)) < _PLAYERS:
        return None
    values, counts = counted(codes)
    most = int(np.argmax(counts))
    return int(values[most]) if _SHARE * len(codes) <= counts[most] < len(codes) else None


_MAKERS: Final = frozenset({"maker", "makers", "dev", "devs", "developer", "developers", "internal", "staff"})
_OF_THE_TEAM: Final = frozenset({"team", "team tester", "team member", "tester of the team", "in house"})
_WORD: Final = re.compile(r"[^\W_]+")
_YES: Final = frozenset({"true", "1", "yes"})


def makers_in(evidence: Evidence) -> list[Suspect]:
    """Sessions with a tag that says that one of the makers played."""
    found: dict[tuple[str, str], set[int]] = {}
    for session, tags in enumerate(evidence.play.gated.log.sessions.tags):
        for name, value in tags.items():
            if (word := _maker_said(name, value)) is not None:
                found.setdefault((name, word), set()).add(session)
    return [
        Suspect(
            "makers_in",
            [],
            len(sessions),
            frozenset(sessions),
            f"{name} says {word}: do the makers themselves count here? --exclude makers_in leaves them out",
        )
        for (name, word), sessions in sorted(found.items())
    ]


def _maker_said(name: str, value: str) -> str | None:
    """Return the word by which a tag says maker, and no more of its text, which may name somebody; None where it does not."""
    words = _WORD.findall(value.casefold())
    said = " ".join(words)
    if said in _YES:
        return said if not _MAKERS.isdisjoint(_WORD.findall(name.casefold())) else None
    return said if said in _OF_THE_TEAM else next((word for word in words if word in _MAKERS), None)


def knob_mismatch(evidence: Evidence) -> list[Suspect]:
    """Starts that say another value than the course's knob of that name."""
    play = evidence.play
    levels = play.course.levels if play.course else ()
    said = {knob: _at_openings(evidence, knob) for knob in sorted({knob for level in levels for knob in level.knobs})}
    return [
        suspect
        for name, values in said.items()
        if values is not None
        for number, level in enumerate(levels)
        if name in level.knobs
        for suspect in _not_as_planned(play, number, level, (name, values))
    ]


def _not_as_planned(play: Play, number: int, level: Level, said: tuple[str, Values]) -> Iterator[Suspect]:
    """The starts of a level that say another value than its knob."""
    name, values = said
    here = (play.attempts.level == number) & (values.codes >= 0)
    rows = np.flatnonzero(here & ~_equals(values, level.knobs[name]))
    if len(rows):
        others = ", ".join(values.texts[code] for code in distinct(values.codes[rows])[:4])
        why = f"starts say {name} = {others}; the course says {level.knobs[name]}. Which is right?"
        sessions = frozenset(play.attempts.session[rows].tolist())
        yield Suspect("knob_mismatch", [level.name], len(rows), sessions, why, attempts=rows, field=name)


def _equals(values: Values, wanted: object) -> Bools:
    """Per row, whether it has a value, as a number where it is one."""
    text = text_of(wanted)
    number = number_of(text)
    alike = [own == text or abs(number_of(own) - number) <= 1e-9 for own in values.texts]
    return np.array([*alike, False])[values.codes]
