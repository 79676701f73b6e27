"""Levels that were renamed between builds: one build has one name, another build another, at the same place in the order."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

from milepost.level_names import natural_key
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play

_IN_A_ROW = 3  # more levels than these between two that stayed are a new stretch, not new names


class Renaming(NamedTuple):
    """A level that has another name in the next build, at the same place."""

    build: str
    level: int
    next_build: str
    next_level: int


@dataclass(frozen=True)
class OneLevel:
    """A level with all its names.

    Attributes:
        level: the one by whose name it goes, that of the latest build.
        others: the ones by its other names.
        renamings: what tells that they are one.
    """

    level: int
    others: list[int]
    renamings: list[Renaming]


def levels_by_any_name(play: Play) -> list[OneLevel]:
    """The levels of a course, in order; those that stand at the same place in different builds are one.

    Between two levels that two builds in a row have (or from one to an end of the course), as many levels under other names are
    taken, in order, for the same ones, unless a build has both.

    Args:
        play: a play without a course.
    """
    builds = _levels_of_builds(play)
    group = {level: {level} for level in range(play.n_levels)}
    kept: list[Renaming] = []
    for one in _renamings(builds):
        both = group[one.level] | group[one.next_level]
        if all(len(both & own) <= 1 for own in builds.values()):
            kept.append(one)
            group |= dict.fromkeys(both, both)
    latest = {level: place for place, own in enumerate(builds.values()) for level in own}
    found = []
    for level in range(play.n_levels):
        chosen = max(group[level], key=lambda one: (latest.get(one, -1), -one))
        if chosen == level:
            told = [one for one in kept if one.level in group[level]]
            found.append(OneLevel(level, sorted(group[level] - {level}), told))
    return found


def _renamings(builds: dict[str, set[int]]) -> Iterator[Renaming]:
    """Yield the levels that stand at the same place in each two builds in a row."""
    for first, then in pairwise(builds):
        for before, after in _stretches(builds[first], builds[then]):
            if len(before) == len(after) <= _IN_A_ROW:
                yield from (Renaming(first, old, then, new) for old, new in zip(before, after, strict=True))


def _levels_of_builds(play: Play) -> dict[str, set[int]]:
    """Per build, in order, the levels that were played in it."""
    found: dict[str, set[int]] = {}
    builds = play.gated.log.sessions.build
    width = max(1, len(play.stops))
    for key in distinct(play.attempts.session * width + play.attempts.level).tolist():
        build, level = builds[key // width], key % width
        if build is not None and level < play.n_levels:
            found.setdefault(build, set()).add(level)
    return {build: found[build] for build in sorted(found, key=natural_key)}


def _stretches(before: set[int], after: set[int]) -> Iterator[tuple[list[int], list[int]]]:
    """Return each build's own levels before, between and after the shared ones; empty if they share none."""
    shared = sorted(before & after)
    if not shared:
        return
    for low, high in pairwise([-1, *shared, max(before | after) + 1]):
        yield sorted(n for n in before if low < n < high), sorted(n for n in after if low < n < high)
