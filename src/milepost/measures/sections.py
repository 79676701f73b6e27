"""Sections: which part of a level attempts get through, where they fail, and how long each part takes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypedDict

import numpy as np

from milepost.measures.cells import first_tries
from milepost.measures.interface import LevelRow, Table, share
from milepost.measures.section_passes import AttemptPasses, LevelMarks, marks_of_levels
from milepost.measures.sums.funnel_counts import cleared_by, stopped_levels
from milepost.numerics.intervals import clustered_share
from milepost.numerics.survival import kaplan_meier
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
        found: list[SectionRow] = []
        levels = []
        for level in range(play.n_levels):
            if self.level is not None and play.stops[level] != self.level:
                continue
            own = marks.get(level, LevelMarks((), (), {}))
            sections = [_Section(play, level, own, number).row(stopped.get(level, {})) for number in range(len(own.names) + 1)]
            spent = sum(row["failing_seconds"] for row in sections)
            for row in sections:
                row["failing_share"] = row["failing_seconds"] / spent if spent else None
            found += sections
            levels.append(HardestSection(level=play.stops[level], hardest=_hardest(sections)))
        return Table(levels, SectionTotals(sections=found))


def _hardest(rows: Sequence[SectionRow]) -> int | None:
    told = [row for row in rows if row["players"] >= _FEWEST and row["pass_rate"] is not None]
    return min(told, key=lambda row: (row["pass_rate"] or 0.0, row["section"]))["section"] if told else None


class _Section:
    """One section of a level, with the attempts that were in it."""

    def __init__(self, play: Play, level: int, marks: LevelMarks, number: int) -> None:
        self.play, self.level, self.marks, self.number = play, level, marks, number
        self.last = len(marks.names)
        self.entries = [own for own in marks.passes if own.opens_at <= number and number <= self._reaches(own)]

    def _reaches(self, own: AttemptPasses) -> int:
        """The last section that an attempt was in."""
        return self.last if self.play.attempts.outcome[own.row] == CLEARED else own.furthest

    def _is_passed(self, own: AttemptPasses) -> bool:
        return self.number < own.furthest or bool(self.play.attempts.outcome[own.row] == CLEARED)

    def _is_failed(self, own: AttemptPasses) -> bool:
        return not self._is_passed(own) and int(self.play.attempts.outcome[own.row]) in (DIED, WAS_RESET)

    def row(self, stopped: Mapping[int, int]) -> SectionRow:
        """The section's figures."""
        player = self.play.attempts.player
        passed = [own for own in self.entries if self._is_passed(own)]
        failed = [own for own in self.entries if self._is_failed(own)]
        trying: dict[int, list[bool]] = {}
        for own in self.entries:
            if self._is_passed(own) or self._is_failed(own):
                trying.setdefault(int(player[own.row]), []).append(self._is_passed(own))
        counts = np.array([len(tries) for tries in trying.values()], np.int64)
        clears = np.array([sum(tries) for tries in trying.values()], np.int64)
        low, high = clustered_share(clears, counts)
        names = self.marks.names
        return {
            "level": self.play.stops[self.level],
            "section": self.number,
            "from": names[self.number - 1] if self.number else None,
            "to": names[self.number] if self.number < self.last else None,
            "entered": len(self.entries),
            "passed": len(passed),
            "failed": len(failed),
            "ended": len(self.entries) - len(passed) - len(failed),
            "unmarked": sum(self.number < self.last and self.number + 1 not in own.seen for own in passed),
            "pass_rate": share(len(passed), len(passed) + len(failed)),
            "pass_rate_low": low,
            "pass_rate_high": high,
            "players": len({int(player[own.row]) for own in self.entries}),
            "players_passed": len({int(player[own.row]) for own in passed}),
            "tries_p50": _median_tries(list(trying.values())),
            "seconds_p50": self._median_seconds(passed),
            "failing_seconds": float(sum(self._seconds_in(own) for own in self.entries if not self._cleared(own))),
            "failing_share": None,
            "stopped": stopped.get(self.number, 0),
        }

    def _cleared(self, own: AttemptPasses) -> bool:
        return bool(self.play.attempts.outcome[own.row] == CLEARED)

    def _moments(self, own: AttemptPasses) -> dict[int, float]:
        """The active seconds at which an attempt passed marks, its opening and its clear among them; empty where not known."""
        active = float(self.play.attempts.active[own.row])
        if np.isnan(active):
            return {}
        moments = {own.opens_at: 0.0} | {passed.mark: passed.second for passed in own.passes}
        return moments | ({self.last + 1: active} if self._cleared(own) else {})

    def _median_seconds(self, passed: Sequence[AttemptPasses]) -> float | None:
        taken = [
            moments[self.number + 1] - moments[self.number]
            for own in passed
            if (moments := self._moments(own)) and self.number in moments and self.number + 1 in moments
        ]
        return float(np.median(taken)) if taken else None

    def _seconds_in(self, own: AttemptPasses) -> float:
        """The seconds of an attempt that belong to the section: from its beginning to the next moment."""
        moments = self._moments(own)
        if self.number not in moments:
            return 0.0
        later = [second for mark, second in moments.items() if mark > self.number]
        end = min(later, default=float(self.play.attempts.active[own.row]))
        return max(0.0, end - moments[self.number])


def _median_tries(trying: Sequence[Sequence[bool]]) -> float | None:
    """The median number of the entry that first passed, by Kaplan and Meier over players."""
    told = [tries for tries in trying if tries]
    if not told:
        return None
    first = [tries.index(True) + 1 if any(tries) else len(tries) for tries in told]
    curve = kaplan_meier(np.array(first, np.float64), np.array([any(tries) for tries in told]))
    return curve.quantile(0.5)


def _stopped(play: Play, marks: Mapping[int, LevelMarks]) -> dict[int, dict[int, int]]:
    """Per level and section, players who stopped there without a clear of the level, by where their last attempt there ended."""
    cleared, found = cleared_by(play), dict[int, dict[int, int]]()
    level_of = stopped_levels(play, play.gated.done(cleared))
    ends = {level: {int(play.attempts.player[one.row]): one.furthest for one in own.passes} for level, own in marks.items()}
    for player in np.flatnonzero(level_of >= 0).tolist():
        level = int(level_of[player])
        if not cleared[level, player] and player in ends.get(level, {}):
            of = found.setdefault(level, {})
            section = ends[level][player]
            of[section] = of.get(section, 0) + 1
    return found
