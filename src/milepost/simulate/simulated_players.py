"""Players who play a course: every try of everybody, round by round, with a known truth behind it.

In a round each player who is still at it makes one try at the present level. A try clears with the chance
logit P = skill - difficulty + learning * log(try number); what follows (a new try, the next level, a setback, giving
up, the end of the hour, a crash) is drawn from the settings.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.course.course import Course, Level
from milepost.course.legs import Leg
from milepost.simulate.population import Population
from milepost.vocabulary import CLEARED, CRASH, DIED, TIME_UP, WAS_RESET


@dataclass(frozen=True, eq=False, repr=False)
class SimulatedTries:
    """Every try, in rounds; all columns of one length. Times are seconds since the session began.

    ``outcome`` is an attempt's outcome; ``next_level`` is where the game goes after it, -1 where the session ends there
    or the level is tried again; ``back`` says that it sends the player back; ``ends`` that the session ends with this try,
    and ``finished`` that the player's way does.
    """

    player: Ints
    session: Ints  # the player's first, second ... session, from 0
    level: Ints
    number: Ints
    opened: Floats
    closed: Floats
    outcome: Ints
    progress: Floats
    next_level: Ints
    back: Bools
    ends: Bools
    finished: Bools


@dataclass(frozen=True, eq=False, repr=False)
class Truth:
    """The true values of players and levels, and each player's way through the course, filled up with -1."""

    skill: Floats
    difficulty: Floats
    ways: Ints


@dataclass(frozen=True, eq=False, repr=False)
class _Game:
    """The course, its players with their ways, and the source of chance."""

    difficulty: Floats
    ways: Ints
    setback: Ints
    seconds: Floats
    population: Population
    skill: Floats
    rng: np.random.Generator

    def level_at(self, players: Ints, step: Ints) -> Ints:
        """The levels at which players are, -1 beyond the end of their way."""
        inside = np.minimum(step, self.ways.shape[1] - 1)
        return np.where(step < self.ways.shape[1], self.ways[players, inside], -1)


class _PlayerStates:
    """The state of every player."""

    def __init__(self, n_players: int, n_levels: int) -> None:
        self.step = np.zeros(n_players, np.int64)  # of the player's way
        self.session = np.zeros(n_players, np.int64)
        self.clock = np.full(n_players, 3.0)
        self.row = np.zeros(n_players, np.int64)  # failures in a row
        self.tried = np.zeros((n_players, n_levels), np.int64)
        self.active = np.ones(n_players, np.bool_)


@dataclass(frozen=True, eq=False, repr=False)
class LevelTraits:
    """What levels are like beside their difficulty.

    Attributes:
        setback: per level, how many levels back it sends who fails too often in a row; none where None.
        seconds: per level, the median length of a try that clears; the population's where None.
    """

    setback: Ints | None = None
    seconds: Floats | None = None


def play_course(
    difficulty: Floats,
    population: Population,
    rng: np.random.Generator,
    *,
    levels: LevelTraits = LevelTraits(),
    skill: Floats | None = None,
    course: Course | None = None,
) -> tuple[SimulatedTries, Truth]:
    """Let a population play a course.

    Args:
        difficulty: per level, in logits; higher is harder.
        population: who plays.
        rng: where chance comes from.
        levels: what else levels are like.
        skill: per player, in logits; drawn where None.
        course: whose legs players go through; a line where None.
    """
    n_levels = len(difficulty)
    skill = rng.normal(0.0, population.skill_sd, population.players) if skill is None else skill
    game = _Game(
        difficulty,
        draw_ways(course, skill, population, rng)
        if course is not None and not course.is_line
        else straight_ways(len(skill), n_levels),
        np.zeros(n_levels, np.int64) if levels.setback is None else levels.setback,
        np.full(n_levels, population.try_seconds) if levels.seconds is None else levels.seconds,
        population,
        skill,
        rng,
    )
    state = _PlayerStates(population.players, n_levels)
    rounds: list[tuple[Ints | Floats | Bools, ...]] = []
    while state.active.any():
        rounds.append(_round(state, game))
    columns = [np.concatenate(column) for column in zip(*rounds, strict=True)]
    return SimulatedTries(*columns), Truth(game.skill, difficulty, game.ways)


def _round(state: _PlayerStates, game: _Game) -> tuple[Ints | Floats | Bools, ...]:
    """One try of each player still at it."""
    rng, population = game.rng, game.population
    players = np.flatnonzero(state.active)
    level = game.level_at(players, state.step[players])
    number = state.tried[players, level] + 1
    state.tried[players, level] = number
    chance = _expit(game.skill[players] - game.difficulty[level] + population.learning * np.log(number))
    cleared = rng.random(len(players)) < chance
    progress = np.where(cleared, 1.0, rng.beta(2.2, 1.6, len(players)))
    length = game.seconds[level] * rng.lognormal(0.0, population.try_sd, len(players)) * np.maximum(0.12, progress)
    opened = state.clock[players]
    closed = opened + length
    failed_as = np.where(rng.random(len(players)) < population.reset_share, WAS_RESET, DIED)
    outcome = np.where(cleared, CLEARED, failed_as)
    outcome, closed = _cut_short(outcome, opened, closed, population, rng)
    state.row[players] = np.where(outcome == CLEARED, 0, state.row[players] + 1)
    ends, finished, step = _decide_next(state, game, players, level, outcome)
    session = state.session[players].copy()
    state.clock[players] = closed
    next_level = np.where(step >= 0, game.level_at(players, step), -1)
    back = (step >= 0) & (step < state.step[players])
    _move(state, game, players, step, ends, outcome == CLEARED)
    return players, session, level, number, opened, closed, outcome, progress, next_level, back, ends, finished


