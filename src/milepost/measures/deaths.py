"""Deaths: how many, what of, where in the level; and failures that are no deaths."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.errors import UsageError
from milepost.logs.interface import ABSENT
from milepost.measures.cells import ReachedStops, levels_shown, void_attempts
from milepost.measures.interface import LevelRow, NoTotals, Table, share
from milepost.measures.time_counts import Spent
from milepost.numerics.value_counts import Counted
from milepost.playback.attributes import attribute
from milepost.playback.play import Kinds, Play, Summed
from milepost.vocabulary import CLEARED, DIED, WAS_RESET

BINS = 10


@dataclass(frozen=True, eq=False, repr=False)
class TagNumbers:
    """A tag that says numbers where attempts end.

    Attributes:
        always: whether it says nothing but numbers.
        at_deaths: by level, cause and number: deaths.
    """

    always: bool
    at_deaths: Counted


@dataclass(frozen=True, eq=False, repr=False)
class DeathCounts:
    """Attempts of counted players, re-runs included, but for void ones; causes are codes, -1 where there is none.

    Attributes:
        deaths: by level and cause: deaths.
        players: by level: players who died there.
        players_by_cause: by level and cause: the same.
        progress: by level, cause and tenth of the level, from 0: deaths.
        lasting: by level, whether there was no input, and active seconds: deaths of known duration.
        failures: by level, cause and whether it is a death: deaths and resets.
        got_on: by level: attempts with progress.
        before_progress: by level and outcome: attempts without.
        inputs: all attempts of the log, and those of them that tell of a first input.
        numbers: by tag, what deaths say.
    """

    deaths: Counted
    players: Counted
    players_by_cause: Counted
    progress: Counted
    lasting: Counted
    failures: Counted
    got_on: Counted
    before_progress: Counted
    inputs: tuple[int, int]
    numbers: dict[str, TagNumbers]

    @classmethod
    def of(cls, play: Play) -> DeathCounts:
        """Return the death counts of a play."""
        table, cause = play.attempts, play.around.cause
        counted = play.counts[table.player] & table.taken
        dying = table.ended(DIED)
        died, failed = np.flatnonzero(counted & dying), np.flatnonzero(counted & table.ended(DIED, WAS_RESET))
        level, cause_there, player = table.level[died], cause[died], table.player[died]
        progress, active = table.progress[died], table.active[died]
        with_progress, timed = ~np.isnan(progress), ~np.isnan(active)
        got_on = table.progress > 0
        ended = counted & ~got_on & table.ended(DIED, CLEARED)
        return cls(
            Counted.of(level, cause_there),
            Counted.subjects(player, level),
            Counted.subjects(player, level, cause_there),
            Counted.of(level[with_progress], cause_there[with_progress], tenth(progress[with_progress])),
            Counted.of(level[timed], np.isnan(table.settling[died[timed]]), active[timed]),
            Counted.of(table.level[failed], cause[failed], dying[failed]),
            Counted.of(table.level[counted & got_on]),
            Counted.of(table.level[ended], table.outcome[ended]),
            (len(table), int(np.count_nonzero(~np.isnan(table.settling)))),
            _numbers(play, died),
        )

    @classmethod
    def merged(cls, parts: list[DeathCounts]) -> DeathCounts:
        """Return the death counts of a log, added up from parts that share no player."""
        counts = {
            name: Counted.merged(getattr(part, name) for part in parts)
            for name, value in vars(parts[0]).items()
            if isinstance(value, Counted)
        }
        attempts, telling = np.sum([part.inputs for part in parts], axis=0).tolist()
        numbers: dict[str, list[TagNumbers]] = {}
        for part in parts:
            for name, tag in part.numbers.items():
                numbers.setdefault(name, []).append(tag)
        together = {
            name: TagNumbers(all(tag.always for tag in several), Counted.merged(tag.at_deaths for tag in several))
            for name, several in numbers.items()
        }
        return cls(**counts, inputs=(attempts, telling), numbers=together)


def tenth(progress: Floats) -> Ints:
    """The tenth of the level in which each progress lies, from 0; 1 lies in the last."""
    return np.minimum(BINS - 1, np.floor(progress * BINS + 1e-12)).astype(np.int64)


def _numbers(play: Play, died: Ints) -> dict[str, TagNumbers]:
    """Return the numbers in tags at deaths that also stand where attempts end."""
    by_tag = {}
    for name in play.about.tags:
        try:
            values = attribute(play, f"end.{name}")
        except UsageError:  # nothing ended with it
            continue
        numbers = values.numbers
        rows = died[~np.isnan(numbers[died])]
        always = not np.isnan(numbers[values.codes >= 0]).any()
        by_tag[name] = TagNumbers(always, Counted.of(play.attempts.level[rows], play.around.cause[rows], numbers[rows]))
    return by_tag


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
            n_reached, minutes = int(reached[level]), spent.at(level) / 60
            figures = _Figures(counts, numbers, level, n_reached, minutes)
            causes = {play.about.causes[code]: figures.of(code) for code in figures.causes()}
            rows.append(
                DeathsRow(
                    level=play.stops[level],
                    placed=level < play.n_levels,
                    reached=n_reached,
                    minutes=minutes,
                    **figures.of(None),
                    without_cause=counts.deaths.at(level).at(ABSENT).total,
                    causes=dict(sorted(causes.items(), key=lambda item: (-item[1]["deaths"], item[0]))),
                    on_arrival=self._count_on_arrival(counts, level),
                    **_count_before_progress(counts, level),
                    **_failures(play.about.causes, counts.failures.at(level)),
                    void=void_attempts(play, level),
                )
            )
        return Table(rows, NoTotals())

    def _count_on_arrival(self, counts: DeathCounts, level: int) -> int:
        """How many deaths came within the first moment, or before any input where the log tells of inputs, as a rule."""
        attempts, telling = counts.inputs
        deaths = counts.lasting.at(level)
        without_input, seconds = deaths.columns
        early: Bools = seconds <= self.arrival + 1e-9
        return deaths.where(early | without_input if telling > attempts / 2 else early).total


@dataclass(frozen=True, eq=False, repr=False)
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
        players = (
            self.counts.players.at(self.level) if cause is None else self._count_at_cause(self.counts.players_by_cause, cause)
        )
        deaths, bins = self._count_at_cause(self.counts.deaths, cause).total, self._bins(cause)
        return DeathFigures(
            deaths=deaths,
            players=players.total,
            per_player_reached=share(deaths, self.reached),
            per_minute=deaths / self.minutes if self.minutes > 0 else None,
            progress=bins,
            most_bin=int(np.argmax(bins)) if any(bins) else None,
            said=self._numbers_in_tags(cause),
        )

    def _count_at_cause(self, counts: Counted, cause: int | None) -> Counted:
        """Return the figures of the level and cause, of what is counted by level and cause."""
        at_level = counts.at(self.level)
        return at_level if cause is None else at_level.at(cause)

    def _bins(self, cause: int | None) -> list[int]:
        """Deaths by tenths of the level."""
        progress = self._count_at_cause(self.counts.progress, cause)
        bins = np.zeros(BINS, np.int64)
        np.add.at(bins, progress.columns[-1], progress.count)
        return [int(count) for count in bins]

    def _numbers_in_tags(self, cause: int | None) -> dict[str, SaidAtDeath]:
        """The numbers that differ from death to death, by the tag that says them."""
        by_tag = {}
        for name, numbers in self.numbers.items():
            values = self._count_at_cause(numbers.at_deaths, cause)
            values = values.by(len(values.columns) - 1)
            if len(values.count) > 1:
                by_tag[name] = SaidAtDeath(n=values.total, p50=values.median())
        return by_tag


class BeforeProgress(TypedDict):
    """Deaths and clears before any progress was logged; nothing where no try at the level has any."""

    deaths_before_progress: int | None
    clears_before_progress: int | None


def _count_before_progress(counts: DeathCounts, level: int) -> BeforeProgress:
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
