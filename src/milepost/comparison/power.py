"""How many players a question takes: the chance that a change gets its verdict, averaged over what a pilot leaves open."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, Literal, TypedDict, get_args

import numpy as np

from milepost.arrays import Floats
from milepost.comparison.judging import CLAIMED
from milepost.comparison.pilot_players import IMAGINED, Pilot, World, parameters
from milepost.errors import UsageError
from milepost.measures.interface import LevelRow
from milepost.numerics.intervals import Z95
from milepost.numerics.try_model import covariance_at

Question = Literal["compare", "spike", "drop-off"]
QUESTIONS: Final = get_args(Question)
_DRAWS: Final = 24
_SPREAD: Final = 0.08  # logits; what levels do that nobody changed, as the comparison's prior has it
_TELLING: Final = 2.2  # standard errors at which a spike is named, as a rule
_UNEVEN: Final = 1.5  # times the course's own unevenness, squared, that stand between a level and what is expected of it
_MOST: Final = 1_000_000
_LEVEL: Final = 0.8
CURVE: Final = (10, 15, 20, 30, 40, 60, 80, 100, 150, 200, 300, 400, 600, 800, 1000, 1500, 2000)  # players in a figure


class PowerRow(LevelRow):
    """How likely a change at a level gets its verdict, with so many players in each build (for a spike: in all)."""

    question: Question
    change: float
    players: int
    power: float
    power_low: float
    power_high: float
    players_for_80: int | None
    curve: list[float]


class PowerTotals(TypedDict):
    """The assumptions of the power figures."""

    pilot_players: int | None
    curve_players: list[int]


@dataclass(frozen=True)
class Power:
    """How many players a question takes.

    Attributes:
        change: in logits; of a drop-off, in points.
        question: whether two builds differ at a level, whether a level is a spike, or whether its drop-off differs.
        players: in each build; by default as many as the pilot has.
        level: the place of the only level asked for; None for all.
        seed: of the imagined players.
    """

    change: float
    question: Question = "compare"
    players: int = 40
    level: int | None = None
    seed: int = 1

    def rows(self, pilot: Pilot) -> list[PowerRow]:
        """A row a level."""
        spread = self._errors(pilot)
        wanted = range(len(pilot.names)) if self.level is None else [self.level]
        return [self._row(pilot, level, [drawn[level] for drawn in spread]) for level in wanted]

    def _row(self, pilot: Pilot, level: int, unit: list[float]) -> PowerRow:
        """Return a level's row; ``unit`` is, by draw, the variance of the estimate with one player in each build."""
        variances = np.array(unit)

        def at(players: float) -> Floats:
            return self._power(variances / players, pilot, len(pilot.names))

        chances = at(self.players)
        low, high = np.quantile(chances, (0.025, 0.975))
        return PowerRow(
            level=pilot.names[level],
            question=self.question,
            change=self.change,
            players=self.players,
            power=float(chances.mean()),
            power_low=float(low),
            power_high=float(high),
            players_for_80=_least(lambda n: float(at(n).mean())),
            curve=[float(at(n).mean()) for n in CURVE],
        )

    def _power(self, variance: Floats, pilot: Pilot, levels: int) -> Floats:
        """The chance to be told, by the variance of the estimate."""
        from scipy.special import ndtr, ndtri

        change, se = abs(self.change), np.sqrt(variance)
        if self.question == "drop-off":
            change, bar = change / 100, Z95 * se
        elif self.question == "spike":
            se = np.sqrt(variance + _UNEVEN * pilot.roughness**2)
            bar = _TELLING * se
        else:
            bar = float(-ndtri(CLAIMED / levels / 2)) * np.sqrt(variance + _SPREAD**2)
        above, below = (np.asarray(ndtr(end / se), dtype=np.float64) for end in (change - bar, -change - bar))
        power: Floats = above if self.question == "spike" else np.minimum(1.0, above + below)
        return power

    def _errors(self, pilot: Pilot) -> list[Floats]:
        """Return the variance of the estimate with one player in each build, by draw and level."""
        rng = np.random.default_rng(self.seed)
        if self.question == "drop-off":
            return [self._draw_drop_off_variances(pilot, rng) for _ in range(_DRAWS)]
        return [self._draw_variances(pilot.drawn(rng), rng) for _ in range(_DRAWS)]

    def _draw_variances(self, world: World, rng: np.random.Generator) -> Floats:
        tries, skill = world.play(rng)
        n = len(world.difficulty)
        covariance = covariance_at(world.difficulty, parameters(world), tries) * IMAGINED
        variances: Floats = np.diag(covariance).copy()
        if self.question == "spike":
            return variances
        shared = float(1 / np.linalg.inv(covariance).sum())  # what all levels' errors have in common
        beyond: Floats = np.maximum(variances - shared, 0.05 * variances)
        ratio = np.ones(n)
        for level in range(n) if self.level is None else [self.level]:
            arriving = np.unique(tries.subject[tries.item == level])
            ratio[level] = _error_inflation(world, skill[arriving], level, self.change)
        variance: Floats = beyond * (1 + ratio) + 2 * shared / max(1, n)
        return variance

    def _draw_drop_off_variances(self, pilot: Pilot, rng: np.random.Generator) -> Floats:
        total = pilot.players or 0
        if not total:
            raise UsageError("how many players a drop-off takes can only be told from a pilot log. Name one.")
        share = rng.beta(pilot.lost + 0.5, pilot.reached - pilot.lost + 0.5)
        after = np.clip(share + self.change / 100, 0.005, 0.995)
        reach = np.maximum(pilot.reached, 0.5) / total
        variance: Floats = (share * (1 - share) + after * (1 - after)) / reach
        return variance


def _error_inflation(world: World, skill: Floats, level: int, change: float) -> float:
    """How much more uncertain a level's difficulty is where it is changed: by what its tries tell of it, as it is and changed."""
    if not len(skill):
        return 1.0
    as_it_is, changed = _sum_information(world, skill, world.difficulty[level] + np.array([0.0, change])).tolist()
    return float(as_it_is / max(changed, 1e-6))


def _sum_information(world: World, skill: Floats, difficulties: Floats) -> Floats:
    """Return the information on each difficulty from arriving players: the sum of p (1 - p), until a clear or the end."""
    left, information = np.ones((len(difficulties), len(skill))), np.zeros(len(difficulties))
    for number in range(1, 60):
        chance = world.chance(skill, difficulties[:, np.newaxis], number)
        information += (left * chance * (1 - chance)).sum(axis=1)
        left = left * (1 - chance) * world.goes_on(skill, number)
        left[left.max(axis=1) < 1e-4] = 0.0
        if not left.any():
            break
    return information


def _least(power: Callable[[float], float]) -> int | None:
    """The least number of players at which the power is 80 %; None where a million are too few."""
    low, high = 1, _MOST
    if power(high) < _LEVEL:
        return None
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if power(middle) >= _LEVEL else (middle + 1, high)
    return low
