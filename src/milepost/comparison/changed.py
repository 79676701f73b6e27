"""Changes at a level between two builds: its knobs, causes of bad ends, and the words of its records."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Final, Literal, NamedTuple

import numpy as np

from milepost.arrays import Ints
from milepost.comparison.pairing import Pair
from milepost.comparison.row_types import CauseChange, Changed, ChangeVerdict, KnobChange, WordChange
from milepost.numerics.intervals import exact_p
from milepost.numerics.shifts import false_discovery_rate
from milepost.numerics.value_counts import AddedUp
from milepost.numerics.whole_numbers import distinct
from milepost.playback.logged_knobs import common_value, knobs_of
from milepost.playback.play import FullPlay, Play
from milepost.vocabulary import DIED, EVENTS, WAS_RESET


@dataclass(frozen=True, eq=False, repr=False)
class Changes:
    """The changes at each level.

    Attributes:
        pair: the two plays.
        names: the two builds' names.
        rate: the rate of false claims.
        causal: whether what was changed may be named as a cause.
    """

    pair: Pair
    names: tuple[str, str]
    rate: float
    causal: bool = True

    @cached_property
    def _causes(self) -> dict[int, list[CauseChange]]:
        return causes_by_level(self.pair, self.rate)

    @cached_property
    def _words(self) -> dict[int, list[WordChange]]:
        return words_by_level(self.pair, self.names)

    def at(self, number: int, places: tuple[int | None, int | None], verdict: ChangeVerdict | None) -> Changed:
        """Return the changes at a level, and whether they may be the cause of its verdict.

        Args:
            number: the level's number among those of both builds.
            places: where it stands in the course of either build.
            verdict: what is said of its difficulty.
        """
        knobs = self._knobs(*places)
        cause: Literal["likely", "candidates", "none_known"] | None = None
        if self.causal and verdict in ("harder", "easier"):
            cause = "none_known" if not knobs else "likely" if len(knobs) == 1 else "candidates"
        return Changed(knobs=knobs, causes=self._causes.get(number, []), words=self._words.get(number, []), cause=cause)

    def _knobs(self, before: int | None, after: int | None) -> list[KnobChange]:
        if before is None or after is None:
            return []
        old, new = self.pair.plays
        ways: dict[str, str] = {}
        for play in self.pair.plays:
            ways |= play.course.harder if play.course else {}
        return find_turned_knobs(*_match_knobs((old, before), (new, after)), ways)


def _match_knobs(*sides: tuple[Play, int]) -> tuple[dict[str, object], dict[str, object]]:
    """The knobs of a level in two plays; one that only the log of one tells of, as the starts in the other say it, if they do.

    What all levels of a build have in common is no knob there, and yet no news in the other.
    """
    planned = {name for play, place in sides if play.course for name in play.course.levels[place].knobs}
    knobs = [knobs_of(play, place) for play, place in sides]
    for number, (play, place) in enumerate(sides):
        for name in knobs[1 - number].keys() - knobs[number].keys() - planned:
            value = common_value(play, name, place)
            if value is None:
                del knobs[1 - number][name]
            else:
                knobs[number][name] = value
    return knobs[0], knobs[1]


def find_turned_knobs(old: Mapping[str, object], new: Mapping[str, object], ways: Mapping[str, str]) -> list[KnobChange]:
    """The knobs of a level that are set otherwise in the later build; ``ways`` says which way makes a level harder."""
    names = [name for name in dict.fromkeys([*old, *new]) if old.get(name) != new.get(name)]
    changed = [(name, old.get(name), new.get(name)) for name in names]
    return [{"knob": name, "from": a, "to": b, "harder": _harder(a, b, ways.get(name))} for name, a, b in changed]


def _harder(before: object, after: object, direction: str | None) -> bool | None:
    """Return whether a knob was turned the way that makes a level harder, where the course says which that is."""
    if direction is None or isinstance(before, bool | str) or isinstance(after, bool | str):
        return None
    if not isinstance(before, int | float) or not isinstance(after, int | float):
        return None
    return (after > before) == (direction == "up")


_FEW: Final = 5  # players who died of it, in both builds, from which a cause can be told
_EXPECTED: Final = 10.0  # an event expected this often and not seen is never logged


class _Tested(NamedTuple):
    level: int
    cause: str
    before: int
    before_of: int
    after: int
    after_of: int

    def p(self) -> float:
        """How often chance alone parts the two builds as far."""
        return exact_p((self.before, self.after), (self.before_of, self.after_of))

    def row(self, q: float) -> CauseChange:
        """Return the row for JSON."""
        change: Literal["came", "went", "shifted"] = "came" if not self.before else "went" if not self.after else "shifted"
        return {
            "cause": self.cause,
            "change": change,
            "from": self.before,
            "from_of": self.before_of,
            "to": self.after,
            "to_of": self.after_of,
            "q_value": q,
        }


def causes_by_level(pair: Pair, rate: float) -> dict[int, list[CauseChange]]:
    """Per level of both builds, the causes that came, went or shifted: by players who died of them, of those who failed there."""
    tested = list(_list_tests(pair))
    q = false_discovery_rate(np.array([test.p() for test in tested])) if tested else np.zeros(0)
    by_level: dict[int, list[CauseChange]] = {}
    for test, q_value in zip(tested, q.tolist(), strict=True):
        if q_value <= rate:
            by_level.setdefault(test.level, []).append(test.row(q_value))
    return by_level


def _list_tests(pair: Pair) -> Iterator[_Tested]:
    died = [_players_by_cause(pair, side) for side in (0, 1)]
    for number, level in enumerate(pair.levels):
        if None in level.places:
            continue
        (by_before, of_before), (by_after, of_after) = (side.get(number, ({}, 0)) for side in died)
        for cause in sorted({*by_before, *by_after}):
            before, after = by_before.get(cause, 0), by_after.get(cause, 0)
            if before + after >= _FEW and of_before and of_after:
                yield _Tested(number, cause, before, of_before, after, of_after)


def _players_by_cause(pair: Pair, side: int) -> dict[int, tuple[dict[str, int], int]]:
    """Per level, how many players died of each cause, and how many failed there."""
    play, level = pair.plays[side], pair.level_of(side)
    table, cause = play.attempts, play.around.cause
    failed = play.counts[table.player] & table.taken & table.ended(DIED, WAS_RESET) & (level[table.level] >= 0)
    by_level = {}
    for number in distinct(level[table.level[failed]]).tolist():
        at_level = failed & (level[table.level] == number)
        by_cause = {
            play.gated.log.causes[code]: len(distinct(table.player[at_level & (cause == code)]))
            for code in distinct(cause[at_level]).tolist()
            if code >= 0
        }
        by_level[number] = (by_cause, len(distinct(table.player[at_level])))
    return by_level


@dataclass(frozen=True, eq=False, repr=False)
class EventsAtLevels(AddedUp):
    """How many records of each kind there are at each stop: kinds down, stops across."""

    counts: Ints

    @classmethod
    def of(cls, play: FullPlay) -> EventsAtLevels:
        """Count over a play's records."""
        records, level, stops = play.gated.log.records, play.gated.level, len(play.stops)
        rows = (records.event >= 0) & (level >= 0)
        cells = np.bincount(records.event[rows] * stops + level[rows], minlength=len(EVENTS) * stops)
        return cls(cells.reshape(len(EVENTS), stops))


def words_by_level(pair: Pair, names: tuple[str, str]) -> dict[int, list[WordChange]]:
    """Per level of both builds, the kinds of events that one of them never logs there, though the other does."""
    counts = [play.summary(EventsAtLevels).counts for play in pair.plays]
    by_level: dict[int, list[WordChange]] = {}
    for number, level in enumerate(pair.levels):
        before, after = level.places
        if before is None or after is None:
            continue
        columns = counts[0][:, before], counts[1][:, after]
        for side in (0, 1):
            on_side, other = columns[side], columns[1 - side]
            expected = other / max(1, int(other.sum())) * int(on_side.sum())
            for event in np.flatnonzero((on_side == 0) & (expected >= _EXPECTED)).tolist():
                change = WordChange(event=EVENTS[event], never_in=names[side], expected=round(float(expected[event]), 1))
                by_level.setdefault(number, []).append(change)
    return by_level
