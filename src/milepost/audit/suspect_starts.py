"""Suspects in names, and in what tries begin with."""

from __future__ import annotations

import re
from collections.abc import Iterator
from difflib import get_close_matches
from typing import Final

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.audit.evidence import Evidence, Suspect
from milepost.audit.record_checks import Varying
from milepost.cleaning.field_values import Values, number_of, text_of
from milepost.course.course import Level
from milepost.course.legs import last_leg
from milepost.errors import UsageError
from milepost.level_names import fold_name, natural_key
from milepost.measures.cells import first_clear
from milepost.measures.funnel import legs_in
from milepost.measures.section_passes import marks_of_levels
from milepost.numerics.whole_numbers import count_values, distinct
from milepost.playback.attributes import attribute
from milepost.playback.play import Play

_OPENINGS, _PLAYERS, _SHARE = 10, 5, 0.9  # from which one value is the rule
_NO_STATE: Final = frozenset({"x", "y"})  # fields that differ from one start to the next as they should


def drifting_start(evidence: Evidence) -> list[Suspect]:
    """Fields that differ within sessions, and have one value in nearly all openings of a level in a build: the others."""
    return [
        suspect
        for name in sorted(evidence.play.summary(Varying).names - _NO_STATE)
        if (values := _read_openings(evidence, name)) is not None
        for suspect in _drifting(evidence, name, values)
    ]


def _read_openings(evidence: Evidence, name: str) -> Values | None:
    try:
        return attribute(evidence.play, f"start.{name}")
    except UsageError:
        return None


def _drifting(evidence: Evidence, name: str, values: Values) -> Iterator[Suspect]:
    table = evidence.play.attempts
    builds = list(dict.fromkeys(evidence.builds))
    place = {build: number for number, build in enumerate(builds)}
    build = np.array([place[name] for name in evidence.builds], dtype=np.int64)
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
        because = _explain_odd_values(evidence, values, odd)
        why = f"starts there{where} say {name} = {values.texts[usual]}, but these say {seen}: {because}"
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


def _explain_odd_values(evidence: Evidence, values: Values, odd: Ints) -> str:
    """Say whether odd values are those of the level that the same player played before in the session."""
    table = evidence.play.attempts
    at, alike = np.arange(len(table)), 0
    new = np.ones(len(table), np.bool_)
    new[1:] = (np.diff(table.level) != 0) | (np.diff(table.session) != 0)
    before = np.maximum.accumulate(np.where(new, at, 0))[odd] - 1  # the last attempt at the level before
    same_session = (before >= 0) & (table.session[before] == table.session[odd])
    alike = int((same_session & (values.codes[before] == values.codes[odd])).sum())
    if not alike:
        return "is it kept from before?"
    return f"{'all' if alike == len(odd) else alike} of these as at the level before; is it kept from there?"


def _usual(codes: Ints, players: Ints) -> int | None:
    """The value that nearly all openings have; None where there are too few, or no other one."""
    if len(codes) < _OPENINGS or len(distinct(players)) < _PLAYERS:
        return None
    values, counts = count_values(codes)
    most = int(np.argmax(counts))
    return int(values[most]) if _SHARE * len(codes) <= counts[most] < len(codes) else None


_MAKERS: Final = frozenset({"maker", "makers", "dev", "devs", "developer", "developers", "internal", "staff"})
_OF_THE_TEAM: Final = frozenset({"team", "team tester", "team member", "tester of the team", "in house"})
_WORD: Final = re.compile(r"[^\W_]+")
_YES: Final = frozenset({"true", "1", "yes"})


def makers_in(evidence: Evidence) -> list[Suspect]:
    """Sessions with a tag that says that one of the makers played."""
    sessions_by_word: dict[tuple[str, str], set[int]] = {}
    for session, tags in enumerate(evidence.play.gated.log.sessions.tags):
        for name, value in tags.items():
            if (word := _maker_said(name, value)) is not None:
                sessions_by_word.setdefault((name, word), set()).add(session)
    return [
        Suspect(
            "makers_in",
            [],
            len(sessions),
            frozenset(sessions),
            f"{name} says {word}: do the makers themselves count here? --exclude makers_in leaves them out",
        )
        for (name, word), sessions in sorted(sessions_by_word.items())
    ]


def _maker_said(name: str, value: str) -> str | None:
    """Return the word by which a tag says maker, and no more of its text, which may name somebody; None where it does not."""
    words = _WORD.findall(value.casefold())
    text = " ".join(words)
    if text in _YES:
        return text if not _MAKERS.isdisjoint(_WORD.findall(name.casefold())) else None
    return text if text in _OF_THE_TEAM else next((word for word in words if word in _MAKERS), None)


def knob_mismatch(evidence: Evidence) -> list[Suspect]:
    """Starts that say another value than the course's knob of that name."""
    play = evidence.play
    levels = play.course.levels if play.course else ()
    logged = {knob: _read_openings(evidence, knob) for knob in sorted({knob for level in levels for knob in level.knobs})}
    return [
        suspect
        for name, values in logged.items()
        if values is not None
        for number, level in enumerate(levels)
        if name in level.knobs
        for suspect in _find_unplanned_starts(play, number, level, (name, values))
    ]


