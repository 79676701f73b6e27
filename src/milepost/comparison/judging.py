"""Verdicts on a level's difficulty in two builds."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, inf
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.comparison.estimates import Estimates
from milepost.comparison.row_types import ChangeVerdict, Difficulty
from milepost.numerics.intervals import Z95, normal_quantile, two_sided
from milepost.numerics.shifts import FEWEST, Shifted, estimate_shift, false_discovery_rate

_WAYS: Final[tuple[ChangeVerdict, ChangeVerdict, ChangeVerdict]] = ("easier", "no_telling", "harder")


@dataclass(frozen=True, eq=False, repr=False)
class LevelJudge:
    """The differences, and what is told of them.

    Attributes:
        estimates: the difficulties.
        enough: per level tried in both, whether there are players enough.
        differences: what is told beyond the shift.
        bar: what it takes to claim something.
        parts: whether there are levels enough to tell a shift from what each did.
        change_q: per level, the false discovery rate of what it did in all.
    """

    estimates: Estimates
    enough: Bools
    differences: JudgedDifferences
    bar: Bar
    parts: bool
    change_q: Floats

    @classmethod
    def of(cls, estimates: Estimates, enough: Bools, bar: Bar, untouched: list[int]) -> LevelJudge:
        """Judge all levels."""
        known = np.isin(estimates.levels, untouched)
        judged = judge_differences(estimates.difference, estimates.covariance, enough, bar, known if known.any() else None)
        q = np.full(len(enough), np.nan)
        q[enough] = false_discovery_rate(two_sided(estimates.difference / np.sqrt(np.diag(estimates.covariance)))[enough])
        return cls(estimates, enough, judged, bar, bool(len(enough) >= FEWEST or known.any()), q)

    @staticmethod
    def empty_verdict(verdict: ChangeVerdict | None) -> Difficulty:
        """Return the empty verdict, for a level without data."""
        return Difficulty(
            delta=None,
            delta_low=None,
            delta_high=None,
            p_value=None,
            q_value=None,
            verdict=verdict,
            change=None,
            change_low=None,
            change_high=None,
            change_verdict=verdict,
            players_needed=None,
        )

    def difficulty(self, level: int, players: Ints, clears: tuple[int, int], least: int) -> Difficulty:
        """Return the change of a level's difficulty.

        Args:
            level: its number.
            players: who tried it in each build.
            clears: tries that cleared in each.
            least: of fewer players, nothing is claimed.
        """
        row = self.empty_verdict("no_telling")
        places = np.flatnonzero(self.estimates.levels == level)
        if len(places):
            place = int(places[0])
            self._add_change(row, place)
            if self.parts:
                self._add_delta(row, place, int(players.min()))
        self._open_end(row, players, clears, least)
        return row

    def _add_change(self, row: Difficulty, place: int) -> None:
        change = float(self.estimates.difference[place])
        half = Z95 * float(np.sqrt(self.estimates.covariance[place, place]))
        row["change"], row["change_low"], row["change_high"] = change, change - half, change + half
        if self.enough[place]:
            same = abs(change) + half <= self.bar.same
            told_of = self.change_q[place] <= self.bar.rate
            row["change_verdict"] = "same" if same else _WAYS[1 + int(np.sign(change))] if told_of else "no_telling"

    def _add_delta(self, row: Difficulty, place: int, players: int) -> None:
        shifted = self.differences.shifted
        delta, se = float(shifted.delta[place]), float(shifted.delta_se[place])
        row["delta"], row["delta_low"], row["delta_high"] = delta, delta - Z95 * se, delta + Z95 * se
        if self.enough[place]:
            row["p_value"], row["q_value"] = float(shifted.p[place]), float(self.differences.q[place])
            row["verdict"] = "same" if self.differences.same[place] else _WAYS[1 + int(self.differences.direction[place])]
        if row["verdict"] == "no_telling":
            row["players_needed"] = players_needed(
                delta, se**2, shifted.spread, max(1, players), self.differences.bound, self.bar.same
            )

    @staticmethod
    def _open_end(row: Difficulty, players: Ints, clears: tuple[int, int], least: int) -> None:
        """A level that nobody of enough players cleared in one build, and somebody in the other."""
        before, after = clears
        enough = players >= max(5, least)
        if enough[1] and not after and before:
            row["verdict"], row["change_verdict"], row["delta_high"], row["change_high"] = "harder", "harder", None, None
        elif enough[0] and not before and after:
            row["verdict"], row["change_verdict"], row["delta_low"], row["change_low"] = "easier", "easier", None, None
        else:
            return
        row["players_needed"] = None


CLAIMED: Final = 0.15  # rate of false claims
SAME: Final = 0.5  # logits, or logarithms: less is nothing to a player
_MOST_PLAYERS: Final = 1_000_000


@dataclass(frozen=True, eq=False, repr=False)
class JudgedDifferences:
    """Verdicts on the differences of some levels.

    Attributes:
        shifted: the shift, and what each level did beyond it.
        q: per level, the false discovery rate at which something is claimed; NaN where nothing may be.
        direction: per level, 1 where it is more than it was, -1 where it is less, 0 where it is neither or cannot be told.
        same: per level, whether it is the same for all that matters.
        bound: the p value up to which a level is told.
    """

    shifted: Shifted
    q: Floats
    direction: Floats
    same: Bools
    bound: float


@dataclass(frozen=True)
class Bar:
    """The evidence that a claim takes.

    Attributes:
        same: up to where a difference is the same for all that matters.
        rate: of false claims among those made.
    """

    same: float = SAME
    rate: float = CLAIMED


def judge_differences(
    difference: Floats, covariance: Floats, enough: Bools, bar: Bar = Bar(), untouched: Bools | None = None
) -> JudgedDifferences:
    """Judge differences that may all have moved together.

    Args:
        difference: per level.
        covariance: of their errors.
        enough: per level, whether there are players enough to claim something.
        bar: what it takes to claim something.
        untouched: levels known to have done nothing of their own.
    """
    differences, same, rate = estimate_shift(difference, covariance, untouched), bar.same, bar.rate
    q, n = np.full(len(difference), np.nan), int(enough.sum())
    q[enough] = false_discovery_rate(differences.p[enough])
    half = Z95 * differences.delta_se
    alike = enough & (np.abs(differences.delta) + half <= same)
    claimed = enough & ~alike & (np.nan_to_num(q, nan=1.0) <= rate)
    claims = int((np.nan_to_num(q, nan=1.0) <= rate).sum())
    return JudgedDifferences(
        differences, q, np.where(claimed, np.sign(differences.delta), 0.0), alike, rate * min(n, claims + 1) / max(1, n)
    )


def players_needed(delta: float, variance: float, spread: float, players: int, bound: float, same: float = SAME) -> int | None:
    """Players in each build for a telling of what is seen: that it differs, or that it is the same.

    Args:
        delta: the difference seen.
        variance: of its error, with the players there are.
        spread: of what levels do that nobody changed.
        players: how many there are in the smaller build.
        bound: the p value up to which a level is told.
        same: up to where a difference is the same for all that matters.
    """
    room = (abs(delta) / normal_quantile(bound / 2)) ** 2 - spread**2
    differs = variance / room if room > 0 else inf
    alike = variance * (Z95 / (same - abs(delta))) ** 2 if abs(delta) < same else inf
    times = min(differs, alike)
    needed = ceil(players * times) if times < inf else inf
    return max(players + 1, int(needed)) if needed <= _MOST_PLAYERS else None
