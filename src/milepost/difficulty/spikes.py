"""Spikes: difficulty adjusted for who got there, and which levels break what their surroundings lead one to expect."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, Final, Literal, NamedTuple

import numpy as np

from milepost.arrays import Column, Floats, Ints
from milepost.course.course import Course
from milepost.difficulty.anomalies import FEW_PLAYERS, DifficultyReading, Verdict, have_enough, judge_levels, read_events
from milepost.difficulty.chosen_ways import Choice, list_choices, update_abilities
from milepost.difficulty.cost import QuitHazard, Standing, estimate_costs, quit_hazard
from milepost.difficulty.plan_checks import find_inversions, judge_against_plan, knob_notes, list_knob_jumps
from milepost.difficulty.responses import TimesOfPlayers, TriesOfPlayers, settled_tries
from milepost.difficulty.row_types import Cost, Judged, JudgedRow, Kind, KnobNotes, Model, SpikesRow, SpikesTotals
from milepost.difficulty.spike_sentences import costliest_first, word_spike, word_unjudged
from milepost.measures.attempts import AttemptsRow, AttemptsToClear
from milepost.measures.cells import Attendance, WatchOfLevels, void_attempts
from milepost.measures.funnel import Funnel, FunnelRow, legs_in
from milepost.measures.interface import Table
from milepost.measures.time_counts import Spent
from milepost.numerics.try_loops import HOLD
from milepost.numerics.try_model import Fit, fit_around, fit_tries
from milepost.numerics.try_sums import TriesOfItems
from milepost.numerics.whole_numbers import stable_order
from milepost.playback.play import Kinds, Summed
from milepost.vocabulary import CLEARED

_TELLING = 2.5  # standard errors at which one level alone is told from its surroundings
_WORTH_TELLING = 1.0  # logits
_UNJUDGED: Final = Judged(difficulty=None, se=None, expected=None, excess=None, excess_se=None, odds_ratio=None)
_NO_COST: Final = Cost(cost=None, cost_low=None, cost_high=None)
Basis = Literal["tries", "time"]  # what difficulty is read from
_FEW_FAILURES, _SHARE_OF_FAILURES = 3, 0.01  # below these, failures say nothing of difficulty


@dataclass(frozen=True)
class Spikes:
    """Difficulty, expectation and verdict for each level.

    Attributes:
        min_players: of levels with fewer players, nothing is claimed.
    """

    min_players: int = 5
    SUMS: ClassVar[Kinds] = (*Funnel.SUMS, *AttemptsToClear.SUMS, Spent, TriesOfPlayers, TimesOfPlayers, WatchOfLevels)

    def __call__(self, play: Summed) -> Table[SpikesRow, SpikesTotals]:
        """One row a level; the totals hold the model's values and the sentences, costliest first."""
        tries = settled_tries(play)
        if not len(tries.item):
            rows = [self._empty(play, level) for level in range(play.n_levels)]
            sentences = ["No level can be judged: no try was settled in a level of the course."]
            return Table(rows, SpikesTotals(basis="tries", model=None, sentences=sentences, unsaid=sentences, inversions=[]))
        case, course = _CourseCase.of(play, tries), play.course
        counts = np.bincount(tries.item, minlength=play.n_levels)
        players = np.array([len(trying) for trying in case.trying])
        judged = judge_levels(case.reading, counts, players, self.min_players)
        quitting = _judge_by_quitting(case.funnel, play.n_levels, self.min_players, places_of_legs(play))
        time = _judge_by_time(play, self.min_players)
        rows = []
        for level in range(play.n_levels):
            row = case.row(level, judged[level], quitting[level], time[level])
            text = word_spike(row, play.sums(Attendance).players, case.basis)
            rows.append(SpikesRow(**row, sentence=text, void=void_attempts(play, level)))
        return Table(
            rows,
            SpikesTotals(
                basis=case.basis,
                model=_model(case),
                sentences=[row["sentence"] or "" for row in costliest_first(rows)] + word_unjudged(rows, case.basis),
                unsaid=word_unjudged(rows, case.basis),
                inversions=find_inversions(play.stops, case.fit, places_of_legs(play)),
                **(knob_notes(course, case.fit) if course else KnobNotes()),
            ),
        )

    def _empty(self, play: Summed, level: int) -> SpikesRow:
        return SpikesRow(
            level=play.stops[level],
            **_UNJUDGED,
            **_NO_COST,
            kind="none",
            evidence="too_few",
            q_value=None,
            tries=0,
            players=0,
            first_try=None,
            chance=None,
            expected_chance=None,
            try_clear=None,
            try_clear_low=None,
            try_clear_high=None,
            reached=0,
            lost=0,
            players_needed=None,
            plan=None,
            changes=[],
            watch=[],
            quitting="none",
            time="none",
            sentence=None,
            void=void_attempts(play, level),
        )


