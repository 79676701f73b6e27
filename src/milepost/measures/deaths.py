"""Deaths: how many, what of, where in the level; and failures that are no deaths."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, TypedDict

import numpy as np

from milepost.arrays import Bools
from milepost.logs.interface import ABSENT
from milepost.measures.cells import ReachedStops, levels_shown, void_attempts
from milepost.measures.interface import LevelRow, NoTotals, Table, share
from milepost.measures.sums.death_counts import BINS, DeathCounts, TagNumbers
from milepost.measures.sums.time_counts import Spent
from milepost.numerics.value_counts import Counted
from milepost.playback.play import Kinds, Summed
from milepost.vocabulary import CLEARED, DIED


class SaidAtDeath(TypedDict):
    """A number that deaths say beside the rest, such as an opponent's tally: how many say it, and its median."""

    n: int
    p50: float | None


class DeathFigures(TypedDict):
    """Deaths, in all or of one cause; ``progress`` counts them by tenths of the level."""

    deaths: int
    players: int
    per_player_reached: float | None
    per_minute: float | None
    progress: list[int]
    most_bin: int | None
    said: dict[str, SaidAtDeath]


class Failures(TypedDict):
    """Deaths and resets together."""

    failures: int
    failure_causes: dict[str, int]


class DeathsRow(LevelRow, DeathFigures, Failures):
    """A level."""

    placed: bool
    reached: int
    minutes: float
    without_cause: int
    causes: dict[str, DeathFigures]
    on_arrival: int
    deaths_before_progress: int | None
    clears_before_progress: int | None
    void: int


@dataclass(frozen=True)
class Deaths:
    """Deaths by level and cause, re-runs included.

    Attributes:
        arrival: seconds; a death this soon after the opening, or before any input, is one on arrival.
    """

    arrival: float = 1.0

    SUMS: ClassVar[Kinds] = (ReachedStops, Spent, DeathCounts)

    def __call__(self, play: Summed) -> Table[DeathsRow, NoTotals]:
        """One row a level; see docs/definitions.md for the columns."""
        counts, spent, reached = play.sums(DeathCounts), play.sums(Spent), play.sums(ReachedStops).players
        numbers = {
            name: counts.numbers[name] for name in play.about.tags if name in counts.numbers and counts.numbers[name].always
        }
        rows = []
        for level in levels_shown(play):
            here, minutes = int(reached[level]), spent.at(level) / 60
            figures = _Figures(counts, numbers, level, here, minutes)
            causes = {play.about.causes[code]: figures.of(code) for code in figures.causes()}
            rows.append(
                DeathsRow(
                    level=play.stops[level],
                    placed=level < play.n_levels,
                    reached=here,
                    minutes=minutes,
                    **figures.of(None),
                    without_cause=counts.deaths.at(level).at(ABSENT).total,
                    causes=dict(sorted(causes.items(), key=lambda item: (-item[1]["deaths"], item[0]))),
                    on_arrival=self._on_arrival(counts, level),
                    **_before_progress(counts, level),
                    **_failures(play.about.causes, counts.failures.at(level)),
                    void=void_attempts(play, level),
                )
            )
        return Table(rows, NoTotals())

    def _on_arrival(self, counts: DeathCounts, level: int) -> int:
        """How many deaths came within the first moment, or before any input where the log tells of inputs, as a rule."""
        attempts, telling = counts.inputs
        deaths = counts.lasting.at(level)
        without_input, seconds = deaths.columns
        early: Bools = seconds <= self.arrival + 1e-9
        return deaths.where(early | without_input if telling > attempts / 2 else early).total


@dataclass(frozen=True)
class _Figures:
    """The figures of deaths at a level.

    Attributes:
        counts: of all levels.
        numbers: what deaths say, by the tag that says it.
        level: which.
        reached: how many players reached it.
        minutes: how long it was played.
    """

    counts: DeathCounts
    numbers: dict[str, TagNumbers]
    level: int
    reached: int
    minutes: float

    def causes(self) -> list[int]:
        """The causes of deaths there."""
        return [code for code in self.counts.deaths.at(self.level).columns[0].tolist() if code >= 0]

    def of(self, cause: int | None) -> DeathFigures:
        """Return the figures of one cause, or of all deaths."""
        players = self.counts.players.at(self.level) if cause is None else self._own(self.counts.players_by_cause, cause)
        deaths, bins = self._own(self.counts.deaths, cause).total, self._bins(cause)
        return DeathFigures(
            deaths=deaths,
            players=players.total,
            per_player_reached=share(deaths, self.reached),
            per_minute=deaths / self.minutes if self.minutes > 0 else None,
            progress=bins,
            most_bin=int(np.argmax(bins)) if any(bins) else None,
            said=self._said(cause),
        )

    def _own(self, counts: Counted, cause: int | None) -> Counted:
        """Return the figures of the level and cause, of what is counted by level and cause."""
        here = counts.at(self.level)
        return here if cause is None else here.at(cause)

    def _bins(self, cause: int | None) -> list[int]:
        """Deaths by tenths of the level."""
        own = self._own(self.counts.progress, cause)
        bins = np.zeros(BINS, np.int64)
        np.add.at(bins, own.columns[-1], own.count)
        return [int(count) for count in bins]

    def _said(self, cause: int | None) -> dict[str, SaidAtDeath]:
        """The numbers that differ from death to death, by the tag that says them."""
        found = {}
        for name, numbers in self.numbers.items():
            own = self._own(numbers.at_deaths, cause)
            own = own.by(len(own.columns) - 1)
            if len(own.count) > 1:
                found[name] = SaidAtDeath(n=own.total, p50=own.median())
        return found


class BeforeProgress(TypedDict):
    """Deaths and clears before any progress was logged; nothing where no try at the level has any."""

    deaths_before_progress: int | None
    clears_before_progress: int | None


def _before_progress(counts: DeathCounts, level: int) -> BeforeProgress:
    if not counts.got_on.at(level).total:
        return BeforeProgress(deaths_before_progress=None, clears_before_progress=None)
    before = counts.before_progress.at(level)
    return BeforeProgress(deaths_before_progress=before.at(DIED).total, clears_before_progress=before.at(CLEARED).total)


def _failures(causes: list[str], counts: Counted) -> Failures:
    """Deaths and resets together: how many, and by what; a reset without a cause is a restart by choice."""
    by_name: dict[str, int] = {}
    for code, died, count in zip(*(column.tolist() for column in (*counts.columns, counts.count)), strict=True):
        name = causes[code] if code >= 0 else "death without a cause" if died else "restart by choice"
        by_name[name] = by_name.get(name, 0) + count
    return Failures(failures=counts.total, failure_causes=dict(sorted(by_name.items(), key=lambda item: (-item[1], item[0]))))
