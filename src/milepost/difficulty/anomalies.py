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

from milepost.arrays import Bools, Floats, Ints
from milepost.difficulty.mixtures import DIP, SPIKE, STEP, WALL, Event, Mixtures
from milepost.difficulty.row_types import Evidence, Kind

_MOST = 10
_PATIENCE = 6.0  # log odds by which the way may fall below its best place
TAKEN: Final = 0.4  # posterior probability from which an event is taken into the model


@dataclass(frozen=True, eq=False, repr=False)
class DifficultyReading:
    """The reading of the difficulties; columns have a value a level.

    ``probability`` is that of an event of the level's own (spike, dip or wall), ``step`` that a step begins there.
    ``expected`` is what the others lead one to expect, ``expected_se`` how sure that is, ``excess`` the difference.
    ``places`` are those of the levels' legs; ``roughness`` is the course's normal one, from level to level.
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
    places: Ints


def read_events(difficulty: Floats, covariance: Floats, places: Ints | None = None) -> DifficultyReading:
    """Tell events from the course's own unevenness.

    Args:
        difficulty: per level, in logits.
        covariance: of their errors.
        places: per level, the place of its leg; one after the other where None.
    """
    return _Course(Mixtures(difficulty, covariance, places)).reading()


class _Course:
    """The anomalies of a course, by its model."""

    def __init__(self, model: Mixtures) -> None:
        self.model, self.n = model, model.n
        self.candidates, self.shapes = model.candidates, model.shapes

    def choose(self) -> tuple[int, ...]:
        """The likeliest set of events on the way from none to many, without those that the others make needless.

        Several events may each look like mere roughness until they are all in the model, so the way goes on past
        events that are unlikely by themselves, and the best place on it counts.
        """
        chosen: list[int] = []
        gain, best, best_gain = 0.0, 0, 0.0
        while len(chosen) < min(_MOST, self.n // 3):
            odds = self.model.log_factors(tuple(chosen)) + self.model.log_odds
            odds[chosen] = -np.inf
            chosen.append(int(np.argmax(odds)))
            gain += float(odds[chosen[-1]])
            if gain > best_gain:
                best, best_gain = len(chosen), gain
            if gain < best_gain - _PATIENCE:
                break
        return self._pruned(tuple(chosen[:best])) or self._pruned(tuple(chosen[:1]))

    def _pruned(self, chosen: tuple[int, ...]) -> tuple[int, ...]:
        """Without the events that are unlikely given the others, the least likely first."""
        while chosen:
            odds = [self.model.own_odds(chosen, event) for event in chosen]
            worst = int(np.argmin(odds))
            if odds[worst] >= np.log(TAKEN / (1 - TAKEN)):
                break
            chosen = chosen[:worst] + chosen[worst + 1 :]
        return chosen

    def reading(self) -> DifficultyReading:
        """The reading of the whole course."""
        chosen = self.choose()
        odds = self.model.log_factors(chosen) + self.model.log_odds
        for number in chosen:
            odds[number] = self.model.own_odds(chosen, number)
        probability = 1 / (1 + np.exp(-np.clip(odds, -500, 500)))
        single, step = np.zeros(self.n), np.zeros(self.n)
        for place, event in enumerate(self.candidates):
            if event.kind == STEP:
                step[event.level] = probability[place]
            elif event.kind in (SPIKE, DIP) or place in chosen:
                covered = self.shapes[place] != 0
                if not event.stays:
                    single[covered] = np.maximum(single[covered], probability[place])
        expected, expected_se, excess, excess_se = self._expectations(chosen)
        rough = float(self.model.share(chosen) @ self.model.rough)
        return DifficultyReading(
            single,
            step,
            expected,
            expected_se,
            excess,
            excess_se,
            self._heights(chosen),
            [self.candidates[event] for event in chosen],
            rough,
            self.model.places,
        )

    def _expectations(self, chosen: tuple[int, ...]) -> tuple[Floats, Floats, Floats, Floats]:
        """Per level, the excess over what the others lead one to expect, itself left out of it."""
        result = np.zeros((4, self.n))
        for level in range(self.n):
            others = tuple(e for e in chosen if self.candidates[e].stays or self.shapes[e][level] == 0)
            walls = [e for e in chosen if self.candidates[e].kind == WALL and self.shapes[e][level]]
            partner = [self.candidates[e].level + (self.candidates[e].level == level) for e in walls]
            share = self.model.share(others)
            excess, variance = self.model.left_out(others, [level, *partner])
            mean = float(share @ excess)
            spread = float(share @ (variance - self.model.rough**2)) + float(share @ (excess - mean) ** 2)
            prior = self.model.covariance[level, level]
            seen = self.model.y[level] - mean, np.sqrt(max(0.0, spread - prior))
            result[:, level] = (*seen, mean, np.sqrt(max(prior * 0.25, spread)))
        return result[0], result[1], result[2], result[3]

    def _heights(self, chosen: tuple[int, ...]) -> Floats:
        """Per level, the posterior mean height of the step that begins there."""
        heights = np.zeros(self.n)
        for event in chosen:
            if self.candidates[event].kind == STEP:
                heights[self.candidates[event].level] = self.model.height(chosen, event)
        return heights


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


LEAST_EXCESS = 0.5  # logits; less is not worth a designer's while
FEW_PLAYERS, FEW_TRIES = 8, 8
ALIKE = 0.2  # logits; a level that differs by less from a neighbour that does not stand out does not stand out either
# The probabilities from which a course's likeliest event is named, and from which any further one is. Courses seldom have many,
# so that a further claim has to be surer; a dip costs no player, so that missing one costs less than a false alarm.
LIKELY = {"spike": 0.305, "dip": 0.34, "step": 0.305}
FURTHER = 0.4
STRONG, FAIR = 0.02, 0.15  # expected shares of false ones


@dataclass(frozen=True)
class Verdict:
    """A verdict on one level."""

    kind: Kind
    evidence: Evidence
    q: float | None


def have_enough(tries: Ints, players: Ints, least: int = 0) -> Bools:
    """Per level, whether there are enough players and tries to claim anything of it."""
    return (tries >= FEW_TRIES) & (players >= max(FEW_PLAYERS, least))


def judge_levels(reading: DifficultyReading, tries: Ints, players: Ints, least: int = 0) -> list[Verdict]:
    """A verdict for each level; nothing is claimed of levels with too few players or tries."""
    n, enough = len(tries), have_enough(tries, players, least)
    stands_out = np.where(np.abs(reading.excess) >= LEAST_EXCESS, reading.probability, 0.0)
    rises = np.where(reading.height >= LEAST_EXCESS, reading.step, 0.0)
    both = np.concatenate((np.where(enough, stands_out, 0.0), np.where(enough, rises, 0.0)))
    q = false_discovery(both)
    first = int(np.argmax(np.maximum(both[:n], both[n:]))) if n else -1
    judged = [
        _verdict(reading, level, both[[level, n + level]], q[[level, n + level]], level == first)
        if enough[level]
        else Verdict("none", "too_few", None)
        for level in range(n)
    ]
    difficulty = reading.expected + reading.excess
    return [
        Verdict("none", "none", verdict.q) if _like_a_neighbour(judged, difficulty, level, reading.places) else verdict
        for level, verdict in enumerate(judged)
    ]


def _like_a_neighbour(judged: list[Verdict], difficulty: Floats, level: int, places: Ints) -> bool:
    """Return whether a level is as hard as a neighbour without a claim, so that it cannot be claimed to stand out."""
    kind = judged[level].kind
    if kind == "none":
        return False
    apart = places - places[level]
    near = (apart == -1) if kind == "step" else (np.abs(apart) <= 1) & (np.arange(len(places)) != level)
    beside = [side for side in np.flatnonzero(near).tolist() if judged[side].kind == "none"]
    sign = -1.0 if kind == "dip" else 1.0
    return any(sign * (difficulty[level] - difficulty[side]) < ALIKE for side in beside)


def _verdict(reading: DifficultyReading, level: int, probability: Floats, q: Floats, first: bool) -> Verdict:
    """The likelier of an event of the level's own and a step that begins there."""
    single = probability[0] >= probability[1]
    value = float(q[0] if single else q[1])
    kind: Kind = ("spike" if reading.excess[level] > 0 else "dip") if single else "step"
    if probability.max() < (LIKELY[kind] if first else FURTHER):
        return Verdict("none", "none", value)
    return Verdict(kind, "strong" if value <= STRONG else "fair" if value <= FAIR else "weak", value)