def _find_unplanned_starts(play: Play, number: int, level: Level, logged: tuple[str, Values]) -> Iterator[Suspect]:
    """The starts of a level that say another value than its knob."""
    name, values = logged
    stated = (play.attempts.level == number) & (values.codes >= 0)
    rows = np.flatnonzero(stated & ~_equals(values, level.knobs[name]))
    if len(rows):
        others = ", ".join(values.texts[code] for code in distinct(values.codes[rows])[:4])
        why = f"starts say {name} = {others}; the course says {level.knobs[name]}. Which is right?"
        sessions = frozenset(play.attempts.session[rows].tolist())
        yield Suspect("knob_mismatch", [level.name], len(rows), sessions, why, attempts=rows, field=name)


def _equals(values: Values, wanted: object) -> Bools:
    """Per row, whether it has a value, as a number where it is one."""
    text = text_of(wanted)
    number = number_of(text)
    alike = [value == text or abs(number_of(value) - number) <= 1e-9 for value in values.texts]
    return np.array([*alike, False])[values.codes]


_NAMED = 6  # marks in a sentence
_ALIKE = 0.8  # of the letters of two names, in order
_DIGITS = re.compile(r"\d+")
_VERSION = re.compile(r"-?(v\d+|old|new|final|copy|test)$")


def stem_of_name(name: str) -> str:
    """Return a level name without case, joiners, a version suffix and a plural s."""
    bare = fold_name(name)
    without = _VERSION.sub("", bare)
    return (without or bare).removesuffix("s").replace("-", "")


def similar_names(evidence: Evidence) -> list[Suspect]:
    """Levels whose names differ by case, plural or a version suffix only, one of them not in the course."""
    play = evidence.play
    seen = np.flatnonzero(evidence.signs.played)
    groups: dict[str, list[int]] = {}
    for level in sorted({*seen.tolist(), *range(play.n_levels)}):
        if not play.gated.stops.is_place[level]:
            groups.setdefault(stem_of_name(play.stops[level]), []).append(level)
    suspects = []
    for members in groups.values():
        odd = [level for level in members if play.inferred or level >= play.n_levels]
        if len(members) > 1 and odd:
            strayed = np.isin(evidence.signs.strays.level, odd)
            names = sorted((play.stops[level] for level in members), key=natural_key)
            why = "their names differ by case, plural or a version suffix only; if they are one level, give it an alias"
            sessions = frozenset(evidence.signs.strays.session[strayed].tolist())
            suspects.append(Suspect("similar_names", names, int(evidence.signs.at[odd].sum()), sessions, why))
    return suspects


def past_the_end(evidence: Evidence) -> list[Suspect]:
    """Level names outside the course that are reached from its last level: they may only mean that the game was won."""
    play = evidence.play
    if play.inferred or not play.n_levels:
        return []
    gated, moves = play.gated, play.moves
    at_end = np.zeros(len(play.stops) + 1, np.bool_)
    legs = legs_in(play)
    at_end[list(legs[last_leg(legs)].levels)] = True
    outside = at_end[moves.origin] & (moves.target >= play.n_levels)
    outside &= ~gated.stops.is_place[moves.target]
    after = outside & evidence.signs.played[moves.target]
    if not after.any():
        return []
    why = "comes after the last level; if it only says that the game was won, name it in places of the course"
    return [
        Suspect(
            "past_the_end", evidence.names(moves.target[after]), int(after.sum()), frozenset(moves.session[after].tolist()), why
        )
    ]


def misnamed_target(evidence: Evidence) -> list[Suspect]:
    """Moves to a name at which nothing is ever played and that is nearly that of a level."""
    play, moves, played = evidence.play, evidence.play.moves, evidence.signs.played
    unknown = moves.target >= (0 if play.inferred else play.n_levels)
    unknown &= ~np.append(play.gated.stops.is_place, True)[moves.target] & ~np.append(played, True)[moves.target]
    known = played | (np.arange(len(played)) < (0 if play.inferred else play.n_levels))
    levels = [play.stops[level] for level in np.flatnonzero(known)]
    suspects = []
    for target in distinct(moves.target[unknown]).tolist():
        meant = nearest_name(play.stops[target], levels)
        if meant is not None:
            rows = unknown & (moves.target == target)
            why = f"moves to {play.stops[target]!r}, where nothing is ever played: is it {meant!r}? Then give that level an alias"
            suspects.append(Suspect("misnamed_target", [meant], int(rows.sum()), frozenset(moves.session[rows].tolist()), why))
    return suspects


def nearest_name(name: str, levels: list[str]) -> str | None:
    """The level whose name is nearly this one; None where none is, or where they differ by a number."""
    by_fold = {fold_name(level): level for level in levels if _DIGITS.findall(level) == _DIGITS.findall(name)}
    close = get_close_matches(fold_name(name), list(by_fold), n=1, cutoff=_ALIKE)
    return by_fold[close[0]] if close else None


def unknown_mark(evidence: Evidence) -> list[Suspect]:
    """Marks of checkpoints and openings that the course does not have at that level."""
    play = evidence.play
    if play.course is None or not any(level.marks for level in play.course.levels):
        return []
    suspects = []
    table = play.attempts
    for level, marks in marks_of_levels(play, np.flatnonzero(first_clear(play))).items():
        if not marks.unknown:
            continue
        planned = play.course.levels[level]
        names, known = ", ".join(list(marks.unknown)[:_NAMED]), ", ".join(planned.marks)
        why = f"records there bear {names}; the marks of the course there are {known}: a spelling, or a new mark?"
        rows = marks.rows
        sessions = frozenset(table.session[rows].tolist())
        suspects.append(Suspect("unknown_mark", [planned.name], sum(marks.unknown.values()), sessions, why, attempts=rows))
    return suspects
