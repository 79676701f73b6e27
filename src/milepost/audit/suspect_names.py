"""Suspects among level names."""

from __future__ import annotations

import re

import numpy as np

from milepost.audit.evidence import Evidence, Suspect
from milepost.naming import folded, natural_key

_VERSION = re.compile(r"-?(v\d+|old|new|final|copy|test)$")


def stem(name: str) -> str:
    """What is left of a level name without case, joiners, a version suffix and a plural s."""
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
    outside = (moves.origin == play.n_levels - 1) & (moves.target >= play.n_levels)
    outside &= ~gated.stops.is_place[moves.target]
    after = outside & evidence.signs.played[moves.target]
    if not after.any():
        return []
    why = "comes after the last level; if it only says that the game was won, name it in places of the course"
    return [Suspect("past_the_end", evidence.names(moves.target[after]), int(after.sum()),
                    frozenset(moves.session[after].tolist()), why)]  # fmt: skip
