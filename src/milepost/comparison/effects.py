"""Effects of a build beside difficulty: time of clearing tries, quitting, tries taken, and players lost."""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, log
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.comparison.judging import Bar, JudgedDifferences, judge_differences
from milepost.comparison.pairing import Pair
from milepost.comparison.row_types import Effects, QuitVerdict, Ratio, TimeVerdict
from milepost.measures.cells import first_tries
from milepost.measures.funnel import FunnelRow
from milepost.numerics.intervals import Z95
from milepost.numerics.time_model import fit_times
from milepost.numerics.whole_numbers import distinct, number_values
from milepost.vocabulary import CLEARED

_SAME_TIME: Final = log(1.25)
_TIMES: Final[tuple[TimeVerdict, TimeVerdict, TimeVerdict]] = ("shorter", "no_telling", "longer")
_QUITS: Final[tuple[QuitVerdict, QuitVerdict, QuitVerdict]] = ("fewer", "no_telling", "more")


@dataclass(frozen=True, eq=False, repr=False)
class Beyond:
    """The changes of some levels beyond the shift of all.

    Attributes:
        levels: which; the differences are theirs.
        enough: per one of them, whether players are enough to claim something.
        differences: what is told of them; None where there is none.
    """

    levels: Ints
    enough: Bools
    differences: JudgedDifferences | None

    def ratio(self, level: int) -> tuple[float | None, float | None, float | None, int | None, bool]:
        """Return a level's ratio, its interval, the direction of its verdict, and whether it is the same."""
        place = np.flatnonzero(self.levels == level)
        if self.differences is None or not len(place):
            return None, None, None, None, False
        at, shifted = int(place[0]), self.differences.shifted
        delta, half = float(shifted.delta[at]), Z95 * float(shifted.delta_se[at])
        direction = int(self.differences.direction[at]) if self.enough[at] else None
        return exp(delta), _exp(delta - half), _exp(delta + half), direction, bool(self.differences.same[at])

    def ratio_of_all(self) -> Ratio:
        """Return the ratio of all levels together."""
        if self.differences is None:
            return Ratio(ratio=None, low=None, high=None)
        shifted = self.differences.shifted
        half = Z95 * shifted.shift_se
        return Ratio(ratio=_exp(shifted.shift), low=_exp(shifted.shift - half), high=_exp(shifted.shift + half))


def _exp(value: float) -> float:
    return exp(min(value, 700.0))


def estimate_times(pair: Pair, least: int, rate: float) -> Beyond:
    """Seconds of the try that cleared, by the player's own pace in that build; in logarithms."""
    fits, counts = [], []
    for side, play in enumerate(pair.plays):
        table, level = play.attempts, pair.level_of(side)
        rows = first_tries(play) & table.ended(CLEARED) & (table.active > 0) & (table.level < play.n_levels)
        items, item = number_values(level[table.level[rows]])
        _, subject = number_values(table.player[rows])
        times = np.log(table.active[rows])
        counts.append(np.bincount(items, weights=np.bincount(item, minlength=len(items)), minlength=len(pair.levels)))
        if len(items) < 2:
            return Beyond(items, np.zeros(0, np.bool_), None)
        fit = fit_times(subject, item, times, np.ones(len(times), np.bool_), len(items))
        fits.append((items, fit.difficulty + times.mean(), fit.covariance))
    both = np.intersect1d(fits[0][0], fits[1][0])
    if not len(both):
        return Beyond(both, np.zeros(0, np.bool_), None)
    at = [np.searchsorted(items, both) for items, _, _ in fits]
    difference = fits[1][1][at[1]] - fits[0][1][at[0]]
    covariance = sum(of_side[np.ix_(where, where)] for (_, _, of_side), where in zip(fits, at, strict=True))
    enough: Bools = (np.minimum(counts[0], counts[1]) >= least)[both]
    return Beyond(both, enough, judge_differences(difference, np.asarray(covariance), enough, Bar(_SAME_TIME, rate)))


