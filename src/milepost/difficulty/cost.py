"""The cost of a level: players who would still be playing at the end, had it been as its surroundings lead one to expect."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from milepost.arrays import Floats
from milepost.difficulty.row_types import Cost
from milepost.measures.attempts import TryCounts
from milepost.measures.funnel import FunnelRow
from milepost.numerics.intervals import Z95, wilson_interval
from milepost.numerics.try_sums import TriesOfItems
from milepost.numerics.whole_numbers import is_among
from milepost.playback.play import Summed
from milepost.vocabulary import DIED, WAS_RESET

_MOST_SINGLY, _SHARES = 2000, 400  # players that are taken one by one, and shares of more
_TRIES = 200  # a player who has not cleared by then has given up
_AT_ONCE = 10  # tries that are looked at together
_NOBODY = 1e-6  # of a player, from which on nobody is left


@dataclass(frozen=True)
class QuitHazard:
    """The chance to give up after a failure, over the whole course, with its interval and counts."""

    value: float
    low: float
    high: float
    lost: int
    failures: int


def quit_hazard(play: Summed, funnel: list[FunnelRow], tries: TriesOfItems) -> QuitHazard:
    """Players lost in a level not cleared (by the funnel's rows), over all failures in first-clear attempts.

    Where only some tries are looked at, those lost are the players who left after one of them.
    """
    lost = sum(max(0, row["lost"] - row["stopped_after_clear"]) for row in funnel)
    if play.conditions and tries.left is not None:
        lost = int((tries.left & ~tries.success).sum())
    counts = play.sums(TryCounts).hits
    failures = max(counts.where(is_among(counts.columns[1], (DIED, WAS_RESET))).total, lost)
    low, high = wilson_interval(lost, failures)
    return QuitHazard(lost / failures if failures else 0.0, low or 0.0, high or 0.0, lost, failures)


def chance_lost(difficulty: float, abilities: Floats, learning: float, hazard: float) -> Floats:
    """Per player, the chance to give up at a level of this difficulty before clearing it."""
    left, gone = np.ones(len(abilities)), np.zeros(len(abilities))
    for number in range(1, _TRIES + 1):
        clears = 1.0 / (1.0 + np.exp(-np.clip(abilities - difficulty + learning * np.log(number), -35, 35)))
        failed = left * (1 - clears)
        gone += failed * hazard
        left = failed * (1 - hazard)
        if left.max(initial=0.0) < _NOBODY:
            break
    return gone + left


def _thinned(abilities: Floats) -> tuple[Floats, Floats]:
    """Abilities with how many players have each; of many players, the means of equal shares of them."""
    if len(abilities) <= _MOST_SINGLY:
        return abilities, np.ones(len(abilities))
    shares = np.array_split(np.sort(abilities), _SHARES)
    return np.array([share.mean() for share in shares]), np.array([float(len(share)) for share in shares])


class Standing(NamedTuple):
    """A level's place: its difficulty in logits, how far it is above the expectation, and its standard error."""

    level: int
    difficulty: float
    excess: float
    excess_se: float


def estimate_costs(funnel: list[FunnelRow], standing: Standing, abilities: Floats, learning: float, hazard: QuitHazard) -> Cost:
    """The cost of a level with an interval from the excess' and the hazard's own.

    Args:
        funnel: the funnel's rows.
        standing: the level, and where it stands.
        abilities: of the players who tried it.
        learning: the learning slope.
        hazard: the chance to give up after a failure.
    """
    level, difficulty, excess, excess_se = standing
    abilities, players = _thinned(abilities)
    later = np.prod([1 - row["lost"] / row["reached"] for row in funnel[level + 1 :] if row["reached"]])
    half = Z95 * excess_se
    over = np.array([0.0, excess, excess - half, excess + half])
    as_it_is, as_expected, *ends = _count_still_failing(difficulty - over, abilities, learning, players)

    def cost(failing: Floats, quits: float) -> float:
        return (_count_lost(as_it_is, quits) - _count_lost(failing, quits)) * float(later)

    bounds = [cost(end, quits) for end in ends for quits in (hazard.low, hazard.high)]
    return Cost(cost=cost(as_expected, hazard.value), cost_low=min(bounds), cost_high=max(bounds))


def _count_still_failing(difficulty: Floats, abilities: Floats, learning: float, players: Floats) -> list[Floats]:
    """Return, per difficulty, how many players have not cleared such a level after so many tries, had nobody given up."""
    skill, learnt = (abilities - difficulty[:, None])[:, None], learning * np.log(np.arange(1, _TRIES + 1))[:, None]
    left, failing, most = np.ones((len(difficulty), 1, len(abilities))), [], []
    for first in range(0, _TRIES, _AT_ONCE):  # difficulty by try by player
        fails = 1.0 + np.exp(np.clip(skill + learnt[first : first + _AT_ONCE], -35, 35))
        left = np.divide.accumulate(np.concatenate((left[:, -1:], fails), axis=1), axis=1)[:, 1:]
        failing.append(left @ players)
        most.append(left.max(axis=2, initial=0.0))
        if most[-1][:, -1].max() < _NOBODY:
            break
    done = np.concatenate(most, axis=1) < _NOBODY
    done[:, -1] = True
    tries = 1 + np.argmax(done, axis=1)
    return [chances[:count] for chances, count in zip(np.concatenate(failing, axis=1), tries.tolist(), strict=True)]


def _count_lost(failing: Floats, hazard: float) -> float:
    """How many give up, each after a failure with this chance; who has not cleared in the end has given up, too."""
    stays = (1 - hazard) ** np.arange(len(failing))
    return float(failing @ stays * hazard + failing[-1] * stays[-1] * (1 - hazard))
