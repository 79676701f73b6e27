"""Sections: which part of a level attempts get through, where they fail, and how long each part takes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypedDict

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.measures.cells import first_tries
from milepost.measures.funnel_counts import cleared_mask, stopped_levels
from milepost.measures.interface import LevelRow, Table, share
from milepost.measures.section_passes import NO_MARKS, LevelMarks, marks_of_levels
from milepost.numerics.intervals import clustered_share, median
from milepost.numerics.survival import kaplan_meier
from milepost.numerics.whole_numbers import count_values, distinct, is_among, number_values, stable_order
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, DIED, WAS_RESET

_FEWEST = 5  # players from which a section may be the hardest


# A section of a level, from one mark to the next; `from` and `to` are None at the ends.
SectionRow = TypedDict(
    "SectionRow",
    {
        "level": str,
        "section": int,
        "from": str | float | None,
        "to": str | float | None,
        "entered": int,
        "passed": int,
        "failed": int,
        "ended": int,
        "unmarked": int,
        "pass_rate": float | None,
        "pass_rate_low": float | None,
        "pass_rate_high": float | None,
        "players": int,
        "players_passed": int,
        "tries_p50": float | None,
        "seconds_p50": float | None,
        "failing_seconds": float,
        "failing_share": float | None,
        "stopped": int,
    },
)


class HardestSection(LevelRow):
    """A level with its hardest section."""

    hardest: int | None


class SectionTotals(TypedDict):
    """All sections, in the order of the course."""

    sections: list[SectionRow]


@dataclass(frozen=True)
class Sections:
    """Sections of levels by marks of checkpoints, or by progress.

    Attributes:
        level: the one level that is asked for; all of the course where None.
    """

    level: str | None = None

    def __call__(self, play: Play) -> Table[HardestSection, SectionTotals]:
        """One row a level; the totals hold a row a section."""
        rows = np.flatnonzero(first_tries(play))
        marks = marks_of_levels(play, rows)
        stopped = _stopped(play, marks)
        all_sections: list[SectionRow] = []
        levels = []
        for level in range(play.n_levels):
            if self.level is not None and play.stops[level] != self.level:
                continue
            of_level = marks.get(level, NO_MARKS)
            sections = [
                _Section(play, level, of_level, number).row(stopped.get(level, {})) for number in range(len(of_level.names) + 1)
            ]
            spent = sum(row["failing_seconds"] for row in sections)
            for row in sections:
                row["failing_share"] = row["failing_seconds"] / spent if spent else None
            all_sections += sections
            levels.append(HardestSection(level=play.stops[level], hardest=_hardest(sections)))
        return Table(levels, SectionTotals(sections=all_sections))


def _hardest(rows: Sequence[SectionRow]) -> int | None:
    judged = [row for row in rows if row["players"] >= _FEWEST and row["pass_rate"] is not None]
    return min(judged, key=lambda row: (row["pass_rate"] or 0.0, row["section"]))["section"] if judged else None


class _Section:
    """One section of a level, with the attempts that were in it."""

    def __init__(self, play: Play, level: int, marks: LevelMarks, number: int) -> None:
        self.play, self.level, self.marks, self.number = play, level, marks, number
        self.last = len(marks.names)
        outcome = play.attempts.outcome[marks.rows]
        cleared = outcome == CLEARED
        entered = (marks.opens_at <= number) & (cleared | (number <= marks.furthest))
        passed = entered & (cleared | (number < marks.furthest))
        self.entered, self.passed = np.flatnonzero(entered), np.flatnonzero(passed)
        self.failed = np.flatnonzero(entered & ~passed & is_among(outcome, (DIED, WAS_RESET)))
        self.uncleared = np.flatnonzero(entered & ~cleared)
        self.settled = np.flatnonzero(passed | (entered & ~passed & is_among(outcome, (DIED, WAS_RESET))))
        self.is_passed = passed

    def row(self, stopped: Mapping[int, int]) -> SectionRow:
        """The section's figures."""
        player = self.play.attempts.player[self.marks.rows]
        tried, passes = number_values(player[self.settled])[1], self.is_passed[self.settled]
        low, high = clustered_share(np.bincount(tried[passes], minlength=int(tried.max(initial=-1)) + 1), np.bincount(tried))
        names, next_mark = self.marks.names, self.marks.key(self.passed, self.number + 1)
        n_passed, n_failed = len(self.passed), len(self.failed)
        return {
            "level": self.play.stops[self.level],
            "section": self.number,
            "from": names[self.number - 1] if self.number else None,
            "to": names[self.number] if self.number < self.last else None,
            "entered": len(self.entered),
            "passed": n_passed,
            "failed": n_failed,
            "ended": len(self.entered) - n_passed - n_failed,
            "unmarked": int((~_is_in(self.marks.seen, next_mark)).sum()) if self.number < self.last else 0,
            "pass_rate": share(n_passed, n_passed + n_failed),
            "pass_rate_low": low,
            "pass_rate_high": high,
            "players": len(distinct(player[self.entered])),
            "players_passed": len(distinct(player[self.passed])),
            "tries_p50": _median_tries(tried, passes),
            "seconds_p50": self._median_seconds(),
            "failing_seconds": float(self._seconds_in(self.uncleared).sum()),
            "failing_share": None,
            "stopped": stopped.get(self.number, 0),
        }

    def _moments(self, attempts: Ints, mark: int) -> Floats:
        """Per attempt, the active second at which it passed a mark; its opening and its clear are moments; NaN without one."""
        table, rows = self.play.attempts, self.marks.rows[attempts]
        if mark > self.last:
            return np.where(table.outcome[rows] == CLEARED, table.active[rows], np.nan)
        keys = self.marks.key(attempts, mark)
        place = np.minimum(np.searchsorted(self.marks.passed, keys), max(0, len(self.marks.passed) - 1))
        known = (self.marks.passed[place] == keys) & ~np.isnan(table.active[rows])
        return np.where(known, self.marks.seconds[place], np.nan)

    def _median_seconds(self) -> float | None:
        return median(_drop_nan(self._moments(self.passed, self.number + 1) - self._moments(self.passed, self.number)))

    def _seconds_in(self, attempts: Ints) -> Floats:
        """The seconds of attempts that did not clear which belong to the section: from its beginning to the next moment."""
        begin = self._moments(attempts, self.number)
        marks, begun = self.marks, np.flatnonzero(~np.isnan(begin))
        following = np.searchsorted(marks.passed, marks.key(attempts[begun], self.number), side="right")
        passes_on = np.append(marks.passed, np.iinfo(np.int64).max)[following] < marks.key(attempts[begun] + 1, 0)
        end = np.where(
            passes_on, np.append(marks.seconds, 0.0)[following], self.play.attempts.active[marks.rows[attempts[begun]]]
        )
        return np.maximum(0.0, end - begin[begun])


