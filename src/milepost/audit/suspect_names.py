"""Suspects among level names."""

from __future__ import annotations

import re
from difflib import get_close_matches

import numpy as np

from milepost.audit.evidence import Evidence, Suspect
from milepost.course.legs import last_leg
from milepost.level_names import folded, natural_key
from milepost.measures.cells import first_clear
from milepost.measures.funnel import legs_in
from milepost.measures.section_passes import marks_of_levels
from milepost.numerics.whole_numbers import distinct

_NAMED = 6  # marks in a sentence
_ALIKE = 0.8  # of the letters of two names, in order
_DIGITS = re.compile(r"\d+")
_VERSION = re.compile(r"-?(v\d+|old|new|final|copy|test)$")


def stem(name: str) -> str:
    """Return a level name without case, joiners, a version suffix and a plural s."""
    bare = folded(name)
    without = _VERSION.sub("", bare)
    return (without or bare).removesuffix("s").replace("-", "")


def similar_names(evidence: Evidence) -> list[Suspect]:
    """Levels whose names differ by case, plural or a version suffix only, one of them not in the course."""
    play = evidence.play
    seen = np.flatnonzero(evidence.signs.played)
    groups: dict[str, list[int]] = {}
    for level in sorted({*seen.tolist(), *range(play.n_levels)}):
        if not play.gated.stops.is_place[level]:
            groups.setdefault(stem(play.stops[level]), []).append(level)
    found = []
    for members in groups.values():
        odd = [level for level in members if play.inferred or level >= play.n_levels]
        if len(members) > 1 and odd:
            there = np.isin(evidence.signs.strays.level, odd)
            names = sorted((play.stops[level] for level in members), key=natural_key)
            why = "their names differ by case, plural or a version suffix only; if they are one level, give it an alias"
            sessions = frozenset(evidence.signs.strays.session[there].tolist())
            found.append(Suspect("similar_names", names, int(evidence.signs.at[odd].sum()), sessions, why))
    return found


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
    found = []
    for target in distinct(moves.target[unknown]).tolist():
        meant = nearest_name(play.stops[target], levels)
        if meant is not None:
            rows = unknown & (moves.target == target)
            why = f"moves to {play.stops[target]!r}, where nothing is ever played: is it {meant!r}? Then give that level an alias"
            found.append(Suspect("misnamed_target", [meant], int(rows.sum()), frozenset(moves.session[rows].tolist()), why))
    return found


def nearest_name(name: str, levels: list[str]) -> str | None:
    """The level whose name is nearly this one; None where none is, or where they differ by a number."""
    by_fold = {folded(level): level for level in levels if _DIGITS.findall(level) == _DIGITS.findall(name)}
    close = get_close_matches(folded(name), list(by_fold), n=1, cutoff=_ALIKE)
    return by_fold[close[0]] if close else None


def unknown_mark(evidence: Evidence) -> list[Suspect]:
    """Marks of checkpoints and openings that the course does not have at that level."""
    play = evidence.play
    if play.course is None or not any(level.marks for level in play.course.levels):
        return []
    found = []
    table = play.attempts
    for level, marks in marks_of_levels(play, np.flatnonzero(first_clear(play))).items():
        if not marks.unknown:
            continue
        own = play.course.levels[level]
        names = ", ".join(list(marks.unknown)[:_NAMED])
        why = f"records there bear {names}; the marks of the course there are {', '.join(own.marks)}: a spelling, or a new mark?"
        rows = marks.rows
        sessions = frozenset(table.session[rows].tolist())
        found.append(Suspect("unknown_mark", [own.name], sum(marks.unknown.values()), sessions, why, attempts=rows))
    return found
