"""Deaths and failures by level and cause."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.errors import UsageError
from milepost.numerics.value_counts import Counted
from milepost.playback.attributes import attribute
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, DIED, WAS_RESET

BINS = 10


@dataclass(frozen=True)
class TagNumbers:
    """A tag that says numbers where attempts end.

    Attributes:
        always: whether it says nothing but numbers.
        at_deaths: by level, cause and number: deaths.
    """

    always: bool
    at_deaths: Counted


@dataclass(frozen=True)
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
        told, timed = ~np.isnan(progress), ~np.isnan(active)
        got_on = table.progress > 0
        ended = counted & ~got_on & table.ended(DIED, CLEARED)
        return cls(
            Counted.of(level, cause_there),
            Counted.subjects(player, level),
            Counted.subjects(player, level, cause_there),
            Counted.of(level[told], cause_there[told], tenth(progress[told])),
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
            for name, own in part.numbers.items():
                numbers.setdefault(name, []).append(own)
        together = {
            name: TagNumbers(all(one.always for one in several), Counted.merged(one.at_deaths for one in several))
            for name, several in numbers.items()
        }
        return cls(**counts, inputs=(attempts, telling), numbers=together)


def tenth(progress: Floats) -> Ints:
    """The tenth of the level in which each progress lies, from 0; 1 lies in the last."""
    return np.minimum(BINS - 1, np.floor(progress * BINS + 1e-12)).astype(np.int64)


def _numbers(play: Play, died: Ints) -> dict[str, TagNumbers]:
    """Return the numbers in tags at deaths that also stand where attempts end."""
    found = {}
    for name in play.about.tags:
        try:
            values = attribute(play, f"end.{name}")
        except UsageError:  # nothing ended with it
            continue
        numbers = values.numbers
        own = died[~np.isnan(numbers[died])]
        always = not np.isnan(numbers[values.codes >= 0]).any()
        found[name] = TagNumbers(always, Counted.of(play.attempts.level[own], play.around.cause[own], numbers[own]))
    return found
