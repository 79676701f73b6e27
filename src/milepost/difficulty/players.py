"""Players: what each one played and how far, how able each one is, and whether they are one spread or two groups."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TypedDict

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.difficulty.first_clear_tries import tries_of_players
from milepost.difficulty.skill import SkillGroups, skill_groups, skills
from milepost.measures.cells import first_tries
from milepost.measures.interface import LevelRow, Table
from milepost.numerics.try_model import fit_tries
from milepost.numerics.whole_numbers import numbered
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
        self.pace, self.watch = _paces(play), _to_watch(play)
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
            pace=_or_none(self.pace[n]),
            skill=_or_none(skill[0]),
            skill_se=_or_none(skill[1]),
            ended=self.play.end.name(int(self.last[n])),
            watch=names[self.watch[n]] if self.watch[n] >= 0 else None,
        )


def _or_none(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _furthest(play: Play) -> Ints:
    """Per player, the furthest level of the course with an attempt; -1 without one."""
    table = play.attempts
    own = table.level < play.n_levels
    furthest = np.full(len(play.gated.players), -1)
    np.maximum.at(furthest, table.player[own], table.level[own])
    return furthest


def _skills(play: Play) -> tuple[Floats, SkillGroups]:
    """Per player skill and its error, NaN where nothing is known, and what the skills are together."""
    found = np.full((len(play.gated.players), 2), np.nan)
    tries = tries_of_players(play)
    subjects, number = numbered(tries.subject)
    if not len(subjects):
        return found, SkillGroups(players=0, better=None, p_value=None, means=[], shares=[])
    own = replace(tries, subject=number)
    fit = fit_tries(own, play.n_levels)
    able = skills(own, fit)
    found[subjects] = np.column_stack((able.mean, able.sd))
    return found, skill_groups(own, fit)


def _paces(play: Play) -> Floats:
    """Per player, the median over levels of the clearing try's time over all players' median there; NaN without a clear."""
    table = play.attempts
    rows = np.flatnonzero(first_tries(play) & table.ended(CLEARED) & (table.level < play.n_levels) & (table.active > 0))
    usual = np.full(play.n_levels, np.nan)
    for level in np.unique(table.level[rows]).tolist():
        usual[level] = np.median(table.active[rows][table.level[rows] == level])
    found = np.full(len(play.gated.players), np.nan)
    order = rows[np.argsort(table.player[rows], kind="stable")]
    players, starts = np.unique(table.player[order], return_index=True)
    for player, own in zip(players.tolist(), np.split(order, starts[1:]), strict=True):
        found[player] = np.median(table.active[own] / usual[table.level[own]])
    return found


def _to_watch(play: Play) -> Ints:
    """Per player, the session in which most seconds went into failures; -1 for a player without a failure."""
    table = play.attempts
    rows = np.flatnonzero(first_tries(play) & (table.outcome < N_SETTLED) & ~table.ended(CLEARED))
    spent = np.bincount(table.session[rows], weights=np.nan_to_num(table.active[rows]), minlength=len(play.gated.player))
    found = np.full(len(play.gated.players), -1)
    failed = np.flatnonzero(spent > 0)
    order = failed[np.argsort(spent[failed], kind="stable")]
    found[play.gated.player[order]] = order  # in rising order, so that the session with most stays
    return found
