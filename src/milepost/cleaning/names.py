"""Names of stops: the level of the course, unplaced level or place that a name in the log stands for."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.course.course import Course, level_names
from milepost.level_names import fold_name, natural_key
from milepost.logs.interface import Records, Sessions
from milepost.vocabulary import BIT


@dataclass(frozen=True, eq=False, repr=False)
class Stops:
    """The stops of a log: the course's levels first, in order, then all other names.

    Attributes:
        names: one name a stop.
        n_levels: how many of them are levels with a place in the course (0 while the order is still unknown).
        is_place: per stop, whether the course declares it to be no level.
        code: per name in the log, its stop.
        spelling: per name in the log, whether it was matched by its folded form only.
        unknown: per name in the log, whether the course does not have it.
    """

    names: list[str]
    n_levels: int
    is_place: Bools
    code: Ints
    spelling: Bools
    unknown: Bools


def resolve(logged: list[str], counts: Ints, course: Course) -> Stops:
    """Match the names in a log with a course's levels and places; other names that fold alike are one stop."""
    exact, by_fold = level_names(course)
    places = {fold_name(place): place for place in course.places}
    names = course.names()
    called = _commonest(logged, counts)
    others: dict[str, int] = {}
    code, spelling, unknown = [], [], []
    for name in logged:
        fold = fold_name(name)
        level = exact.get(name)
        by_spelling = level is None and name not in course.places and len(by_fold.get(fold, ())) == 1
        if by_spelling:
            (level,) = by_fold[fold]
        if level is None:
            level = others.setdefault(fold, len(names))
            if level == len(names):
                names.append(places.get(fold, called[fold]))
        code.append(level)
        spelling.append(by_spelling)
        unknown.append(level >= len(course.levels) and fold not in places)
    n_levels = len(course.levels)
    is_place = np.array([i >= n_levels and fold_name(name) in places for i, name in enumerate(names)], dtype=np.bool_)
    stops = Stops(names, n_levels, is_place, _ints(code), _bools(spelling), _bools(unknown))
    return _add_unplanned_levels(stops) if course.runs.endless else stops


def _add_unplanned_levels(stops: Stops) -> Stops:
    """Return the stops with all that are no places as levels; those not in the course come last, in natural order."""
    others = [n for n in range(stops.n_levels, len(stops.names)) if not stops.is_place[n]]
    others.sort(key=lambda number: natural_key(stops.names[number]))
    reordered = reorder(stops, [*range(stops.n_levels), *others])
    return replace(reordered, unknown=np.zeros(len(stops.unknown), np.bool_))


def gather(logged: list[str], counts: Ints) -> Stops:
    """Without a course: names with the same folded form are one stop, called by the commonest spelling."""
    called = _commonest(logged, counts)
    number = {fold: code for code, fold in enumerate(called)}
    code = [number[fold_name(name)] for name in logged]
    spelling = [called[fold_name(name)] != name for name in logged]
    never = np.zeros(len(logged), np.bool_)
    return Stops(list(called.values()), 0, np.zeros(len(called), np.bool_), _ints(code), _bools(spelling), never)


def _commonest(logged: list[str], counts: Ints) -> dict[str, str]:
    """Per folded form, its commonest spelling; of equally common ones the first by name."""
    groups: dict[str, list[int]] = {}
    for number, name in enumerate(logged):
        groups.setdefault(fold_name(name), []).append(number)
    return {
        fold: logged[min(members, key=lambda number: (-int(counts[number]), natural_key(logged[number])))]
        for fold, members in groups.items()
    }


def reorder(stops: Stops, order: list[int]) -> Stops:
    """Return the stops with those of ``order`` first, as the course's levels."""
    placed = set(order)
    rest = [number for number in range(len(stops.names)) if number not in placed]
    new_order = [*order, *rest]
    place_of = np.empty(len(new_order), np.int64)
    place_of[new_order] = np.arange(len(new_order))
    return Stops(
        [stops.names[number] for number in new_order],
        len(order),
        stops.is_place[new_order],
        place_of[stops.code],
        stops.spelling,
        stops.unknown,
    )


def _ints(values: list[int]) -> Ints:
    return np.array(values, dtype=np.int64)


def _bools(values: list[bool]) -> Bools:
    return np.array(values, dtype=np.bool_)


_SPELLING: Final = BIT["player_spelling"]


@lru_cache(maxsize=2)
def find_common_spellings(sessions: Sessions) -> Mapping[str, str]:
    """The names of players that are spelled otherwise than most sessions spell them, each with that commonest spelling.

    Of equally common spellings it is the first by name.
    """
    counts = Counter(name for name in sessions.player if name is not None)
    groups: dict[str, list[str]] = {}
    for name in counts:
        groups.setdefault(fold_name(name), []).append(name)
    common_spelling = {}
    for names in groups.values():
        if len(names) > 1:
            common = min(names, key=lambda name: (-counts[name], natural_key(name)))
            common_spelling.update({name: common for name in names if name != common})
    return common_spelling


@lru_cache(maxsize=1)
def list_players(sessions: Sessions) -> tuple[list[str], Ints]:
    """The players' names, and per session its player; a session without one is its own."""
    codes: dict[str, int] = {}
    player = [codes.setdefault(name, len(codes)) for name in player_names(sessions)]
    return list(codes), np.array(player, dtype=np.int64)


def player_names(sessions: Sessions) -> list[str]:
    """Per session, its player's name under the commonest spelling; a session without one is its own."""
    called = find_common_spellings(sessions)
    named = (given or session for given, session in zip(sessions.player, sessions.name, strict=True))
    return [called.get(name, name) for name in named] if called else list(named)


def mark_spellings(records: Records, sessions: Sessions) -> None:
    """Mark the records that spell their player otherwise than most do; those that differ from their session bear a mark."""
    called = find_common_spellings(sessions)
    if not called:
        return
    odd = np.array([name in called for name in sessions.player], dtype=np.bool_)[records.session]
    records.marks[records.named & odd] ^= _SPELLING