@dataclass(frozen=True, eq=False, repr=False)
class _CourseCase:
    """All that a level is judged by."""

    play: Summed
    tries: TriesOfItems
    basis: Basis
    fit: Fit
    reading: DifficultyReading
    funnel: list[FunnelRow]
    hazard: QuitHazard
    attempts: list[AttemptsRow]
    trying: list[Column]  # per level, the subjects with a try there

    @classmethod
    def of(cls, play: Summed, tries: TriesOfItems) -> _CourseCase:
        """Return the comparison of a play."""
        funnel = play.compute_once(Funnel()).rows
        attempts, trying = play.compute_once(AttemptsToClear()).rows, _trying(tries, play.n_levels)
        fitted = play.compute_and_keep("difficulty", lambda replayed: _fit(replayed, tries), Fit, DifficultyReading)
        return cls(play, tries, *fitted, funnel, quit_hazard(play, funnel, tries), attempts, trying)

    @property
    def course(self) -> Course | None:
        """The course, if one is given."""
        return self.play.course

    def row(self, level: int, verdict: Verdict, quitting: Kind, time: Kind) -> JudgedRow:
        """Return a level's row, from its tries."""
        fit, players, tried = self.fit, self.trying[level], self.attempts[level]
        by_tries, judged = self.basis == "tries", self._judged(level, verdict)
        abilities = fit.ability[players] if by_tries else np.zeros(0)
        stands_out = verdict.kind != "none"
        return JudgedRow(
            level=self.play.stops[level],
            **(judged if len(players) else _UNJUDGED),
            kind=verdict.kind,
            evidence=verdict.evidence,
            q_value=verdict.q,
            tries=int(np.count_nonzero(self.tries.item == level)),
            players=len(players),
            first_try=tried["first_try"],
            chance=_chance(abilities, judged["difficulty"]),
            expected_chance=_chance(abilities, judged["expected"]),
            try_clear=tried["try_clear"],
            try_clear_low=tried["try_clear_low"],
            try_clear_high=tried["try_clear_high"],
            reached=self.funnel[level]["reached"],
            lost=self.funnel[level]["lost"],
            players_needed=_needed(fit, self.reading, level, len(players)),
            **(self._cost(level, judged) if len(players) and by_tries else _NO_COST),
            plan=judge_against_plan(self.course.levels[level] if self.course else None, tried),
            changes=list_knob_jumps(self.course, level) if stands_out and self.course else [],
            watch=self.play.sums(WatchOfLevels).of_level(level) if stands_out else [],
            quitting=quitting,
            time=time,
        )

    def _judged(self, level: int, verdict: Verdict) -> Judged:
        """Return a level's place; for a step, its height."""
        reading, difficulty = self.reading, float(self.fit.difficulty[level])
        excess, expected = float(reading.excess[level]), float(reading.expected[level])
        if verdict.kind == "step":
            excess = float(reading.height[level])
            expected = difficulty - excess
        return Judged(
            difficulty=difficulty,
            se=float(np.sqrt(self.fit.covariance[level, level])),
            expected=expected,
            excess=excess,
            excess_se=float(reading.excess_se[level]),
            odds_ratio=float(np.exp(excess)),
        )

    def _cost(self, level: int, judged: Judged) -> Cost:
        standing = Standing(level, judged["difficulty"] or 0.0, judged["excess"] or 0.0, judged["excess_se"] or 0.0)
        return estimate_costs(self.funnel, standing, self.fit.ability[self.trying[level]], self.fit.learning, self.hazard)


def _fit(play: Summed, tries: TriesOfItems) -> tuple[Basis, Fit, DifficultyReading]:
    """Difficulties from failures; where a game has next to none, from the time that clearing takes instead."""
    if int((~tries.success).sum()) < max(_FEW_FAILURES, _SHARE_OF_FAILURES * len(tries.item)):
        fit = play.sums(TimesOfPlayers).fit(play.n_levels)
        if fit is not None:
            return "time", fit, read_events(fit.difficulty, fit.covariance, places_of_legs(play))
    return "tries", *read_tries(tries, play.n_levels, places_of_legs(play), list_choices(play.course))


class LevelStanding(NamedTuple):
    """What `Spikes` says of a level's difficulty, and of what it is made."""

    players: int
    tries: int
    difficulty: float
    se: float
    kind: Kind


def judge_difficulties(play: Summed, least: int) -> list[LevelStanding]:
    """Return of each level what ``Spikes`` says of its difficulty, and nothing more; none without tries.

    Args:
        play: the play.
        least: of levels with fewer players, nothing is claimed.
    """
    tries = settled_tries(play)
    if not len(tries.item):
        return []
    _, fit, reading = play.compute_and_keep("difficulty", lambda replayed: _fit(replayed, tries), Fit, DifficultyReading)
    counts = np.bincount(tries.item, minlength=play.n_levels)
    players = np.array([len(trying) for trying in _trying(tries, play.n_levels)])
    error = np.sqrt(np.diag(fit.covariance))
    judged = judge_levels(reading, counts, players, least)
    return [
        LevelStanding(int(players[n]), int(counts[n]), float(fit.difficulty[n]), float(error[n]), verdict.kind)
        for n, verdict in enumerate(judged)
    ]


