"""A course's difficulties under every mixture of roughness and bend, with any set of events in the model."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.numerics.intervals import log_normal
from milepost.numerics.whole_numbers import number_values

_ROUGHNESS: Final = np.array([0.08, 0.12, 0.18, 0.25, 0.35, 0.5, 0.7, 1.0, 1.4])
_ROUGHNESS_MEDIAN, _ROUGHNESS_SPREAD = 0.25, 0.35  # of its logarithm's prior, which has
_ROUGHNESS_TAIL = 3.0  # degrees of freedom, so that a course may be uneven everywhere
_BEND: Final = np.array([0.15, 0.35, 0.7, 1.3])  # logits by which the curve leaves a straight line
_LEG_SD: Final = 0.5  # logits that the levels of a leg of several have in common
_LEVEL_SD, _SLOPE_SD = 3.0, 1.2  # logits: where the curve lies, and how far it rises over the course


class _Chosen(NamedTuple):
    """What some events in the model change, one after the other; each takes a matrix of rank one from every inverse covariance.

    Attributes:
        held: per event, mixture by level: the inverse beside the events before it, times the event's shape.
        less: per event and mixture, by how much the product of ``held`` with itself is weighted.
        log_weights: per mixture.
    """

    held: tuple[Floats, ...]
    less: tuple[Floats, ...]
    log_weights: Floats


class Mixtures:
    """The model of a course: a curve, roughness, error of known covariance, and whatever events are chosen.

    Attributes:
        n: levels.
        places: per level, its leg's place in the course.
        candidates: every event that there may be.
        shapes: candidate by level, how far an event raises it, of its height.
        log_odds: per candidate, before the data.
        variance: candidate by mixture, of an event's height around zero.
        rough: per mixture, the roughness.

    Chosen events are given as numbers of candidates.
    """

    def __init__(self, difficulty: Floats, covariance: Floats, places: Ints | None = None) -> None:
        self.y, self.covariance = difficulty, covariance
        self.n = len(difficulty)
        self.places = np.arange(self.n) if places is None else places
        self.candidates = candidate_events(self.places)
        self.shapes = np.array([event.shape(self.places) for event in self.candidates])
        self.log_odds = prior_log_odds(self.candidates)
        self.rough = np.repeat(_ROUGHNESS, len(_BEND))
        scale = np.maximum(1.0, self.rough / _ROUGHNESS_MEDIAN)
        self.mean = np.outer([HEIGHT_MEAN[event.kind] for event in self.candidates], scale)  # candidate by mixture
        self.spread = np.outer([HEIGHT_SD[event.kind] for event in self.candidates], scale) ** 2
        self.variance = self.mean**2 + self.spread  # around zero, as it enters the model
        self._log_above = log_normal(self.mean / np.sqrt(self.spread))
        self._sums = _ShapeSums(self.candidates, self.shapes)
        self._turned, self._precision = self._rotate_apart()
        self._pulled = self._inverse_times(self.y)
        self._hold = self._squares()
        self._pull = self._sums.of(self._pulled)
        log_weights = self._weigh_without_events()
        self._known: dict[tuple[int, ...], _Chosen] = {(): _Chosen((), (), log_weights)}

    def _rotate_apart(self) -> tuple[Floats, Floats]:
        """Per bend, the axes along which the difficulties vary apart; per roughness and bend, the precision along each."""
        spectra = [np.linalg.eigh(_curve(self.places, bend) + self.covariance) for bend in _BEND]
        along = np.array([values for values, _ in spectra])
        turned = np.array([axes for _, axes in spectra])
        return turned, 1 / (along + _ROUGHNESS[:, None, None] ** 2)

    def _inverse_times(self, values: Floats) -> Floats:
        """Mixture by level: the inverse covariance of the difficulties without any event, times a value for each level."""
        scaled = self._precision * (values @ self._turned)
        product: Floats = (self._turned @ scaled.transpose(1, 2, 0)).transpose(2, 0, 1)
        return product.reshape(len(self.rough), self.n)

    def _inverses(self, free: list[int]) -> Floats:
        """Per mixture, the inverse covariance between some levels."""
        free_part = self._turned[:, free]
        inverses: Floats = (free_part * self._precision[:, :, None]) @ free_part.transpose(0, 2, 1)
        return inverses.reshape(len(self.rough), len(free), len(free))

    def _squares(self) -> Floats:
        """Candidate by mixture: the shape's product with the inverse covariance, on both sides."""
        by_bend = zip(self._turned, self._precision.transpose(1, 2, 0), strict=True)
        bends = [self._sums.squares(axes, precision) for axes, precision in by_bend]
        return np.stack(bends, axis=2).reshape(len(self.candidates), len(self.rough))

    def _weigh_without_events(self) -> Floats:
        """Per mixture, its log weight without any event."""
        apart = (np.log(_ROUGHNESS) - np.log(_ROUGHNESS_MEDIAN)) / _ROUGHNESS_SPREAD
        weight = -0.5 * (_ROUGHNESS_TAIL + 1) * np.log1p(apart**2 / _ROUGHNESS_TAIL)
        self.log_prior = np.repeat(weight, len(_BEND))
        log_weights: Floats = self.log_prior + 0.5 * (np.log(self._precision).sum(axis=2).ravel() - self._pulled @ self.y)
        return log_weights

    def _chosen(self, chosen: tuple[int, ...]) -> _Chosen:
        """What some events in the model change: Sherman and Morrison's rule, and the determinant lemma, one after the other."""
        if chosen not in self._known:
            before, shape, variance = self._chosen(chosen[:-1]), self.shapes[chosen[-1]], self.variance[chosen[-1]]
            held = self._inverse_times(shape)  # mixture by level
            for column, less in zip(before.held, before.less, strict=True):
                held = held - (less * (column @ shape))[:, None] * column
            hold, pull = held @ shape, held @ self.y
            gain = 0.5 * (pull**2 / (1 / variance + hold) - np.log1p(variance * hold))
            less = 1 / (1 / variance + hold)
            self._known[chosen] = _Chosen((*before.held, held), (*before.less, less), before.log_weights + gain)
        return self._known[chosen]

    def share(self, chosen: tuple[int, ...]) -> Floats:
        """Per mixture, its posterior weight with some events in the model; they sum to 1."""
        weights = self._chosen(chosen).log_weights
        share: Floats = np.exp(weights - weights.max())
        share /= share.sum()
        return share

    def log_factors(self, chosen: tuple[int, ...]) -> Floats:
        """Per candidate, the log Bayes factor for taking it into the model beside those chosen; heights are above zero."""
        conditioned = self._chosen(chosen)
        pull, hold = self._pull, self._hold  # candidate by mixture
        for held, less in zip(conditioned.held, conditioned.less, strict=True):
            along = self._sums.of(held)
            pull = pull - less * (held @ self.y) * along
            hold = hold - less * along**2
        sure = np.sqrt(self.spread / (1 + self.spread * hold))  # of the height, given the data
        height = (pull + self.mean / self.spread) * sure  # in units of that
        gain = -0.5 * np.log1p(self.spread * hold) + 0.5 * (height**2 - self.mean**2 / self.spread)
        gain += log_normal(height) - self._log_above  # heights are above zero
        return _log_sum(conditioned.log_weights + gain) - _log_sum(conditioned.log_weights[None])

    def own_odds(self, chosen: tuple[int, ...], event: int) -> float:
        """The posterior log odds of an event given the others chosen."""
        others = tuple(other for other in chosen if other != event)
        return float(self.log_factors(others)[event] + self.log_odds[event])

    def height(self, chosen: tuple[int, ...], event: int) -> float:
        """The posterior mean height of one of the events chosen, in logits."""
        conditioned, shape = self._chosen(chosen), self.shapes[event]
        pull = self._pulled @ shape
        for held, less in zip(conditioned.held, conditioned.less, strict=True):
            pull = pull - less * (held @ self.y) * (held @ shape)
        return float(self.share(chosen) @ (self.variance[event] * pull))

    def left_out(self, chosen: tuple[int, ...], free: list[int]) -> tuple[Floats, Floats]:
        """Per mixture, the height of a free event at the first level given (the others free too), with its variance."""
        conditioned = self._chosen(chosen)
        inverses, pull = self._inverses(free), self._pulled[:, free]
        for held, less in zip(conditioned.held, conditioned.less, strict=True):
            columns = held[:, free]
            inverses = inverses - less[:, None, None] * columns[:, :, None] * columns[:, None, :]
            pull = pull - (less * (held @ self.y))[:, None] * columns
        block = np.linalg.inv(inverses)
        excess: Floats = np.einsum("gj,gj->g", block[:, 0], pull)
        variance: Floats = block[:, 0, 0].astype(np.float64)
        return excess, variance


