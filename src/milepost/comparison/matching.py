"""Matching of levels between builds, by name and alias; and levels whose place differs."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass

from milepost.level_names import folded
from milepost.playback.play import Play


@dataclass(frozen=True)
class Matched:
    """A level of one build or of both.

    Attributes:
        name: how it is called, in the later build if that has it.
        places: its place in each build; None where a build lacks it.
        renamed: whether the two call it by different names.
        moved: whether it stands elsewhere among those of both.
    """

    name: str
    places: tuple[int | None, int | None]
    renamed: bool = False
    moved: bool = False


def matched(before: Play, after: Play) -> list[Matched]:
    """The levels of both in the order of the later build; those that it lacks follow the one that they followed."""
    names = before.stops[: before.n_levels], after.stops[: after.n_levels]
    known: dict[str, int] = {}
    for place in reversed(range(before.n_levels)):
        known |= dict.fromkeys(_known_as(before, place), place)
    pairs: dict[int, int] = {}  # place after: place before
    for place in range(after.n_levels):
        found = next((known[name] for name in _known_as(after, place) if name in known), None)
        if found is not None and found not in pairs.values():
            pairs[place] = found
    staying = _longest_rising([pairs[place] for place in sorted(pairs)])
    levels = [
        Matched(
            name,
            (pairs.get(place), place),
            place in pairs and _renamed(names[0][pairs[place]], name),
            place in pairs and pairs[place] not in staying,
        )
        for place, name in enumerate(names[1])
    ]
    for place, name in enumerate(names[0]):
        if place not in pairs.values():
            follows = [n for n, level in enumerate(levels) if level.places[0] is not None and level.places[0] < place]
            levels.insert(max(follows, default=-1) + 1, Matched(name, (place, None)))
    return levels


def _renamed(before: str, after: str) -> bool:
    return folded(before) != folded(after)


def _known_as(play: Play, place: int) -> list[str]:
    """Return the names by which a level is known, its own first, folded for comparison."""
    own = play.course.levels[place].known_as() if play.course else (play.stops[place],)
    return [folded(name) for name in own]


def _longest_rising(places: list[int]) -> set[int]:
    """The places of a longest rising run: the levels whose order is the same in both."""
    tails: list[int] = []
    before: dict[int, int | None] = {}
    for place in places:
        at = bisect_left(tails, place)
        before[place] = tails[at - 1] if at else None
        tails[at:] = [place] if at == len(tails) else [place, *tails[at + 1 :]]
    run: set[int] = set()
    place_or_none: int | None = tails[-1] if tails else None
    while place_or_none is not None:
        run.add(place_or_none)
        place_or_none = before[place_or_none]
    return run
