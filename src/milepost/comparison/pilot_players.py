"""Players to come, as a pilot shows them: difficulties, spread of skill, reach; and what it leaves uncertain."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.course.course import Course
from milepost.difficulty.responses import settled_tries
from milepost.difficulty.whatif import difficulty_for_chance
from milepost.errors import UsageError
from milepost.level_names import fold_name
from milepost.numerics.try_loops import HOLD, LEARNING, LOG_SD, PATIENCE, WEAR
from milepost.numerics.try_model import Fit, fit_tries
from milepost.numerics.try_sums import TriesOfItems
from milepost.playback.play import Play

IMAGINED: Final = 300  # players in a build
_WORN: Final = 5  # failures beyond the first that wear
_MOST_TRIES: Final = 400  # of a player
# Without a pilot: the middle and the spread of what players are like, as the model's priors have them, and of a target's error.
_LEARNING, _SPREAD, _TARGET_SD = (0.3, 0.15), (-0.2, 0.25), 0.5


@dataclass(frozen=True, eq=False, repr=False)
class World:
    """Levels and players as they may be.

    Attributes:
        difficulty: per level, in logits.
        learning: logits for each unit of log(try number).
        spread: of skill.
        patience, wear, hold: of going on after a failure; see the model of tries.
        cut: the chance that something else ends the play after a try.
    """

    difficulty: Floats
    learning: float
    spread: float
    patience: float
    wear: float
    hold: float
    cut: float

    def chance(self, skill: Floats, difficulty: Floats | float, number: Ints | int) -> Floats:
        """The chance that a try clears."""
        logit = skill - difficulty + self.learning * np.log(number)
        chance: Floats = 1 / (1 + np.exp(-np.minimum(np.maximum(logit, -35), 35)))
        return chance

    def goes_on(self, skill: Floats, number: Ints | int) -> Floats:
        """The chance to go on after a failure."""
        logit = self.patience + self.wear * np.minimum(np.asarray(number) - 1, _WORN) + self.hold * skill
        on: Floats = (1 - self.cut) / (1 + np.exp(-np.minimum(np.maximum(logit, -35), 35)))
        return on

    def play(self, rng: np.random.Generator) -> tuple[TriesOfItems, Floats]:
        """Tries of imagined players, and their skill."""
        skill = rng.normal(0.0, self.spread, IMAGINED)
        level, number = np.zeros(IMAGINED, np.int64), np.zeros(IMAGINED, np.int64)
        active = np.ones(IMAGINED, np.bool_)
        rounds: list[tuple[Ints, Ints, Ints, Bools, Bools]] = []
        for _ in range(_MOST_TRIES):
            players = np.flatnonzero(active)
            if not len(players):
                break
            number[players] += 1
            at, tried = level[players], number[players]
            cleared = rng.random(len(players)) < self.chance(skill[players], self.difficulty[at], tried)
            stays = rng.random(len(players)) < np.where(cleared, 1 - self.cut, self.goes_on(skill[players], tried))
            rounds.append((players, at, tried, cleared, ~stays & ~cleared))
            number[players[cleared]] = 0
            level[players[cleared]] += 1
            active[players] = stays & (level[players] < len(self.difficulty))
        subject, item, tried, cleared, left = (np.concatenate(column) for column in zip(*rounds, strict=True))
        order = np.argsort(subject, kind="stable")
        return TriesOfItems(subject[order], item[order], tried[order], cleared[order], left[order]), skill


@dataclass(frozen=True, eq=False, repr=False)
class Pilot:
    """Expectations before a test.

    Attributes:
        names: the levels.
        players: who played the pilot; None without one.
        difficulty, covariance: of the levels.
        learning, spread: each with its standard error; of the logarithm of the spread.
        going_on: patience, wear and hold.
        cut: the chance that something else ends the play after a try.
        lost, reached: per level, players lost and who got there.
        roughness: the course's own unevenness, in logits.
    """

    names: list[str]
    players: int | None
    difficulty: Floats
    covariance: Floats
    learning: tuple[float, float]
    spread: tuple[float, float]
    going_on: tuple[float, float, float]
    cut: float
    lost: Ints
    reached: Ints
    roughness: float

    @classmethod
    def of(cls, play: Play) -> Pilot:
        """Return the pilot of a play.

        Raises:
            UsageError: no try was settled in it.
        """
        from milepost.difficulty.anomalies import read_events
        from milepost.measures.funnel import Funnel

        tries = settled_tries(play)
        if not len(tries.item):
            raise UsageError("no try was settled in a level of the course, so the pilot says nothing of players to come.")
        fit, rows = fit_tries(tries, play.n_levels), play.compute_once(Funnel()).rows
        lost, reached = (np.array([row[key] for row in rows], dtype=np.int64) for key in ("lost", "reached"))
        others = max(0, int(play.counts.sum()) - int(lost.sum()) - rows[-1]["cleared"])
        return cls(
            play.stops[: play.n_levels],
            int(play.counts.sum()),
            fit.difficulty,
            fit.covariance,
            (fit.learning, fit.learning_se),
            (float(np.log(fit.ability_sd)), fit.log_sd_se),
            _going_on(fit),
            others / len(tries.item),
            lost,
            reached,
            read_events(fit.difficulty, fit.covariance).roughness,
        )

    @classmethod
    def of_course(cls, course: Course) -> Pilot:
        """Return the pilot of a plan: the levels as hard as they are meant to be.

        Raises:
            UsageError: a level has no target.
        """
        without = [level.name for level in course.levels if not level.target_clear or level.target_clear >= 1]
        if without:
            raise UsageError(f"{without[0]}: has no target_clear below 1. Give it one, or name a pilot log.")
        difficulty = np.array([difficulty_for_chance(level.target_clear or 0.5) for level in course.levels])
        n = len(difficulty)
        nobody = np.zeros(n, np.int64)
        return cls(
            course.names(),
            None,
            difficulty,
            _TARGET_SD**2 * np.eye(n),
            _LEARNING,
            _SPREAD,
            (3.0, -0.2, 0.3),
            0.0,
            nobody,
            nobody,
            0.25,
        )

    def place(self, name: str) -> int:
        """The place of a level, in any spelling.

        Raises:
            UsageError: there is no such level.
        """
        alike = [n for n, level in enumerate(self.names) if fold_name(level) == fold_name(name)]
        if len(alike) != 1:
            raise UsageError(f"no level of the course is called {name!r}. Its levels: {', '.join(self.names[:40])}.")
        return alike[0]

    def drawn(self, rng: np.random.Generator) -> World:
        """One of the worlds that it leaves open."""
        difficulty = rng.multivariate_normal(self.difficulty, self.covariance, method="eigh")
        learning, spread = (rng.normal(*mean_and_sd) for mean_and_sd in (self.learning, self.spread))
        return World(difficulty, float(learning), float(np.exp(min(spread, 1.5))), *self.going_on, self.cut)


def _going_on(fit: Fit) -> tuple[float, float, float]:
    others = fit.others
    return float(others[PATIENCE]), float(others[WEAR]), float(others[HOLD])


def parameters(world: World) -> Floats:
    """The parameters of the model of tries after the difficulties."""
    values = np.zeros(5)
    values[LEARNING], values[LOG_SD] = world.learning, np.log(world.spread)
    values[[PATIENCE, WEAR, HOLD]] = world.patience, world.wear, world.hold
    return values
