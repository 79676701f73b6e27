"""Levels that were renamed between builds: one build has one name, another build another, at the same place in the order."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from milepost.naming import natural_key
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play

_IN_A_ROW = 3  # more levels than these between two that stayed are a new stretch, not new names


def renamed_levels(play: Play) -> list[tuple[str, int, str, int]]:
    """Each renaming between two builds that follow each other: the build and level before, the build and level after.

    Between two levels that both builds have (or from one to an end of the course), as many levels under other names are taken,
    in order, for the same ones.

    Args:
        play: a play without a course.
    """
    levels = _levels_of_builds(play)
    return [
        (first, old, then, new)
        for first, then in pairwise(sorted(levels, key=natural_key))
        for before, after in _stretches(levels[first], levels[then])
        if len(before) == len(after) <= _IN_A_ROW
        for old, new in zip(before, after, strict=True)
        if not _meet(levels, old, new)
    ]


def _levels_of_builds(play: Play) -> dict[str, list[int]]:
    """Per build, the levels that were played in it, in the course's order."""
    found: dict[str, set[int]] = {}
    builds = play.gated.log.sessions.build
    width = max(1, len(play.stops))
    for key in distinct(play.attempts.session * width + play.attempts.level).tolist():
        build, level = builds[key // width], key % width
        if build is not None and level < play.n_levels:
            found.setdefault(build, set()).add(level)
    return {build: sorted(levels) for build, levels in found.items()}


def _stretches(before: list[int], after: list[int]) -> Iterator[tuple[list[int], list[int]]]:
    """What either build has of its own before, between and after the levels that both have; nothing where they share none."""
    shared = sorted({*before} & {*after})
    if not shared:
        return
    for low, high in pairwise([-1, *shared, max(*before, *after) + 1]):
        yield [n for n in before if low < n < high], [n for n in after if low < n < high]


def _meet(levels: dict[str, list[int]], old: int, new: int) -> bool:
    """Whether any build has both: then they are two levels."""
    return any(old in own and new in own for own in levels.values())