def _drop_nan(values: Floats) -> Floats:
    known: Floats = values[~np.isnan(values)]
    return known


def _is_in(known: Ints, keys: Ints) -> Bools:
    """Return a mask of the keys that are among some that rise."""
    place = np.searchsorted(known, keys)
    is_known: Bools = np.append(known, -1)[place] == keys
    return is_known


def _median_tries(player: Ints, passed: Bools) -> float | None:
    """The median number of the entry that first passed, by Kaplan and Meier over players; entries are in the order of play."""
    if not len(player):
        return None
    count = np.bincount(player)
    order = stable_order(player)
    number = np.empty(len(player), np.int64)
    number[order] = np.arange(len(player)) - np.repeat(np.cumsum(count) - count, count) + 1
    first = count.copy()
    np.minimum.at(first, player[passed], number[passed])
    has_passed = np.bincount(player[passed], minlength=len(count)) > 0
    return kaplan_meier(first.astype(np.float64), has_passed).quantile(0.5)


def _stopped(play: Play, marks: Mapping[int, LevelMarks]) -> dict[int, dict[int, int]]:
    """Per level and section, players who stopped there without a clear of the level, by where their last attempt there ended."""
    cleared, by_level = cleared_mask(play), dict[int, dict[int, int]]()
    level_of = stopped_levels(play, play.gated.done(cleared))
    for level, of_level in marks.items():
        player = play.attempts.player[of_level.rows]
        last = np.append(np.diff(player) != 0, np.True_)[: len(player)]  # a player's attempts stand together
        stopped = last & (level_of[player] == level) & ~cleared[level, player]
        sections, counts = count_values(of_level.furthest[stopped])
        by_level[level] = dict(zip(sections.tolist(), counts.tolist(), strict=True))
    return by_level
