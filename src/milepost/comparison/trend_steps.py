"""Steps of a trend: a play of each build, day, week or month, and who played it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Final

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.cleaning.selection import keep_sessions, parse_condition, session_values
from milepost.cleaning.splitting import values_in_order
from milepost.comparison.compare_in_play import require_by_session
from milepost.errors import UsageError
from milepost.logs.interface import BareLog
from milepost.playback.attempt_filters import keep_fitting, look_at
from milepost.playback.play import FullPlay, Play
from milepost.playback.replay import replay_log

_NANO: Final = 1_000_000_000
_FEWEST: Final = 2  # steps


@dataclass(frozen=True, eq=False, repr=False)
class TrendSteps:
    """The steps: their names, a play of each, and the play whose end says who was kept.

    Attributes:
        names: in order.
        plays: of each step.
        cohorts: of each step, the play whose funnel says who was kept at the end; None where nobody is new.
        sessions: how many sessions of counted players each has.
        players: names of the counted players of each.
        key: what they are steps of; by try where a player's tries are dealt out.
        least: of fewer players, nothing is claimed.
        undated: sessions without a time stamp.
    """

    names: tuple[str, ...]
    plays: tuple[Play, ...]
    cohorts: tuple[Play | None, ...]
    sessions: tuple[int, ...]
    players: tuple[frozenset[str], ...]
    key: str
    by_date: bool
    least: int
    undated: int = 0


def steps_by_key(play: FullPlay, key: str, least: int) -> TrendSteps:
    """Steps by a build or another key of sessions; each is replayed by itself, so that first clears begin anew."""
    require_by_session(play, key)
    log = play.gated.log
    values = session_values(log, key)
    names = values_in_order(log, key)
    masks = [np.array([value == name for value in values], np.bool_) for name in names]
    plays = [_replayed(play, mask, name if key == "build" else None) for name, mask in zip(names, masks, strict=True)]
    return steps_from_plays(list(zip(names, plays, strict=True)), key, least)


def groups_in_order(log: BareLog, key: str, groups: Sequence[tuple[str | None, Play]]) -> list[tuple[str, Play]]:
    """The groups of a key in the order in which a trend has them; sessions without a value are in none."""
    plays = {value: play for value, play in groups if value is not None}
    return [(name, plays[name]) for name in values_in_order(log, key) if name in plays]


def steps_from_plays(plays: Sequence[tuple[str, Play]], key: str, least: int) -> TrendSteps:
    """Steps whose plays are there already, in their order, each by itself.

    Raises:
        UsageError: there are fewer than two.
    """
    if len(plays) < _FEWEST:
        raise UsageError(f"a trend takes two steps at least, and the log has {len(plays)} of {key}.")
    people = [frozenset(play.gated.players[p] for p in np.flatnonzero(play.counts)) for _, play in plays]
    sessions = [int(play.counts[play.gated.player[play.gated.sequence]].sum()) for _, play in plays]
    names, replayed = (tuple(column) for column in zip(*plays, strict=True))
    return TrendSteps(names, replayed, replayed, tuple(sessions), tuple(people), key, False, least)


def _replayed(play: FullPlay, sessions: Bools, build: str | None) -> Play:
    """The play of some sessions alone."""
    course = play.course.of_build(build) if play.course is not None and build is not None else play.course
    conditions = tuple(parse_condition(text) for text in play.conditions)
    return keep_fitting(
        replay_log(keep_sessions(play.gated.log, sessions), course, play.rules, exclusion=play.gated.exclusion), conditions
    )


def steps_by_date(play: FullPlay, over: str, least: int) -> TrendSteps:
    """Steps by date: a player's first-clear tries at a level all count in the step of the first of them."""
    gated = play.gated
    dates = _dates_of_sessions(play, over)
    names = sorted({date for date in dates if date is not None})
    if len(names) < 2:
        raise UsageError(f"a trend takes two steps at least, and the log has {len(names)} of {over}.")
    number = {name: place for place, name in enumerate(names)}
    step_of = np.array([-1 if date is None else number[date] for date in dates])
    dealt = _find_first_steps(play, step_of)
    step = step_of[gated.sequence]
    counted = play.counts[gated.player[gated.sequence]]
    people, plays, cohorts, sessions = [], [], [], []
    before: set[int] = set()
    for place, name in enumerate(names):
        players = set(gated.player[gated.sequence[(step == place) & counted]].tolist())
        people.append(frozenset(gated.players[p] for p in players))
        sessions.append(int(((step == place) & counted).sum()))
        plays.append(look_at(play, dealt == place, f"{over} = {name}"))
        new = players - before
        cohorts.append(_replayed(play, np.isin(gated.player, list(new)), None) if new else None)
        before |= players
    return TrendSteps(
        tuple(names),
        tuple(plays),
        tuple(cohorts),
        tuple(sessions),
        tuple(people),
        over,
        True,
        least,
        sum(d is None for d in dates),
    )


def _dates_of_sessions(play: FullPlay, over: str) -> list[str | None]:
    """Per session, the day, week or month of its first record in the order of replay; None where it has no time stamp."""
    forms = {"day": "%Y-%m-%d", "month": "%Y-%m"}
    labels: list[str | None] = []
    for epoch, first in zip(play.gated.log.sessions.epoch, play.session_times.first.tolist(), strict=True):
        if epoch is None or np.isnan(first):
            labels.append(None)
            continue
        moment = datetime.fromtimestamp(epoch / _NANO + first, UTC)
        iso = moment.isocalendar()
        labels.append(f"{iso.year:04d}-W{iso.week:02d}" if over == "week" else moment.strftime(forms[over]))
    return labels


def _find_first_steps(play: FullPlay, step_of: Ints) -> Ints:
    """Per attempt, the step of the player's first attempt at the level."""
    table = play.attempts
    keys = table.player * (len(play.stops) + 1) + table.level
    _, first, inverse = np.unique(keys, return_index=True, return_inverse=True)
    dealt: Ints = step_of[table.session[first]][inverse]
    return dealt