def _expit(value: Floats) -> Floats:
    return 1.0 / (1.0 + np.exp(-value))


def _cut_short(
    outcome: Ints, opened: Floats, closed: Floats, population: Population, rng: np.random.Generator
) -> tuple[Ints, Floats]:
    """The hour is over, or the game crashes, before the try is."""
    limit = population.minutes * 60 if population.minutes else np.inf
    crash = rng.exponential(3600 / population.crash_hourly, len(opened)) if population.crash_hourly else np.inf
    until = np.minimum(limit, opened + crash)
    over = closed >= until
    why = np.where(opened + crash < limit, CRASH, TIME_UP)
    return np.where(over, why, outcome), np.where(over, np.maximum(until, opened), closed)


def _decide_next(state: _PlayerStates, game: _Game, players: Ints, level: Ints, outcome: Ints) -> tuple[Bools, Bools, Ints]:
    """Return whether the session ends with the try, whether the way does, and which step of the way comes next, or -1."""
    population, setback = game.population, game.setback
    failed = (outcome == DIED) | (outcome == WAS_RESET)
    first = population.quit_base / max(1e-12, 1 - population.quit_base)
    odds = (
        first * population.quit_growth ** np.maximum(0, state.row[players] - 1) * population.quit_skill ** (-game.skill[players])
    )
    chance = np.where(failed, odds / (1 + odds), np.where(outcome == CLEARED, population.quit_between, 0.0))
    gives_up = game.rng.random(len(players)) < chance
    step = state.step[players]
    finished = (outcome == CLEARED) & (game.level_at(players, step + 1) < 0)
    ends = gives_up | finished | (outcome == CRASH) | (outcome == TIME_UP)
    back = failed & (setback[level] > 0) & (state.row[players] >= population.setback_after)
    onward = np.where(outcome == CLEARED, step + 1, np.where(back, np.maximum(0, step - setback[level]), -1))
    return ends, finished, np.where(ends | finished, -1, onward)


def _move(state: _PlayerStates, game: _Game, players: Ints, step: Ints, ends: Bools, cleared: Bools) -> None:
    """Bring every player to where the next try begins, in a new session where one comes back."""
    rng, population = game.rng, game.population
    moved = step >= 0
    state.row[players[moved]] = 0
    state.step[players] = np.where(moved, step, state.step[players] + (cleared & ends))
    gap = np.where(moved, rng.uniform(2.0, 6.0, len(players)), rng.uniform(0.6, 2.0, len(players)))
    state.clock[players] += gap
    more = (state.session[players] + 1 < population.sessions) & (game.level_at(players, state.step[players]) >= 0)
    comes_back = ends & more & (rng.random(len(players)) < population.returning)
    state.active[players] = ~ends | comes_back
    state.session[players[comes_back]] += 1
    state.clock[players[comes_back]] = 3.0
    state.row[players[comes_back]] = 0


def straight_ways(players: int, levels: int) -> Ints:
    """Return the ways of players through a line: a row a player, all levels in order."""
    return np.tile(np.arange(levels), (players, 1))


def draw_ways(course: Course, skill: Floats, population: Population, rng: np.random.Generator) -> Ints:
    """Return ways drawn at random: a row a player, levels by their places in the course, filled up with -1.

    Args:
        course: with its legs.
        skill: per player, in logits.
        population: how many go for what is off the way, and how far skill decides.
        rng: where chance comes from.
    """
    ways = [list(_draw_way(course, float(value), population, rng)) for value in skill]
    padded = np.full((len(ways), max(map(len, ways), default=0)), -1, np.int64)
    for row, way in zip(padded, ways, strict=True):
        row[: len(way)] = way
    return padded


def _draw_way(course: Course, skill: float, population: Population, rng: np.random.Generator) -> Iterator[int]:
    for leg in course.legs:
        aside = [place for place in leg.levels if course.levels[place].optional]
        share = _tilted(population.optional_share, population.optional_skill * skill)
        taken = [place for place in aside if rng.random() < share]
        way = _order_of_levels(leg, course.levels, skill, population, rng)
        for place in taken:
            before = int(rng.integers(0, len(way) + 1)) if len(leg.required) > 1 else len(way)
            way = [*way[:before], place, *way[before:]]
        yield from way


def _order_of_levels(
    leg: Leg, levels: Sequence[Level], skill: float, population: Population, rng: np.random.Generator
) -> list[int]:
    """The levels of a leg that a player has to clear, in the order in which they are tried."""
    free = [place for place in leg.required if levels[place].route is None]
    routes = list(dict.fromkeys(route for place in leg.required if (route := levels[place].route) is not None))
    if not routes:
        order = rng.permutation(free).tolist() if len(free) > 1 else free
        return order[: leg.needs]
    first = _tilted(1 / len(routes), population.way_skill * skill)
    chosen = routes[0] if rng.random() < first else routes[int(rng.integers(1, len(routes)))] if len(routes) > 1 else routes[0]
    return [*free, *(place for place in leg.required if levels[place].route == chosen)]


def _tilted(share: float, logits: float) -> float:
    """A share whose odds are moved by some logits."""
    if not 0 < share < 1:
        return share
    return float(1 / (1 + (1 - share) / share * np.exp(-logits)))
