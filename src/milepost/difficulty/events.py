"""Events along a course: levels that break what the others around them lead one to expect.

Measured difficulties are a smooth curve, plus the course's own roughness from level to level, plus error of known
covariance, plus a few events: a spike or dip at one level, a wall of two, a step that stays, teeth by which the course rises
and begins anew, chapter by chapter. Each event is a candidate with a prior height. Candidates are taken up by their posterior
odds, one after the other, each with the others in the model, and with everything averaged over how smooth the curve and how
rough the course is. So the candidate is left out of both curve and roughness, two hard levels side by side do not hide each
other, and an uneven course has no spikes.

Sources: Rasmussen and Williams, Gaussian Processes for Machine Learning (2006), chapter 2, for the curve; Kass and Raftery,
"Bayes factors", JASA 90 (1995), for the odds.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from milepost.logs.interface import Floats, Ints

SPIKE, DIP, WALL, STEP, FALL, TEETH = range(6)
_ROUGHNESS: Final = np.array([0.08, 0.12, 0.18, 0.25, 0.35, 0.5, 0.7, 1.0, 1.4])
_ROUGHNESS_MEDIAN, _ROUGHNESS_SPREAD = 0.25, 0.35  # of its logarithm's prior, which has
_ROUGHNESS_TAIL = 3.0  # degrees of freedom, so that a course may be uneven everywhere
_BEND: Final = np.array([0.15, 0.35, 0.7, 1.3])  # logits by which the curve leaves a straight line
_LEVEL_SD, _SLOPE_SD = 3.0, 1.2  # logits: where the curve lies, and how far it rises over the course
# Of a spike, a dip, a wall, a step, a fall, teeth: the height's mean and standard deviation, were it not above zero, on a course
# of usual roughness. Spikes are rarely as low as what a course does by itself; on a rougher one they are higher.
_HEIGHT_MEAN = (1.4, 0.0, 0.0, 0.0, 0.0, 0.0)
_HEIGHT_SD = (0.65, 1.3, 1.3, 1.2, 1.2, 1.2)
_PRIOR = (1.2, 0.2, 0.3, 0.4, 0.15, 0.4)  # expected number of each in a course
_PERIODS = range(4, 13)  # levels of a tooth, in a course that rises and begins anew, chapter by chapter
_SIDE = 3  # levels on each side of a step
_MOST = 10
_PATIENCE = 6.0  # log odds by which the way may fall below its best place
TAKEN: Final = 0.4  # posterior probability from which an event is taken into the model


@dataclass(frozen=True)
class Event:
    """A candidate: its kind and the level at which it stands or begins."""

    kind: int
    level: int
    period: int = 0  # of teeth

    def shape(self, n: int) -> Floats:
        """Per level, how far the event raises it, of its height."""
        if self.kind == TEETH:
            rise: Floats = ((np.arange(n) - self.level) % self.period) / (self.period - 1) - 0.5
            return rise
        shape = np.zeros(n)
        last = {SPIKE: self.level + 1, DIP: self.level + 1, WALL: self.level + 2}.get(self.kind, n)
        shape[self.level : last] = -1.0 if self.kind in (DIP, FALL) else 1.0
        return shape

    @property
    def stays(self) -> bool:
        """Whether it belongs to the course's own way, not to one level."""
        return self.kind in (STEP, FALL, TEETH)


@dataclass(frozen=True)
class Reading:
    """What was made of the difficulties; columns have a value a level.

    ``probability`` is that of an event of the level's own (spike, dip or wall), ``step`` that a step begins there.
    ``expected`` is what the others lead one to expect, ``expected_se`` how sure that is, ``excess`` the difference.
    ``roughness`` is the course's normal one, from level to level.
    """

    probability: Floats
    step: Floats
    expected: Floats
    expected_se: Floats
    excess: Floats
    excess_se: Floats
    height: Floats  # of the step that begins at the level; 0 where none does
    events: list[Event]
    roughness: float


def read_events(difficulty: Floats, covariance: Floats) -> Reading:
    """Tell events from the course's own unevenness.

    Args:
        difficulty: per level, in logits.
        covariance: of their errors.
    """
    return _Course(difficulty, covariance).reading()


