"""Two builds side by side: level by level harder, easier, the same or no telling, and what moved as a whole."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final, Literal, get_args

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.comparing.causes import causes_by_level, words_by_level
from milepost.comparing.effects import Beyond, difference_of_shares, effects, quitting, time_taken
from milepost.comparing.estimates import FEW_SHARED, Estimates, estimated
from milepost.comparing.judging import LevelJudge
from milepost.comparing.matching import Matched
from milepost.comparing.pairing import Pair
from milepost.comparing.rows import (
    Changed,
    ComparedWith,
    CompareRow,
    CompareTotals,
    Effects,
    KeptAtEnd,
    KeptChange,
    KnobChange,
    Practice,
    Shift,
    Side,
    Verdict,
)
from milepost.comparing.saying import sentences, told_of_level
from milepost.comparing.verdicts import CLAIMED, Bar
from milepost.errors import UsageError
from milepost.gate.splitting import Split
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel, FunnelRow
from milepost.measures.interface import Table
from milepost.naming import folded
from milepost.numerics.intervals import Z95
from milepost.playback.play import Play

Assigned = Literal["lot", "crossed"]
ASSIGNED: Final = get_args(Assigned)
_NO_EFFECTS: Final = Effects(
    time_ratio=None, time_ratio_low=None, time_ratio_high=None, time_verdict=None, quit_ratio=None, quit_ratio_low=None,
    quit_ratio_high=None, quit_verdict=None, attempts_ratio=None, attempts_ratio_low=None, attempts_ratio_high=None,
    drop_off_change=None, drop_off_change_low=None, drop_off_change_high=None,
)  # fmt: skip


@dataclass(frozen=True)
class Compare:
    """Settings of a comparison.

    Attributes:
        split: which two groups of sessions.
        min_players: of fewer players in either, nothing is claimed.
        assigned: how players came to their build: by `lot`, or all to both in `crossed` order; None where it was not so arranged.
        looks: how often a running test is looked at, as planned.
        untouched: levels known not to have changed.
    """

    split: Split
    min_players: int = 5
    assigned: Assigned | None = None
    looks: int = 1
    untouched: tuple[str, ...] = ()

    def __call__(self, before: Play, after: Play, sessions: Sequence[str] = ()) -> Table[CompareRow, CompareTotals]:
        """One row a level of either build; the totals hold the shift and the sentences.

        Args:
            before, after: the plays of the two groups, each by its own course.
            sessions: the names of the whole log's sessions, in its order.

        Raises:
            UsageError: a level that is said to be untouched is not one of both builds.
        """
        case = _Case(Pair.of(before, after, sessions), self)
        rows = [case.row(number, level) for number, level in enumerate(case.pair.levels)]
        totals = CompareTotals(
            compared=ComparedWith(
                key=self.split.key, before=self.split.before, after=self.split.after, chosen=self.split.chosen,
                assigned=self.assigned, looks=self.looks, untouched=[case.pair.levels[n].name for n in case.untouched],
            ),
            players_from=int(before.counts.sum()), players_to=int(after.counts.sum()), shift=case.shift(),
            time_shift=case.time.whole(), quit_shift=case.quits.whole(), kept_at_end=case.kept(), sentences=[],
        )  # fmt: skip
        totals["sentences"] = sentences(rows, totals, case.spread)
        return Table(rows, totals)


@dataclass(frozen=True)
class _Case:
    """Two plays with all that a level is judged by."""

    pair: Pair
    settings: Compare

    @property
    def rate(self) -> float:
        """The rate of false claims, by how often one looks."""
        return CLAIMED / self.settings.looks

    @cached_property
    def untouched(self) -> list[int]:
        """The numbers of the levels that are known not to have changed."""
        by_name = {folded(level.name): n for n, level in enumerate(self.pair.levels) if None not in level.places}
        for name in self.settings.untouched:
            if folded(name) not in by_name:
                known = ", ".join([level.name for level in self.pair.levels if None not in level.places][:40])
                raise UsageError(f"--untouched {name!r}: no level of both builds is called so. They are: {known}.")
        return [by_name[folded(name)] for name in self.settings.untouched]

    @cached_property
    def players(self) -> Ints:
        """Per build and level, how many players have a settled try there."""
        n, width = len(self.pair.levels), self.pair.n_players
        cells = [np.unique(tries.item * width + tries.subject) // max(1, width) for tries in self.pair.sides.tries]
        return np.array([np.bincount(own, minlength=n) for own in cells], dtype=np.int64)

    @cached_property
    def enough(self) -> Bools:
        """Per level, whether there are players enough in both."""
        enough: Bools = np.min(self.players, axis=0) >= self.settings.min_players
        return enough

    @cached_property
    def estimates(self) -> Estimates | None:
        """The difficulties; None where no level was tried in both."""
        sides = self.pair.sides
        return estimated(sides) if (sides.tried(0) & sides.tried(1)).any() else None

    @cached_property
    def judge(self) -> LevelJudge | None:
        """Who says what is harder or easier."""
        found = self.estimates
        if found is None:
            return None
        return LevelJudge.of(found, self.enough[found.levels], Bar(rate=self.rate), self.untouched)

    @property
    def spread(self) -> float:
        """The spread of skill, by which logits are put into tries."""
        return float(np.mean(self.estimates.ability_sd)) if self.estimates else 1.0

    @cached_property
    def time(self) -> Beyond:
        """What the time of clearing tries did."""
        return time_taken(self.pair, self.settings.min_players, self.rate)

    @cached_property
    def quits(self) -> Beyond:
        """What quitting did."""
        return quitting(self.pair, self.settings.min_players, self.rate)

    @cached_property
    def _funnels(self) -> tuple[list[FunnelRow], list[FunnelRow]]:
        before, after = (Funnel()(play).rows for play in self.pair.plays)
        return before, after

    @cached_property
    def _changed(self) -> tuple[dict, dict]:  # type: ignore[type-arg]
        names = self.settings.split.before, self.settings.split.after
        return causes_by_level(self.pair, self.rate), words_by_level(self.pair, names)

    def row(self, number: int, level: Matched) -> CompareRow:
        """What is said of a level."""
        sides = [self._side(number, side, place) for side, place in enumerate(level.places)]
        before, after = level.places
        both = before is not None and after is not None
        judged = LevelJudge.nothing(None if not both else "no_telling")
        if both and self.judge is not None:
            judged = self.judge.difficulty(number, self.players[:, number], self._clears(number), self.settings.min_players)
        beside = self._effects(number, before, after) if before is not None and after is not None else _NO_EFFECTS
        row: CompareRow = {
            "level": level.name, "status": "both" if both else "removed" if after is None else "added", "renamed": level.renamed,
            "moved": level.moved, "from": sides[0], "to": sides[1], **judged, **beside,
            **self._design(number, before, after, judged["verdict"]), "sentence": None,
        }  # fmt: skip
        row["sentence"] = told_of_level(row, self.spread)
        return row

    def _side(self, number: int, side: int, place: int | None) -> Side | None:
        if place is None:
            return None
        play, found = self.pair.plays[side], self.estimates
        tried = AttemptsToClear()(play).rows[place]
        difficulty, se = None, None
        if found is not None:
            difficulty, se = _known(found.difficulty[side, number]), _known(found.se[side, number])
        return Side(
            level=play.stops[place], players=int(self.players[side, number]), tries=tried["settled"],
            try_clear=tried["try_clear"], difficulty=difficulty, se=se if difficulty is not None else None,
        )  # fmt: skip

    def _clears(self, number: int) -> tuple[int, int]:
        before, after = (int((tries.success & (tries.item == number)).sum()) for tries in self.pair.sides.tries)
        return before, after

    def _effects(self, number: int, before: int, after: int) -> Effects:
        counts = [np.bincount(tries.subject[tries.item == number]) for tries in self.pair.sides.tries]
        funnels = self._funnels[0][before], self._funnels[1][after]
        return effects(number, self.time, self.quits, (counts[0][counts[0] > 0], counts[1][counts[1] > 0]), funnels)

    def _design(self, number: int, before: int | None, after: int | None, verdict: Verdict | None) -> Changed:
        knobs = self._knobs(before, after)
        causes, words = self._changed
        cause: Literal["likely", "candidates", "none_known"] | None = None
        if verdict in ("harder", "easier"):
            cause = "none_known" if not knobs else "likely" if len(knobs) == 1 else "candidates"
        return Changed(knobs=knobs, causes=causes.get(number, []), words=words.get(number, []), cause=cause)

    def _knobs(self, before: int | None, after: int | None) -> list[KnobChange]:
        """The knobs that are set otherwise in the later build."""
        courses = [play.course for play in self.pair.plays]
        if before is None or after is None or courses[0] is None or courses[1] is None:
            return []
        old, new = courses[0].levels[before].knobs, courses[1].levels[after].knobs
        ways = courses[0].harder | courses[1].harder
        turned = [(name, old.get(name), new.get(name)) for name in dict.fromkeys([*old, *new]) if old.get(name) != new.get(name)]
        return [{"knob": name, "from": a, "to": b, "harder": _harder(a, b, ways.get(name))} for name, a, b in turned]

    def shift(self) -> Shift:
        """What all levels did together."""
        reading: Literal["game", "game_or_players"] = "game" if self.settings.assigned else "game_or_players"
        both = self.pair.players_both
        if self.judge is None or self.estimates is None:
            return Shift(size=None, low=None, high=None, reading=reading, players_both=both, practice=None)
        size, half = self.judge.told.shifted.shift, Z95 * self.judge.told.shifted.shift_se
        practice = None
        if self.estimates.practice is not None and both >= FEW_SHARED:
            worth, se = self.estimates.practice
            practice = Practice(size=worth, low=worth - Z95 * se, high=worth + Z95 * se)
        return Shift(size=size, low=size - half, high=size + half, reading=reading, players_both=both, practice=practice)

    def kept(self) -> KeptAtEnd:
        """Who is still there at the end of each build's course."""
        ends = [
            (rows[-1]["retention"], rows[-1]["retention_low"], rows[-1]["retention_high"]) if rows else (None, None, None)
            for rows in self._funnels
        ]
        size, low, high = difference_of_shares(*ends)
        known = size is not None and low is not None and high is not None
        change = KeptChange(size=size or 0.0, low=low or 0.0, high=high or 0.0) if known else None
        return {"from": ends[0][0], "to": ends[1][0], "change": change}


def _known(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _harder(before: object, after: object, way: str | None) -> bool | None:
    """Whether a knob was turned the way that makes a level harder, where the course says which that is."""
    if way is None or isinstance(before, bool | str) or isinstance(after, bool | str):
        return None
    if not isinstance(before, int | float) or not isinstance(after, int | float):
        return None
    return (after > before) == (way == "up")
