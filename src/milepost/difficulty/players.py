"""Players: what each one played and how far, how able each one is, and whether they are one spread or two groups."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final, TypedDict

import numpy as np

from milepost.arrays import Bools, Column, Floats, Ints, none_if_nan
from milepost.difficulty.responses import gather_tries
from milepost.measures.cells import first_tries
from milepost.measures.interface import LevelRow, Table
from milepost.numerics.try_model import Fit, fit_tries
from milepost.numerics.try_sums import TriesOfItems
from milepost.numerics.whole_numbers import number_values
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, N_SETTLED


class PlayerRow(TypedDict):
    """A player.

    ``pace`` is the median, over the levels that the player cleared, of the clearing try's seconds over all players' median;
    ``skill`` is in logits, shrunken towards all players; ``watch`` is the session with most seconds of failures.
    """

    player: str
    sessions: int
    minutes: float
    furthest: str | None
    tries: int
    clears: int
    pace: float | None
    skill: float | None
    skill_se: float | None
    ended: str
    watch: str | None


class FurthestRow(LevelRow):
    """How many players got as far as a level, and no further."""

    furthest: int


class PlayersTotals(TypedDict):
    """The players, in the log's order, and their skills together."""

    roster: list[PlayerRow]
    groups: SkillGroups


@dataclass(frozen=True)
class Players:
    """A row a player."""

    def __call__(self, play: Play) -> Table[FurthestRow, PlayersTotals]:
        """One row a level; the totals have a row a player."""
        furthest = _furthest(play)
        able, groups = _skills(play)
        known = _Known(play, furthest, able)
        counted = np.flatnonzero(play.counts)
        far = np.bincount(furthest[counted][furthest[counted] >= 0], minlength=play.n_levels)
        rows = [FurthestRow(level=play.stops[level], furthest=int(far[level])) for level in range(play.n_levels)]
        return Table(rows, PlayersTotals(roster=[known.row(n) for n in counted.tolist()], groups=groups))


class _Known:
    """What is known of each player, by number."""

    def __init__(self, play: Play, furthest: Ints, able: Floats) -> None:
        table, n = play.attempts, len(play.gated.players)
        first, settled = first_tries(play), table.outcome < N_SETTLED
        self.play, self.furthest, self.able = play, furthest, able
        self.sessions = np.bincount(play.gated.player[play.gated.sequence], minlength=n)
        self.tries = np.bincount(table.player[first & settled], minlength=n)
        self.clears = np.bincount(table.player[first & table.ended(CLEARED)], minlength=n)
        self.active = np.bincount(table.player, weights=np.nan_to_num(table.active), minlength=n)
        self.pace, self.watch = _paces(play), _pick_sessions_to_watch(play)
        self.last = np.full(n, -1)
        self.last[play.gated.player[play.gated.sequence]] = play.gated.sequence  # rising, so the last one stays

    def row(self, n: int) -> PlayerRow:
        """The row of a player."""
        names, skill = self.play.gated.log.sessions.name, self.able[n]
        return PlayerRow(
            player=self.play.gated.players[n],
            sessions=int(self.sessions[n]),
            minutes=float(self.active[n]) / 60,
            furthest=self.play.stops[self.furthest[n]] if self.furthest[n] >= 0 else None,
            tries=int(self.tries[n]),
            clears=int(self.clears[n]),
            pace=none_if_nan(self.pace[n]),
            skill=none_if_nan(skill[0]),
            skill_se=none_if_nan(skill[1]),
            ended=self.play.end.name(int(self.last[n])),
            watch=names[self.watch[n]] if self.watch[n] >= 0 else None,
        )


def _furthest(play: Play) -> Ints:
    """Per player, the furthest level of the course with an attempt; -1 without one."""
    table = play.attempts
    placed = table.level < play.n_levels
    furthest = np.full(len(play.gated.players), -1)
    np.maximum.at(furthest, table.player[placed], table.level[placed])
    return furthest