class _ShapeSums:
    """Products with the shapes of events; nearly all are one number over a stretch of levels, and so a difference of sums.

    Attributes:
        first, stop: per stretch, where it begins and ends.
        stretch: per event on a stretch, which one.
        sign: what it is there.
        others: the shapes of the other events, which come after these.
    """

    def __init__(self, events: list[Event], shapes: Floats) -> None:
        flat = np.array([event.kind != TEETH for event in events])
        nonzero = shapes[flat] != 0
        first, stop = np.argmax(nonzero, axis=1), shapes.shape[1] - np.argmax(nonzero[:, ::-1], axis=1)
        self.sign = shapes[flat][np.arange(len(nonzero)), first]
        code, self.stretch = number_values(first * (shapes.shape[1] + 1) + stop)
        self.first, self.stop = code // (shapes.shape[1] + 1), code % (shapes.shape[1] + 1)
        self.others = shapes[~flat]

    def of(self, values: Floats) -> Floats:
        """Event by row, the product of each shape with each row of values by level."""
        return np.concatenate((self.sign[:, None] * self._stretches(values.T)[self.stretch], self.others @ values.T))

    def squares(self, axes: Floats, weight: Floats) -> Floats:
        """Event by column of weights, the sum of the squares of each shape's products with some axes, weighted.

        Args:
            axes: level by axis.
            weight: axis by column.
        """
        stretches = self._stretches(axes) ** 2 @ weight
        return np.concatenate((stretches[self.stretch], (self.others @ axes) ** 2 @ weight))

    def _stretches(self, values: Floats) -> Floats:
        """Stretch by column, the sum of values, level by column, over each stretch."""
        sums = np.zeros((len(values) + 1, values.shape[1]))
        np.cumsum(values, axis=0, out=sums[1:])
        over: Floats = sums[self.stop] - sums[self.first]
        return over


