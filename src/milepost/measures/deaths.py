"""Deaths: how many, what of, where in the level; and failures that are no deaths."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.errors import UsageError
from milepost.measures.cells import cells, levels_shown, rows_of, void_attempts
from milepost.measures.interface import LevelRow, NoTotals, Table, share
from milepost.numerics.intervals import median
from milepost.numerics.whole_numbers import counted, distinct
from milepost.playback.attributes import attribute
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, DIED, WAS_RESET

BINS = 10


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

    def __call__(self, play: Play) -> Table[DeathsRow, NoTotals]:
        """One row a level; see docs/definitions.md for the columns."""
        table, cell = play.attempts, cells(play)
        counted = play.counts[table.player] & table.taken
        cause, dying = _causes(play), table.ended(DIED)
        rows = []
        for level in levels_shown(play):
            here = rows_of(play, level)
            here = here[counted[here]]
            died = here[dying[here]]
            reached = len(cell.of(level).player)
            minutes = float(np.nansum(table.active[here])) / 60
            causes = {
                play.gated.log.causes[code]: _figures(play, died[cause[died] == code], reached, minutes)
                for code in distinct(cause[died])
                if code >= 0
            }
            ordered = sorted(causes.items(), key=lambda item: (-item[1]["deaths"], item[0]))
            rows.append(
                DeathsRow(
                    level=play.stops[level],
                    placed=level < play.n_levels,
                    reached=reached,
                    minutes=minutes,
                    **_figures(play, died, reached, minutes),
                    without_cause=int((cause[died] < 0).sum()),
                    causes=dict(ordered),
                    on_arrival=self._on_arrival(play, died),
                    **_before_progress(play, here),
                    **_failures(play, here),
                    void=void_attempts(play, level),
                )
            )
        return Table(rows, NoTotals())

    def _on_arrival(self, play: Play, died: Ints) -> int:
        """How many deaths came within the first moment, or before any input where the log tells of inputs."""
        active = play.attempts.active[died]
        early: Bools = active <= self.arrival + 1e-9
        if play.once(_tells_inputs):
            early = early | (np.isnan(play.attempts.settling[died]) & ~np.isnan(active))
        return int(early.sum())


def _tells_inputs(play: Play) -> bool:
    """Whether the log tells of first inputs, as a rule."""
    return len(play.attempts) > 0 and float(np.mean(~np.isnan(play.attempts.settling))) > 0.5


class BeforeProgress(TypedDict):
    """Deaths and clears before any progress was logged; nothing where no try at the level has any."""

    deaths_before_progress: int | None
    clears_before_progress: int | None


def _before_progress(play: Play, here: Ints) -> BeforeProgress:
    got_on = play.attempts.progress[here] > 0
    if not got_on.any():
        return BeforeProgress(deaths_before_progress=None, clears_before_progress=None)
    outcome = play.attempts.outcome[here[~got_on]]
    died, cleared = (int((outcome == one).sum()) for one in (DIED, CLEARED))
    return BeforeProgress(deaths_before_progress=died, clears_before_progress=cleared)


def _causes(play: Play) -> Ints:
    """Per attempt, the number of the cause on the record that closed it; -1 without one."""
    return play.around.cause


def _figures(play: Play, died: Ints, reached: int, minutes: float) -> DeathFigures:
    deaths = len(died)
    progress = play.attempts.progress[died]
    bins = histogram(progress[~np.isnan(progress)])
    return DeathFigures(
        deaths=deaths,
        players=len(distinct(play.attempts.player[died])),
        per_player_reached=share(deaths, reached),
        per_minute=deaths / minutes if minutes > 0 else None,
        progress=bins,
        most_bin=int(np.argmax(bins)) if any(bins) else None,
        said=_said(play, died),
    )


def _said(play: Play, died: Ints) -> dict[str, SaidAtDeath]:
    """The numbers that differ from death to death, by the tag that says them."""
    found = {}
    for name, numbers in play.once(_numbers_at_ends).items():
        own = numbers[died]
        own = own[~np.isnan(own)]
        if len(own) and own.min() < own.max():
            found[name] = SaidAtDeath(n=len(own), p50=median(own))
    return found


def _numbers_at_ends(play: Play) -> dict[str, Floats]:
    """Per tag that is a number wherever an attempt ends with it, the numbers."""
    found = {}
    for name in play.gated.log.tags:
        try:
            values = attribute(play, f"end.{name}")
        except UsageError:
            continue
        if not np.isnan(values.numbers[values.codes >= 0]).any():
            found[name] = values.numbers
    return found


def histogram(progress: Floats) -> list[int]:
    """Counts in ten bins of progress; 1 falls in the last."""
    place = np.minimum(BINS - 1, np.floor(progress * BINS + 1e-12)).astype(np.int64)
    return [int(count) for count in np.bincount(place, minlength=BINS)]


def _failures(play: Play, here: Ints) -> Failures:
    """Deaths and resets together: how many, and by what; a reset without a cause is a restart by choice."""
    outcome = play.attempts.outcome
    failed = here[(outcome[here] == DIED) | (outcome[here] == WAS_RESET)]
    by_name: dict[str, int] = {}
    for key, count in zip(*counted(2 * _causes(play)[failed] + (outcome[failed] == DIED)), strict=True):
        code, died = divmod(int(key), 2)
        name = play.gated.log.causes[code] if code >= 0 else "death without a cause" if died else "restart by choice"
        by_name[name] = by_name.get(name, 0) + int(count)
    return Failures(failures=len(failed), failure_causes=dict(sorted(by_name.items(), key=lambda item: (-item[1], item[0]))))