def _skills(play: Play) -> tuple[Floats, SkillGroups]:
    """Per player skill and its error, NaN where nothing is known, and what the skills are together."""
    by_player = np.full((len(play.gated.players), 2), np.nan)
    tries = gather_tries(play)
    subjects, number = number_values(tries.subject)
    if not len(subjects):
        return by_player, SkillGroups(players=0, better=None, p_value=None, means=[], shares=[])
    renumbered = replace(tries, subject=number)
    fit = fit_tries(renumbered, play.n_levels)
    able = estimate_skills(renumbered, fit)
    by_player[subjects] = np.column_stack((able.mean, able.sd))
    return by_player, compare_skill_groups(renumbered, fit)


def _paces(play: Play) -> Floats:
    """Per player, the median over levels of the clearing try's time over all players' median there; NaN without a clear."""
    table = play.attempts
    rows = np.flatnonzero(first_tries(play) & table.ended(CLEARED) & (table.level < play.n_levels) & (table.active > 0))
    usual = np.full(play.n_levels, np.nan)
    for level in np.unique(table.level[rows]).tolist():
        usual[level] = np.median(table.active[rows][table.level[rows] == level])
    pace, player = table.active[rows] / usual[table.level[rows]], table.player[rows]
    pace = pace[np.lexsort((pace, player))]
    count = np.bincount(player, minlength=len(play.gated.players))
    paces, with_times = np.full(len(count), np.nan), np.flatnonzero(count)
    first, many = (np.cumsum(count) - count)[with_times], count[with_times]
    paces[with_times] = (pace[first + (many - 1) // 2] + pace[first + many // 2]) / 2
    return paces


def _pick_sessions_to_watch(play: Play) -> Ints:
    """Per player, the session in which most seconds went into failures; -1 for a player without a failure."""
    table = play.attempts
    rows = np.flatnonzero(first_tries(play) & (table.outcome < N_SETTLED) & ~table.ended(CLEARED))
    spent = np.bincount(table.session[rows], weights=np.nan_to_num(table.active[rows]), minlength=len(play.gated.player))
    sessions = np.full(len(play.gated.players), -1)
    failed = np.flatnonzero(spent > 0)
    order = failed[np.argsort(spent[failed], kind="stable")]
    sessions[play.gated.player[order]] = order  # in rising order, so that the session with most stays
    return sessions


_GRID: Final = np.linspace(-6.0, 6.0, 49)  # logits
_ROUNDS: Final = 40  # of fitting a spread
_DRAWN: Final = 59  # courses of players drawn from one spread
_MOST_PLAYERS: Final = 1000  # of whom the groups are looked at
FEWEST_PLAYERS: Final = 12  # for which groups are looked at at all
_LEVEL: Final = 0.05
_SEED: Final = 1888


class SkillGroups(TypedDict):
    """Whether two groups describe the skills better than one spread, and what the two would be."""

    players: int
    better: bool | None
    p_value: float | None
    means: list[float]
    shares: list[float]


@dataclass(frozen=True, eq=False, repr=False)
class Skills:
    """Per subject, the mean and the standard deviation of its skill after its tries, in logits."""

    mean: Floats
    sd: Floats


def estimate_skills(tries: TriesOfItems, fit: Fit) -> Skills:
    """Return the skill of each subject: its posterior mean and standard deviation, shrunken towards all by the spread of skills.

    Args:
        tries: those that the fit is of.
        fit: difficulties, learning, and the spread of skills.
    """
    like = _Outcomes.of(tries, fit).likelihoods(tries.success)
    weight = like * np.exp(-0.5 * (_GRID / max(0.05, fit.ability_sd)) ** 2)
    weight /= weight.sum(axis=1, keepdims=True)
    mean = weight @ _GRID
    return Skills(mean, np.sqrt(np.maximum(0.0, weight @ _GRID**2 - mean**2)))


@dataclass(frozen=True, eq=False, repr=False)
class _Outcomes:
    """What outcomes of some tries say of skill, for any outcomes: a try that clears adds its logit, and all add one sum.

    Attributes:
        subject: per try, its subject.
        base: per try, its logit for a skill of 0.
        either: subject by skill on the grid, the logarithm of what is common to all outcomes.
    """

    subject: Column
    base: Floats
    either: Floats

    @classmethod
    def of(cls, tries: TriesOfItems, fit: Fit) -> _Outcomes:
        """Sum over the tries."""
        n = int(tries.subject.max(initial=-1)) + 1
        base = fit.learning * np.log(tries.number) - fit.difficulty[tries.item]
        sums = [np.bincount(tries.subject, weights=np.logaddexp(0.0, skill + base), minlength=n) for skill in _GRID]
        return cls(tries.subject, base, -np.stack(sums, axis=1).astype(np.float64))

    def likelihoods(self, success: Bools) -> Floats:
        """Subject by skill on the grid, how likely outcomes are, over the greatest of the subject's."""
        n = len(self.either)
        won = np.bincount(self.subject[success], minlength=n)
        logs = self.either + won[:, None] * _GRID
        likely: Floats = np.exp(logs - logs.max(axis=1, keepdims=True))
        return likely


def compare_skill_groups(tries: TriesOfItems, fit: Fit) -> SkillGroups:
    """Return whether two groups of one spread each describe the players better than one spread does.

    The likelihood ratio of two normal distributions with a spread in common against one, the difficulties held, beside what it
    is for players drawn from the one, who make as many tries at the same levels.

    Source: G. J. McLachlan, "On bootstrapping the likelihood ratio test statistic for the number of components in a normal
    mixture", Applied Statistics 36 (1987).
    """
    n = int(tries.subject.max(initial=-1)) + 1
    if n < FEWEST_PLAYERS:
        return SkillGroups(players=n, better=None, p_value=None, means=[], shares=[])
    sample = tries.of_the_first(min(n, _MOST_PLAYERS))
    outcomes = _Outcomes.of(sample, fit)
    like = outcomes.likelihoods(sample.success)
    single, double = _spread(like, 1), _spread(like, 2)
    ratio, rng = double.log_likelihood - single.log_likelihood, np.random.default_rng(_SEED)
    drawn = 0
    for _ in range(_DRAWN):
        skill = rng.normal(single.means[0], single.sd, len(like))
        success = rng.random(len(outcomes.base)) < 1 / (1 + np.exp(-(skill[sample.subject] + outcomes.base)))
        simulated = outcomes.likelihoods(success)
        drawn += _spread(simulated, 2).log_likelihood - _spread(simulated, 1).log_likelihood >= ratio
    p_value = (1 + drawn) / (1 + _DRAWN)
    return SkillGroups(
        players=len(like), better=p_value <= _LEVEL, p_value=p_value, means=double.means.tolist(), shares=double.shares.tolist()
    )


@dataclass(frozen=True, eq=False, repr=False)
class _Spread:
    """One normal distribution of skills, or several with a standard deviation in common."""

    means: Floats
    shares: Floats
    sd: float
    log_likelihood: float


def _spread(like: Floats, groups: int) -> _Spread:
    """The distribution under which outcomes are likeliest, by expectation and maximisation on the grid."""
    means = np.array([0.0]) if groups == 1 else np.array([-0.8, 0.8])
    shares, sd = np.full(groups, 1 / groups), 0.8
    for _ in range(_ROUNDS):
        density = shares[:, None] * np.exp(-0.5 * ((_GRID - means[:, None]) / sd) ** 2) / sd  # group by skill
        total = like @ density.sum(axis=0)
        weight = ((1 / total) @ like * density) + 1e-300
        mass = weight.sum(axis=1)
        shares = mass / mass.sum()
        means = (weight @ _GRID) / mass
        sd = max(0.1, float(np.sqrt((weight * (_GRID - means[:, None]) ** 2).sum() / mass.sum())))
    order = np.argsort(means)
    return _Spread(means[order], shares[order], sd, float(np.log(total).sum()))