class _Course:
    """The difficulties under every mixture of roughness and bend."""

    def __init__(self, difficulty: Floats, covariance: Floats) -> None:
        self.y, self.covariance = difficulty, covariance
        self.n = len(difficulty)
        self.candidates = self._candidates()
        self.shapes = np.array([event.shape(self.n) for event in self.candidates])
        counts = np.bincount([event.kind for event in self.candidates], minlength=len(_PRIOR))
        share = np.array([_PRIOR[event.kind] / counts[event.kind] for event in self.candidates])
        self.log_odds = np.log(share / (1 - np.minimum(share, 0.5)))
        self.rough = np.repeat(_ROUGHNESS, len(_BEND))
        scale = np.maximum(1.0, self.rough / _ROUGHNESS_MEDIAN)
        self.mean = np.outer([_HEIGHT_MEAN[event.kind] for event in self.candidates], scale)  # candidate by mixture
        self.spread = np.outer([_HEIGHT_SD[event.kind] for event in self.candidates], scale) ** 2
        self.variance = self.mean**2 + self.spread  # around zero, as it enters the model
        apart = (np.log(_ROUGHNESS) - np.log(_ROUGHNESS_MEDIAN)) / _ROUGHNESS_SPREAD
        weight = -0.5 * (_ROUGHNESS_TAIL + 1) * np.log1p(apart**2 / _ROUGHNESS_TAIL)
        self.log_prior = np.repeat(weight, len(_BEND))
        curves = np.array([self._curve(bend) for bend in _BEND] * len(_ROUGHNESS))
        mixtures = curves + (self.rough**2)[:, None, None] * np.eye(self.n) + covariance
        inverses = np.linalg.inv(mixtures)
        fits = np.einsum("i,gij,j->g", self.y, inverses, self.y, optimize=True)
        none: tuple[Floats, Floats] = inverses.astype(np.float64), self.log_prior - 0.5 * (np.linalg.slogdet(mixtures)[1] + fits)
        self._known: dict[tuple[int, ...], tuple[Floats, Floats]] = {(): none}

    def _candidates(self) -> list[Event]:
        single = [Event(kind, level) for kind in (SPIKE, DIP) for level in range(self.n)]
        walls = [Event(WALL, level) for level in range(self.n - 1)] if self.n >= 5 else []
        stays = [Event(kind, level) for kind in (STEP, FALL) for level in range(_SIDE, self.n - _SIDE + 1)]
        periods = [period for period in _PERIODS if 2 * period <= self.n]
        teeth = [Event(TEETH, level, period) for period in periods for level in range(period)]
        return [*single, *walls, *stays, *teeth]

    def _curve(self, bend: float) -> Floats:
        """The covariance of the smooth curve: where it lies, how it rises, how it bends."""
        place = (np.arange(self.n) - (self.n - 1) / 2) / max(1.0, (self.n - 1) / 2)
        apart = np.subtract.outer(np.arange(self.n), np.arange(self.n)) / max(3.0, self.n / 4)
        curve: Floats = _LEVEL_SD**2 + _SLOPE_SD**2 * np.outer(place, place) + bend**2 * np.exp(-0.5 * apart**2)
        return curve

    def _inverses(self, chosen: tuple[int, ...]) -> tuple[Floats, Floats]:
        """Per mixture, the inverse covariance of the difficulties with some events in the model, and its log weight."""
        if chosen not in self._known:
            inverses, weights = self._inverses(chosen[:-1])
            shape, variance = self.shapes[chosen[-1]], self.variance[chosen[-1]]
            held = inverses @ shape  # mixture by level; Sherman and Morrison's rule, and the determinant lemma
            hold, pull = held @ shape, held @ self.y
            less = (held[:, :, None] * held[:, None, :]) / (1 / variance + hold)[:, None, None]
            gain = 0.5 * (pull**2 / (1 / variance + hold) - np.log1p(variance * hold))
            self._known[chosen] = inverses - less, weights + gain
        return self._known[chosen]

    def _log_factors(self, chosen: tuple[int, ...]) -> Floats:
        """Per candidate, the log Bayes factor for taking it into the model beside those chosen; heights are above zero."""
        inverses, weights = self._inverses(chosen)
        pull = self.shapes @ (inverses @ self.y).T  # candidate by mixture
        hold = np.einsum("gcj,cj->cg", self.shapes @ inverses, self.shapes)
        sure = np.sqrt(self.spread / (1 + self.spread * hold))  # of the height, given the data
        height = (pull + self.mean / self.spread) * sure  # in units of that
        gain = -0.5 * np.log1p(self.spread * hold) + 0.5 * (height**2 - self.mean**2 / self.spread)
        gain += _log_normal(height) - _log_normal(self.mean / np.sqrt(self.spread))  # heights are above zero
        return _log_sum(weights + gain) - _log_sum(weights[None])

    def choose(self) -> tuple[int, ...]:
        """The likeliest set of events on the way from none to many, without those that the others make needless.

        Several events may each look like mere roughness until they are all in the model, so the way goes on past
        events that are unlikely by themselves, and the best place on it counts.
        """
        way: list[int] = []
        gain, best, best_gain = 0.0, 0, 0.0
        while len(way) < min(_MOST, self.n // 3):
            odds = self._log_factors(tuple(way)) + self.log_odds
            odds[way] = -np.inf
            way.append(int(np.argmax(odds)))
            gain += float(odds[way[-1]])
            if gain > best_gain:
                best, best_gain = len(way), gain
            if gain < best_gain - _PATIENCE:
                break
        return self._pruned(tuple(way[:best])) or self._pruned(tuple(way[:1]))

    def _pruned(self, chosen: tuple[int, ...]) -> tuple[int, ...]:
        """Without the events that are unlikely given the others, the least likely first."""
        while chosen:
            odds = [self._own_odds(chosen, event) for event in chosen]
            worst = int(np.argmin(odds))
            if odds[worst] >= np.log(TAKEN / (1 - TAKEN)):
                break
            chosen = chosen[:worst] + chosen[worst + 1 :]
        return chosen

    def _own_odds(self, chosen: tuple[int, ...], event: int) -> float:
        """The posterior log odds of an event given the others chosen."""
        others = tuple(other for other in chosen if other != event)
        return float(self._log_factors(others)[event] + self.log_odds[event])

    def reading(self) -> Reading:
        """The reading of the whole course."""
        chosen = self.choose()
        odds = self._log_factors(chosen) + self.log_odds
        for number in chosen:
            odds[number] = self._own_odds(chosen, number)
        probability = 1 / (1 + np.exp(-np.clip(odds, -500, 500)))
        own, step = np.zeros(self.n), np.zeros(self.n)
        for place, event in enumerate(self.candidates):
            if event.kind == STEP:
                step[event.level] = probability[place]
            elif event.kind in (SPIKE, DIP) or place in chosen:
                covered = self.shapes[place] != 0
                if not event.stays:
                    own[covered] = np.maximum(own[covered], probability[place])
        expected, expected_se, excess, excess_se = self._expectations(chosen)
        weights = self._inverses(chosen)[1]
        share = np.exp(weights - weights.max())
        rough = float(share @ self.rough / share.sum())
        return Reading(own, step, expected, expected_se, excess, excess_se, self._heights(chosen),
                       [self.candidates[event] for event in chosen], rough)  # fmt: skip

    def _expectations(self, chosen: tuple[int, ...]) -> tuple[Floats, Floats, Floats, Floats]:
        """Per level, the excess over what the others lead one to expect, itself left out of it."""
        result = np.zeros((4, self.n))
        for level in range(self.n):
            others = tuple(e for e in chosen if self.candidates[e].stays or self.shapes[e][level] == 0)
            walls = [e for e in chosen if self.candidates[e].kind == WALL and self.shapes[e][level]]
            partner = [self.candidates[e].level + (self.candidates[e].level == level) for e in walls]
            inverses, weights = self._inverses(others)
            share = np.exp(weights - weights.max())
            share /= share.sum()
            excess, variance = self._left_out(inverses, [level, *partner])
            mean = float(share @ excess)
            spread = float(share @ (variance - self.rough**2)) + float(share @ (excess - mean) ** 2)
            own = self.covariance[level, level]
            result[:, level] = (self.y[level] - mean, np.sqrt(max(0.0, spread - own)), mean, np.sqrt(max(own * 0.25, spread)))
        return result[0], result[1], result[2], result[3]

    def _left_out(self, inverses: Floats, free: list[int]) -> tuple[Floats, Floats]:
        """Per mixture, the height of a free event at the first level given (the others free too), with its variance."""
        block = np.linalg.inv(inverses[:, free][:, :, free])
        pull = (inverses @ self.y)[:, free]
        excess: Floats = np.einsum("gj,gj->g", block[:, 0], pull)
        variance: Floats = block[:, 0, 0].astype(np.float64)
        return excess, variance

    def _heights(self, chosen: tuple[int, ...]) -> Floats:
        """Per level, the posterior mean height of the step that begins there."""
        heights = np.zeros(self.n)
        inverses, weights = self._inverses(chosen)
        share = np.exp(weights - weights.max())
        share /= share.sum()
        for event in chosen:
            if self.candidates[event].kind == STEP:
                means = self.variance[event] * ((inverses @ self.y) @ self.shapes[event])
                heights[self.candidates[event].level] = float(share @ means)
        return heights


def _log_sum(logs: Floats) -> Floats:
    """The logarithm of sums of exponentials, along the last axis."""
    most = logs.max(axis=-1, keepdims=True)
    total: Floats = np.log(np.exp(logs - most).sum(axis=-1)) + most[..., 0]
    return total


def _log_normal(value: Floats) -> Floats:
    """The logarithm of the standard normal's distribution function."""
    from scipy.special import log_ndtr

    result: Floats = log_ndtr(value)
    return result


def false_discovery(probability: Floats) -> Floats:
    """Per candidate, the share of false ones expected among all that are as likely or likelier.

    Source: M. A. Newton and others, "Detecting differential gene expression with a semiparametric hierarchical mixture
    method", Biostatistics 5 (2004).
    """
    order: Ints = np.argsort(-probability, kind="stable")
    running = np.cumsum(1 - probability[order]) / np.arange(1, len(order) + 1)
    result = np.empty(len(order))
    result[order] = running
    return result
