"""Two builds side by side: level by level harder, easier, the same or undecided, and what moved as a whole."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final, Literal

import numpy as np

from milepost.arrays import Bools, Ints, none_if_nan
from milepost.cleaning.splitting import Split
from milepost.comparison.changed import Changes
from milepost.comparison.effects import Beyond, difference_of_shares, estimate_quitting, estimate_times, list_effects
from milepost.comparison.estimates import FEW_SHARED, Estimates, FitOfSide, estimate_difficulties
from milepost.comparison.judging import CLAIMED, Bar, LevelJudge
from milepost.comparison.pairing import Matched, Pair
from milepost.comparison.row_types import (
    Changed,
    ComparedWith,
    CompareRow,
    CompareTotals,
    Dealt,
    Effects,
    KeptAtEnd,
    KeptChange,
    Practice,
    Ratio,
    Shift,
    Side,
)
from milepost.comparison.sentences import Phrases, word_level, write_sentences
from milepost.errors import UsageError
from milepost.level_names import fold_name
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.funnel import Funnel, FunnelRow
from milepost.measures.interface import Table
from milepost.numerics.intervals import Z95
from milepost.playback.attributes import is_attribute
from milepost.playback.play import Play

Assigned = Literal["lot", "crossed"]
_NOBODY: Final = 1 << 62  # players, of whom nothing is claimed
_NO_EFFECTS: Final = Effects(
    time_ratio=None,
    time_ratio_low=None,
    time_ratio_high=None,
    time_verdict=None,
    quit_ratio=None,
    quit_ratio_low=None,
    quit_ratio_high=None,
    quit_verdict=None,
    attempts_ratio=None,
    attempts_ratio_low=None,
    attempts_ratio_high=None,
    drop_off_change=None,
    drop_off_change_low=None,
    drop_off_change_high=None,
)


_NO_RATIO: Final = Ratio(ratio=None, low=None, high=None)
_NO_CHANGES: Final = Changed(knobs=[], causes=[], words=[], cause=None)


@dataclass(frozen=True)
class Compare:
    """Settings of a comparison.

    Attributes:
        split: which two groups of sessions.
        min_players: of fewer players in either, nothing is claimed.
        assigned: how players came to their build: by `lot`, or all to both in `crossed` order; None where it was not so arranged.
        looks: how often a running test is looked at, as planned.
        untouched: levels known not to have changed.
        shares: what a lot deals out, the one side to the other.
        beside: whether time, quitting and what was changed are looked at beside difficulty.
    """

    split: Split
    min_players: int = 5
    assigned: Assigned | None = None
    looks: int = 1
    untouched: tuple[str, ...] = ()
    shares: tuple[float, float] = (1.0, 1.0)
    beside: bool = True

    @property
    def rate(self) -> float:
        """The rate of false claims, by how often one looks."""
        return CLAIMED / self.looks

    def __call__(self, before: Play, after: Play, sessions: Sequence[str] = ()) -> Table[CompareRow, CompareTotals]:
        """One row a level of either build; the totals hold the shift and the sentences.

        Args:
            before, after: the plays of the two groups, each by its own course.
            sessions: the names of the whole log's sessions, in its order.

        Raises:
            UsageError: a level that is said to be untouched is not one of both builds.
        """
        by_try = is_attribute(self.split.key)
        dealt = check_lot(before, after, by_try, self.shares) if self.assigned == "lot" else None
        settings = self if dealt is None or dealt["believed"] else replace(self, min_players=_NOBODY)
        case = BuildsCompared(Pair.of(before, after, sessions, by_try), settings)
        rows = [case.row(number, level) for number, level in enumerate(case.pair.levels)]
        shift = shift_of_all(case.estimates, case.judge, case.pair.players_both, self.assigned is not None)
        totals = CompareTotals(
            compared=ComparedWith(
                key=self.split.key,
                before=self.split.before,
                after=self.split.after,
                chosen=self.split.chosen,
                assigned=self.assigned,
                unit="try" if by_try else "session",
                dealt=dealt,
                looks=self.looks,
                untouched=[case.pair.levels[n].name for n in case.untouched],
            ),
            players_from=_players(before),
            players_to=_players(after),
            shift=shift,
            time_shift=case.time.ratio_of_all() if self.beside else _NO_RATIO,
            quit_shift=case.quits.ratio_of_all() if self.beside else _NO_RATIO,
            kept_at_end={"from": None, "to": None, "change": None} if by_try else kept_at_end(*case.funnels),
            own_choice=None,
            arms=None,
            sentences=[],
        )
        totals["sentences"] = write_sentences(rows, totals, _spread(case.estimates), case.phrases)
        return Table(rows, totals)


@dataclass(frozen=True, eq=False, repr=False)
class BuildsCompared:
    """Two plays with all that a level is judged by."""

    pair: Pair
    settings: Compare

    @cached_property
    def untouched(self) -> list[int]:
        """The numbers of the levels that are known not to have changed."""
        by_name = {fold_name(level.name): n for n, level in enumerate(self.pair.levels) if None not in level.places}
        for name in self.settings.untouched:
            if fold_name(name) not in by_name:
                known = ", ".join([level.name for level in self.pair.levels if None not in level.places][:40])
                raise UsageError(f"--untouched {name!r}: no level of both builds is called so. They are: {known}.")
        return [by_name[fold_name(name)] for name in self.settings.untouched]

    @cached_property
    def players(self) -> Ints:
        """Per build and level, how many players have a settled try there."""
        n, width = len(self.pair.levels), self.pair.n_players
        cells = [np.unique(tries.item * width + tries.subject) // max(1, width) for tries in self.pair.sides.tries]
        return np.array([np.bincount(numbers, minlength=n) for numbers in cells], dtype=np.int64)

    @cached_property
    def estimates(self) -> Estimates | None:
        """The difficulties; None where no level was tried in both."""
        sides = self.pair.sides
        if not (sides.tried(0) & sides.tried(1)).any():
            return None
        n = len(self.pair.levels)
        return estimate_difficulties(
            sides, lambda side: self.pair.plays[side].compute_once(FitOfSide(tuple(self.pair.level_of(side).tolist()), n))
        )

    @cached_property
    def judge(self) -> LevelJudge | None:
        """Return the judge of harder and easier; None if there are too few tries."""
        estimates = self.estimates
        if estimates is None:
            return None
        enough: Bools = np.min(self.players, axis=0) >= self.settings.min_players
        return LevelJudge.of(estimates, enough[estimates.levels], Bar(rate=self.settings.rate), self.untouched)

    @cached_property
    def time(self) -> Beyond:
        """Return the changes in the time of clearing tries."""
        return estimate_times(self.pair, self.settings.min_players, self.settings.rate)

    @cached_property
    def quits(self) -> Beyond:
        """Return the changes in quitting."""
        return estimate_quitting(self.pair, self.settings.min_players, self.settings.rate)

    @cached_property
    def funnels(self) -> tuple[list[FunnelRow], list[FunnelRow]]:
        """The funnel of either build."""
        before, after = (play.compute_once(Funnel()).rows for play in self.pair.plays)
        return before, after

    @cached_property
    def phrases(self) -> Phrases:
        """How the two are named."""
        return Phrases.of(self.settings.split, self.settings.assigned is not None)

    @cached_property
    def changes(self) -> Changes:
        """Return the changes at each level."""
        return Changes(
            self.pair, (self.settings.split.before, self.settings.split.after), self.settings.rate, self.phrases.causal
        )

    def row(self, number: int, level: Matched) -> CompareRow:
        """Return the row of a level."""
        sides = [self._side(number, side, place) for side, place in enumerate(level.places)]
        before, after = level.places
        both = before is not None and after is not None
        judged = LevelJudge.empty_verdict(None if not both else "no_telling")
        if both and self.judge is not None:
            first, then = (int((tries.success & (tries.item == number)).sum()) for tries in self.pair.sides.tries)
            judged = self.judge.difficulty(number, self.players[:, number], (first, then), self.settings.min_players)
        looked_at = self.settings.beside and before is not None and after is not None
        beside = self._effects(number, before, after) if looked_at and before is not None and after is not None else _NO_EFFECTS
        row: CompareRow = {
            "level": level.name,
            "status": "both" if both else "removed" if after is None else "added",
            "renamed": level.renamed,
            "moved": level.moved,
            "from": sides[0],
            "to": sides[1],
            **judged,
            **beside,
            **(self.changes.at(number, level.places, judged["verdict"]) if self.settings.beside else _NO_CHANGES),
            "sentence": None,
        }
        row["sentence"] = word_level(row, _spread(self.estimates), self.phrases)
        return row

    def _side(self, number: int, side: int, place: int | None) -> Side | None:
        if place is None:
            return None
        play, estimates = self.pair.plays[side], self.estimates
        tried = play.compute_once(AttemptsToClear()).rows[place]
        difficulty, se = None, None
        if estimates is not None:
            difficulty, se = none_if_nan(estimates.difficulty[side, number]), none_if_nan(estimates.se[side, number])
        return Side(
            level=play.stops[place],
            players=int(self.players[side, number]),
            tries=tried["settled"],
            try_clear=tried["try_clear"],
            difficulty=difficulty,
            se=se if difficulty is not None else None,
        )

    def _effects(self, number: int, before: int, after: int) -> Effects:
        counts = [np.bincount(tries.subject[tries.item == number]) for tries in self.pair.sides.tries]
        funnels = (self.funnels[0][before], self.funnels[1][after]) if not self.pair.by_try else None
        return list_effects(number, self.time, self.quits, (counts[0][counts[0] > 0], counts[1][counts[1] > 0]), funnels)


def _players(play: Play) -> int:
    """How many players count who have a try that is looked at."""
    if not play.conditions:
        return int(play.counts.sum())
    table = play.attempts
    return len(np.unique(table.player[play.counts[table.player] & table.taken & (table.level < play.n_levels)]))


def _spread(estimates: Estimates | None) -> float:
    """The spread of skill, by which logits are put into tries."""
    return float(np.mean(estimates.ability_sd)) if estimates else 1.0


_BELIEVED: Final = 0.001  # a lot whose shares are less likely than this was none


def check_lot(before: Play, after: Play, by_try: bool, shares: tuple[float, float]) -> Dealt:
    """How many were dealt to each side, players or tries, and how likely a lot is to part them as far, by the exact test.

    Args:
        before, after: the two sides.
        by_try: whether each try was dealt by itself.
        shares: what the lot deals out, the one side to the other.
    """
    from scipy.stats import binomtest

    first, second = (_tries(play) if by_try else int(play.counts.sum()) for play in (before, after))
    total = first + second
    p = float(binomtest(first, total, shares[0] / sum(shares)).pvalue) if total else 1.0
    return {"from": first, "to": second, "p_value": p, "believed": p >= _BELIEVED}


def _tries(play: Play) -> int:
    table = play.attempts
    return int((play.counts[table.player] & table.taken & (table.level < play.n_levels)).sum())


def shift_of_all(estimates: Estimates | None, judge: LevelJudge | None, players_both: int, arranged: bool) -> Shift:
    """Return the shift of all levels together, with its 95 % interval; without a size if no level was tried in both builds.

    Args:
        estimates, judge: the difficulties, and who judges them.
        players_both: how many players played both builds.
        arranged: players did not choose their build, so that it is the game that changed, not who came.
    """
    reading: Literal["game", "game_or_players"] = "game" if arranged else "game_or_players"
    if judge is None or estimates is None:
        return Shift(size=None, low=None, high=None, reading=reading, players_both=players_both, practice=None)
    size, half = judge.differences.shifted.shift, Z95 * judge.differences.shifted.shift_se
    practice = None
    if estimates.practice is not None and players_both >= FEW_SHARED:
        worth, se = estimates.practice
        practice = Practice(size=worth, low=worth - Z95 * se, high=worth + Z95 * se)
    return Shift(size=size, low=size - half, high=size + half, reading=reading, players_both=players_both, practice=practice)


def kept_at_end(before: list[FunnelRow], after: list[FunnelRow]) -> KeptAtEnd:
    """Return the players kept at the end of each build's course, by its funnel."""
    ends = [
        (rows[-1]["retention"], rows[-1]["retention_low"], rows[-1]["retention_high"]) if rows else (None, None, None)
        for rows in (before, after)
    ]
    size, low, high = difference_of_shares(*ends)
    known = size is not None and low is not None and high is not None
    change = KeptChange(size=size or 0.0, low=low or 0.0, high=high or 0.0) if known else None
    return {"from": ends[0][0], "to": ends[1][0], "change": change}