def estimate_quitting(pair: Pair, least: int, rate: float) -> Beyond:
    """Players who left for good after a try, of the tries that were settled; in log odds."""
    n, sides = len(pair.levels), pair.sides
    odds, variance, players = np.zeros((2, n)), np.zeros((2, n)), np.zeros((2, n))
    for side, tries in enumerate(sides.tries):
        n_tries = np.bincount(tries.item, minlength=n)
        left = np.zeros(len(tries.item), np.bool_) if tries.left is None else tries.left
        gone = np.bincount(tries.item[left], minlength=n)
        odds[side] = np.log((gone + 0.5) / (n_tries - gone + 0.5))
        variance[side] = 1 / (gone + 0.5) + 1 / (n_tries - gone + 0.5)
        players[side] = np.bincount(distinct(tries.item * pair.n_players + tries.subject) // pair.n_players, minlength=n)
    both = np.flatnonzero(np.min(players, axis=0) > 0)
    if not len(both):
        return Beyond(both, np.zeros(0, np.bool_), None)
    enough: Bools = np.min(players, axis=0)[both] >= least
    return Beyond(
        both, enough, judge_differences((odds[1] - odds[0])[both], np.diag(variance.sum(axis=0)[both]), enough, Bar(rate=rate))
    )


def list_effects(
    level: int, time: Beyond, quits: Beyond, tries: tuple[Ints, Ints], funnels: tuple[FunnelRow, FunnelRow] | None
) -> Effects:
    """Return the effects at a level of both builds, beside difficulty.

    Args:
        level: its number.
        time, quits: what is told of them.
        tries: per build, the settled tries of each player there.
        funnels: its row of the funnel in each build; None where there is one funnel for both.
    """
    ratio, low, high, direction, same = time.ratio(level)
    quit_ratio, quit_low, quit_high, quit_way, quit_same = quits.ratio(level)
    attempts, drop = _ratio_of_means(*tries), (None, None, None) if funnels is None else _difference(*funnels)
    return Effects(
        time_ratio=ratio,
        time_ratio_low=low,
        time_ratio_high=high,
        time_verdict="same" if same else _TIMES[1 + direction] if direction is not None else "no_telling",
        quit_ratio=quit_ratio,
        quit_ratio_low=quit_low,
        quit_ratio_high=quit_high,
        quit_verdict="same" if quit_same else _QUITS[1 + quit_way] if quit_way is not None else "no_telling",
        attempts_ratio=attempts[0],
        attempts_ratio_low=attempts[1],
        attempts_ratio_high=attempts[2],
        drop_off_change=drop[0],
        drop_off_change_low=drop[1],
        drop_off_change_high=drop[2],
    )


Interval3 = tuple[float | None, float | None, float | None]


def _ratio_of_means(before: Floats | Ints, after: Floats | Ints) -> Interval3:
    """The ratio of tries a player, with an interval by the delta method; no interval of one player."""
    if not len(before) or not len(after):
        return None, None, None
    means = float(before.mean()), float(after.mean())
    ratio = means[1] / means[0]
    if len(before) < 2 or len(after) < 2:
        return ratio, None, None
    variance = sum(float(side.var(ddof=1)) / len(side) / mean**2 for side, mean in zip((before, after), means, strict=True))
    half = Z95 * variance**0.5
    return ratio, ratio * exp(-half), ratio * exp(half)


def _difference(before: FunnelRow, after: FunnelRow) -> Interval3:
    """The difference of the drop-offs, with Newcombe's interval."""
    return difference_of_shares(
        (before["drop_off"], before["drop_off_low"], before["drop_off_high"]),
        (after["drop_off"], after["drop_off_low"], after["drop_off_high"]),
    )


def difference_of_shares(before: Interval3, after: Interval3) -> Interval3:
    """The difference of two shares, each with its interval.

    Source: R. G. Newcombe, "Interval estimation for the difference between independent proportions", Statistics in Medicine 17
    (1998), method 10.
    """
    (first, first_low, first_high), (second, second_low, second_high) = before, after
    if first is None or second is None:
        return None, None, None
    if first_low is None or first_high is None or second_low is None or second_high is None:
        return second - first, None, None
    below = ((second - second_low) ** 2 + (first_high - first) ** 2) ** 0.5
    above = ((second_high - second) ** 2 + (first - first_low) ** 2) ** 0.5
    return second - first, second - first - below, second - first + above