def _log_sum(logs: Floats) -> Floats:
    """The logarithm of sums of exponentials, along the last axis."""
    most = logs.max(axis=-1, keepdims=True)
    total: Floats = np.log(np.exp(logs - most).sum(axis=-1)) + most[..., 0]
    return total


def _curve(places: Ints, bend: float) -> Floats:
    """The covariance of the smooth curve: where it lies, how it rises, how it bends; and what levels of a leg have in common."""
    n = int(places.max(initial=-1)) + 1
    place = (places - (n - 1) / 2) / max(1.0, (n - 1) / 2)
    apart = np.subtract.outer(places, places) / max(3.0, n / 4)
    curve: Floats = _LEVEL_SD**2 + _SLOPE_SD**2 * np.outer(place, place) + bend**2 * np.exp(-0.5 * apart**2)
    together = (np.bincount(places)[places] > 1) if len(places) else np.zeros(0, np.bool_)
    curve += _LEG_SD**2 * ((apart == 0) & together[:, None])
    return curve


SPIKE, DIP, WALL, STEP, FALL, TEETH = range(6)
# Of each of these, the height's mean and standard deviation, were it not above zero, on a course of usual roughness. Spikes are
# rarely as low as what a course does by itself; on a rougher one they are higher.
HEIGHT_MEAN: Final = (1.4, 0.0, 0.0, 0.0, 0.0, 0.0)
HEIGHT_SD: Final = (0.65, 1.3, 1.3, 1.2, 1.2, 1.2)
_PRIOR = (1.2, 0.2, 0.3, 0.4, 0.15, 0.4)  # expected number of each in a course
_PERIODS = range(4, 13)  # levels of a tooth, in a course that rises and begins anew, chapter by chapter
_SIDE = 3  # levels on each side of a step


@dataclass(frozen=True)
class Event:
    """A candidate: its kind and the level at which it stands or begins."""

    kind: int
    level: int
    period: int = 0  # of teeth

    def shape(self, places: Ints) -> Floats:
        """Per level, how far the event raises it, of its height.

        Args:
            places: per level, its leg's place in the course.
        """
        if self.kind == TEETH:
            rise: Floats = ((places - self.level) % self.period) / (self.period - 1) - 0.5
            return rise
        shape = np.zeros(len(places))
        last = {SPIKE: self.level + 1, DIP: self.level + 1, WALL: self.level + 2}.get(self.kind, len(places))
        shape[self.level : last] = -1.0 if self.kind in (DIP, FALL) else 1.0
        return shape

    @property
    def stays(self) -> bool:
        """Return whether it belongs to the course's own way, not to one level."""
        return self.kind in (STEP, FALL, TEETH)


def candidate_events(places: Ints) -> list[Event]:
    """Every event that a course may have; a step begins with a leg, and a wall is of two legs of one level.

    Args:
        places: per level, its leg's place in the course.
    """
    n, n_legs = len(places), int(places.max(initial=-1)) + 1
    begins = np.searchsorted(places, np.arange(n_legs + 1))
    alone = np.diff(begins) == 1
    single = [Event(kind, level) for kind in (SPIKE, DIP) for level in range(n)]
    walls = [Event(WALL, int(begins[leg])) for leg in range(n_legs - 1) if alone[leg] and alone[leg + 1]] if n_legs >= 5 else []
    stays = [Event(kind, int(begins[leg])) for kind in (STEP, FALL) for leg in range(_SIDE, n_legs - _SIDE + 1)]
    periods = [period for period in _PERIODS if 2 * period <= n_legs]
    teeth = [Event(TEETH, level, period) for period in periods for level in range(period)]
    return [*single, *walls, *stays, *teeth]


def prior_log_odds(events: list[Event]) -> Floats:
    """Per candidate, the log odds that the course has it: each kind's expected number, shared out among its candidates."""
    counts = np.bincount([event.kind for event in events], minlength=len(_PRIOR))
    share = np.array([_PRIOR[event.kind] / counts[event.kind] for event in events])
    odds: Floats = np.log(share / (1 - np.minimum(share, 0.5)))
    return odds