def _trying(tries: TriesOfItems, n_items: int) -> list[Column]:
    """Per item, the subjects with a try at it, of tries that lie subject by subject, and those of a subject item by item."""
    subject, item = tries.subject, tries.item
    first = np.flatnonzero(np.concatenate(([True], (subject[1:] != subject[:-1]) | (item[1:] != item[:-1]))))
    subject, item = subject[first], item[first]
    order = stable_order(item)
    return np.split(subject[order], np.searchsorted(item[order], np.arange(1, n_items)))


def _chance(abilities: Floats, difficulty: float | None) -> float | None:
    """The chance that a first try clears, over the players who tried."""
    return float((1 / (1 + np.exp(difficulty - abilities))).mean()) if len(abilities) and difficulty is not None else None


def _needed(fit: Fit, reading: DifficultyReading, level: int, players: int) -> int | None:
    """Players it would take here to tell a level that is harder by one logit; None where no number would do."""
    if not players:
        return None
    room = (_WORTH_TELLING / _TELLING) ** 2 - reading.roughness**2
    variance = float(fit.covariance[level, level])
    return max(players, FEW_PLAYERS, int(np.ceil(players * variance / room))) if room > 0 else None


def _model(case: _CourseCase) -> Model:
    fit, hazard = case.fit, case.hazard
    return Model(
        skill_sd=fit.ability_sd,
        learning=fit.learning,
        learning_se=fit.learning_se,
        roughness=case.reading.roughness,
        quit_per_failure=hazard.value,
        quit_per_failure_low=hazard.low,
        quit_per_failure_high=hazard.high,
        quit_skill=float(np.exp(fit.others[HOLD])) if case.basis == "tries" else None,
        lost=hazard.lost,
        failures=hazard.failures,
        arrived=fit.arrived,
    )


def _judge_by_quitting(funnel: list[FunnelRow], n_levels: int, least: int, places: Ints) -> list[Kind]:
    """The verdicts by drop-off alone: the log odds of being lost at a level."""
    rows = funnel[:n_levels]
    reached = np.array([row["reached"] for row in rows])
    lost = np.array([row["lost"] for row in rows])
    return _kinds(
        np.log((lost + 0.5) / (reached - lost + 0.5)), 1 / (lost + 0.5) + 1 / (reached - lost + 0.5), reached, least, places
    )


def _judge_by_time(play: Summed, least: int) -> list[Kind]:
    """The verdicts by the time of clearing tries alone, over the planned time where one is given."""
    attempts = play.sums(Spent).attempts
    logs, variance, counts = np.zeros(play.n_levels), np.full(play.n_levels, 16.0), np.zeros(play.n_levels, np.int64)
    for level in range(play.n_levels):
        cleared = attempts.at(level).at(True).at(CLEARED)
        cleared = cleared.where(cleared.values > 0)
        par = play.course.levels[level].par_seconds if play.course else None
        counts[level] = cleared.total
        if counts[level] > 1:
            times = np.log(np.repeat(cleared.values, cleared.count))
            logs[level] = float(np.median(times)) - (np.log(par) if par else 0.0)
            variance[level] = 1.57 * max(float(times.var(ddof=1)), 0.01) / len(times)  # of a median
    return _kinds(logs, variance, counts, least, places_of_legs(play))


def _kinds(values: Floats, variance: Floats, counts: Ints, least: int, places: Ints) -> list[Kind]:
    if not have_enough(counts * 2, counts, least).any():
        return ["none"] * len(counts)  # as each of them would be, after eigenvalues of a matrix of all levels by all
    reading = read_events(values, np.diag(variance), places)
    return [verdict.kind for verdict in judge_levels(reading, counts * 2, counts, least)]


_MAYBE_EASIER: Final = -0.7  # logits of excess from which a level is looked at again


def places_of_legs(play: Summed) -> Ints:
    """Per level of the course, the place of its leg."""
    legs = legs_in(play)
    return np.repeat(np.arange(len(legs)), [len(leg.levels) for leg in legs])


def read_tries(
    tries: TriesOfItems, n_levels: int, places: Ints | None = None, choices: Sequence[Choice] = ()
) -> tuple[Fit, DifficultyReading]:
    """The fitted difficulties, and the course read from them.

    The likelihood of a level that nearly every try clears is steep towards harder and flat towards easier, so the usual
    standard error makes too little of it. Such levels are read from the likelihood's shape half way to what the others
    lead one to expect.
    """
    fit = update_abilities(fit_tries(tries, n_levels), tries, choices)
    reading = read_events(fit.difficulty, fit.covariance, places)
    maybe = (reading.excess < _MAYBE_EASIER) & (np.bincount(tries.item, minlength=n_levels) > 0)
    if not maybe.any():
        return fit, reading
    half_way = np.where(maybe, fit.difficulty - reading.excess / 2, fit.difficulty)
    near, covariance = fit_around(fit, half_way, tries)
    second = read_events(near, covariance, places)
    return fit, replace(second, excess=np.where(maybe, fit.difficulty - second.expected, second.excess))
