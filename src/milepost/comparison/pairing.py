"""Two plays with one numbering of levels and players, as the estimates take them."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from milepost.arrays import Ints
from milepost.cleaning.names import list_players
from milepost.cleaning.survey import order_sessions
from milepost.comparison.estimates import Sides
from milepost.difficulty.responses import gather_tries
from milepost.level_names import fold_name
from milepost.logs.interface import Sessions
from milepost.playback.play import Play


@dataclass(frozen=True, eq=False, repr=False)
class Pair:
    """Two plays.

    Attributes:
        plays: the earlier and the later.
        levels: their levels.
        sessions: the names of the whole log's sessions, by first appearance, where that is known.
        by_try: whether both are looks at the same sessions, which divide their tries.
    """

    plays: tuple[Play, Play]
    levels: list[Matched]
    sessions: tuple[str, ...] = ()
    by_try: bool = False

    @classmethod
    def of(cls, before: Play, after: Play, sessions: Sequence[str] = (), by_try: bool = False) -> Pair:
        """Match their levels."""
        return cls((before, after), match_levels(before, after), tuple(sessions), by_try)

    def level_of(self, side: int) -> Ints:
        """Per level of a play, its number in the pair; -1 for stops that are no levels of its course."""
        play = self.plays[side]
        number = np.full(len(play.stops) + 1, -1)
        for place, level in enumerate(self.levels):
            at = level.places[side]
            if at is not None:
                number[at] = place
        return number

    @cached_property
    def player_of(self) -> tuple[Ints, Ints]:
        """Per player of each play, the number in the pair."""
        names = {name: n for n, name in enumerate(dict.fromkeys([*self.plays[0].gated.players, *self.plays[1].gated.players]))}
        before, after = (np.array([names[name] for name in play.gated.players], dtype=np.int64) for play in self.plays)
        return before, after

    @cached_property
    def n_players(self) -> int:
        """How many players there are in both together."""
        return int(max([column.max(initial=-1) for column in self.player_of])) + 1

    @cached_property
    def players_both(self) -> int:
        """How many count in both."""
        counting = [set(players[play.counts].tolist()) for players, play in zip(self.player_of, self.plays, strict=True)]
        return len(counting[0] & counting[1])

    @cached_property
    def sides(self) -> Sides:
        """The settled tries of both."""
        tries = []
        for side, play in enumerate(self.plays):
            of_side = gather_tries(play)
            level = self.level_of(side)
            tries.append(replace(of_side, subject=self.player_of[side][of_side.subject], item=level[of_side.item]))
        second = np.full(self.n_players, -1) if self.by_try else self._second()
        return Sides((tries[0], tries[1]), len(self.levels), second, self.by_try)

    def _second(self) -> Ints:
        """Per player, which play was played later; -1 for players of one."""
        sessions = [play.gated.log.sessions for play in self.plays]
        rank = {name: place for place, name in enumerate(self.sessions)}
        names = [*sessions[0].name, *sessions[1].name]
        rows = sorted(range(len(names)), key=lambda row: rank.get(names[row], len(rank)))  # as in the whole log
        columns = {name: [*getattr(sessions[0], name), *getattr(sessions[1], name)] for name in vars(sessions[0])}
        joined = Sessions(**{name: [column[row] for row in rows] for name, column in columns.items()})
        _, player = list_players(joined)
        first = np.concatenate([np.nan_to_num(play.session_times.first) for play in self.plays])[rows]
        order = np.array(rows, dtype=np.int64)[order_sessions(joined, player, first)]
        side = (np.arange(len(order)) >= len(sessions[0].name)).astype(np.int64)
        number = np.concatenate([players[play.gated.player] for players, play in zip(self.player_of, self.plays, strict=True)])
        earliest, second = np.full(self.n_players, -1), np.full(self.n_players, -1)
        earliest[number[order[::-1]]] = side[order[::-1]]
        other = side[order] != earliest[number[order]]
        second[number[order[other]]] = side[order[other]]
        return second


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


def match_levels(before: Play, after: Play) -> list[Matched]:
    """The levels of both in the order of the later build; those that it lacks follow the one that they followed."""
    names = before.stops[: before.n_levels], after.stops[: after.n_levels]
    known: dict[str, int] = {}
    for place in reversed(range(before.n_levels)):
        known |= dict.fromkeys(_list_names(before, place), place)
    pairs: dict[int, int] = {}  # place after: place before
    for place in range(after.n_levels):
        partner = next((known[name] for name in _list_names(after, place) if name in known), None)
        if partner is not None and partner not in pairs.values():
            pairs[place] = partner
    staying = _staying(before, after, pairs)
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
    return fold_name(before) != fold_name(after)


def _list_names(play: Play, place: int) -> list[str]:
    """Return the names by which a level is known, its own first, folded for comparison."""
    names = play.course.levels[place].known_as() if play.course else (play.stops[place],)
    return [fold_name(name) for name in names]


_Stand = tuple[int, str, int]  # where a level stands: its leg, its route, and its place there; what has no order is alike


def _staying(before: Play, after: Play, pairs: dict[int, int]) -> set[int]:
    """The places before of the levels whose order is the same in both: levels of a leg have none, but for those of a route."""
    old, new = _places_of_levels(before), _places_of_levels(after)
    places = [pairs[place] for place in sorted(pairs, key=lambda place: (new[place], old[pairs[place]]))]
    run = _longest_rising([old[place] for place in places])
    return {places[number] for number in run}


def _places_of_levels(play: Play) -> list[_Stand]:
    """Return where each level of a play's course stands."""
    course = play.course
    if course is None:
        return [(place, "", 0) for place in range(play.n_levels)]
    leg = {place: number for number, leg in enumerate(course.legs) for place in leg.levels}
    routes = [level.route for level in course.levels]
    return [(leg[place], route or "", place if route else 0) for place, route in enumerate(routes)]


def _longest_rising(stands: list[_Stand]) -> list[int]:
    """The numbers of a longest run that never falls."""
    tails: list[_Stand] = []
    ends: list[int] = []  # per length of run, the number of the one that ends it
    before: list[int | None] = []
    for number, stand in enumerate(stands):
        at = bisect_right(tails, stand)
        before.append(ends[at - 1] if at else None)
        tails[at : at + 1], ends[at : at + 1] = [stand], [number]
    run: list[int] = []
    last = ends[-1] if ends else None
    while last is not None:
        run.append(last)
        last = before[last]
    return run
