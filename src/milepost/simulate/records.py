"""From tries to the records that a game would have logged of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from milepost.arrays import Ints
from milepost.simulate.simulated_players import SimulatedTries
from milepost.vocabulary import CLEARED, CRASH, DIED, TIME_UP

Record = dict[str, Any]
_Recorder = Callable[..., Record]
_ASIDE, _MIDDLE, _HEIGHT = 2, 20, 6  # of a place on a level's map, where nothing is said of it
_RARER = 0.6  # each further cause of a level is so much rarer


@dataclass(frozen=True)
class Scenery:
    """Fields of the log beside the play itself.

    Attributes:
        levels: the level names.
        causes: per level, the causes of death there, the commonest first.
        player: per player, the name.
        tags: per player, fields of the session's start.
        build: per player, the build of each session.
        pickups: per level, how many pick-ups it has.
        pause_share: share of tries with a pause in them.
        spots: per level and cause, where on the level's map it kills: x (hundredths of the way), y, and how far it reaches;
            where a cause has none, deaths lie along a straight way.
    """

    levels: list[str]
    causes: list[list[str]]
    player: list[str]
    tags: list[dict[str, object]]
    build: list[list[str]]
    pickups: list[int] = field(default_factory=list)
    pause_share: float = 0.03
    spots: list[dict[str, tuple[float, float, float]]] = field(default_factory=list)


@dataclass(frozen=True)
class _Chance:
    """Random values of a try's records, drawn for all tries at once; lists of one length."""

    settling: list[float]
    pauses: list[bool]
    cause: list[float]
    aside: list[float]
    height: list[float]
    picked: list[int]


@dataclass(frozen=True)
class _Rows:
    """The columns of the tries as lists, which are quicker to go through."""

    player: list[int]
    session: list[int]
    level: list[int]
    opened: list[float]
    closed: list[float]
    outcome: list[int]
    progress: list[float]
    next_level: list[int]
    back: list[bool]
    finished: list[bool]


def simulate_sessions(tries: SimulatedTries, scenery: Scenery, rng: np.random.Generator) -> Iterator[list[Record]]:
    """The records of each session in order, sessions by player."""
    order = np.lexsort((tries.opened, tries.session, tries.player))
    cuts = np.flatnonzero(np.diff(tries.player[order]) | np.diff(tries.session[order])) + 1
    chance = _draw_chance(tries, scenery, rng)
    rows = _Rows(*(getattr(tries, name).tolist() for name in _Rows.__dataclass_fields__))
    for session_rows in np.split(order, cuts):
        yield list(_session(rows, session_rows.tolist(), scenery, chance))


def _draw_chance(tries: SimulatedTries, scenery: Scenery, rng: np.random.Generator) -> _Chance:
    count = len(tries.level)
    available: Ints = np.array(scenery.pickups, dtype=np.int64)[tries.level] if scenery.pickups else np.zeros(count, np.int64)
    return _Chance(
        rng.gamma(2.0, 0.7, count).tolist(),
        (rng.random(count) < scenery.pause_share).tolist(),
        rng.random(count).tolist(),
        rng.normal(0, _ASIDE, count).tolist(),
        rng.normal(_MIDDLE, _HEIGHT, count).tolist(),
        rng.binomial(available, 0.7).tolist(),
    )


def _session(rows: _Rows, session_rows: list[int], scenery: Scenery, chance: _Chance) -> Iterator[Record]:
    player, number = rows.player[session_rows[0]], rows.session[session_rows[0]]
    name = scenery.player[player]
    session = f"{name.lower().replace(' ', '-')}-{number + 1}"

    def record(time: float, event: str, **more: object) -> Record:
        return {"session": session, "time": round(time, 3), "event": event, **more}

    yield record(0.0, "session_start", player=name, build=scenery.build[player][number], **scenery.tags[player])
    before = -1
    for k in session_rows:
        level = scenery.levels[rows.level[k]]
        is_retry = before >= 0 and rows.next_level[before] < 0
        yield record(rows.opened[k], "retry" if is_retry else "start", level=level)
        yield from sorted(_during(rows, k, level, record, scenery, chance), key=lambda item: float(item["time"]))
        yield from _outcome(rows, k, level, record, scenery, chance)
        if rows.next_level[k] >= 0:
            why = {"cause": "swept back"} if rows.back[k] else {}
            yield record(rows.closed[k] + 0.8, "transition", level=level, to=scenery.levels[rows.next_level[k]], **why)
        before = k
    lag = 0.0 if rows.outcome[before] in (CRASH, TIME_UP) else 4.0
    yield record(rows.closed[before] + lag, "session_end", cause=_cause(rows, before, scenery))


def _cause(rows: _Rows, k: int, scenery: Scenery) -> str:
    outcome = rows.outcome[k]
    if outcome == TIME_UP:
        return "time_up"
    if outcome == CRASH:
        return "crash"
    return "finished" if rows.finished[k] else "quit"


def _spot(rows: _Rows, k: int, scenery: Scenery, chance: _Chance) -> tuple[float, float, float]:
    """How far along the way a try got, and where on the level's map it ended."""
    cause = _draw_cause(scenery.causes[rows.level[k]], chance.cause[k])
    spot = scenery.spots[rows.level[k]].get(cause) if scenery.spots and rows.outcome[k] == DIED else None
    if spot is None:
        return rows.progress[k], 100 * rows.progress[k] + chance.aside[k], chance.height[k]
    x = min(99.0, max(1.0, spot[0] + spot[2] * chance.aside[k] / _ASIDE))
    return x / 100, x, spot[1] + spot[2] * (chance.height[k] - _MIDDLE) / _HEIGHT


def _during(rows: _Rows, k: int, level: str, record: _Recorder, scenery: Scenery, chance: _Chance) -> Iterator[Record]:
    opened, length = rows.opened[k], rows.closed[k] - rows.opened[k]
    settling = min(0.9 * length, chance.settling[k])
    yield record(opened + settling, "first_input", level=level)
    reached = _spot(rows, k, scenery, chance)[0]
    halfway = settling + (length - settling) * 0.5 / max(reached, 0.51)
    if reached > 0.5 and halfway < length:
        yield record(opened + halfway, "checkpoint", level=level, progress=0.5)
    if length > 20 and chance.pauses[k]:
        begin = opened + length * 0.55
        yield record(begin, "pause", level=level)
        yield record(begin + min(0.3 * length, 25.0), "resume", level=level)


def _outcome(rows: _Rows, k: int, level: str, record: _Recorder, scenery: Scenery, chance: _Chance) -> Iterator[Record]:
    outcome, where = rows.outcome[k], rows.level[k]
    reached, x, y = _spot(rows, k, scenery, chance)
    progress = round(reached, 3)
    if outcome == CLEARED:
        available = scenery.pickups[where] if scenery.pickups else 0
        picked = {"collected": chance.picked[k], "available": available} if available else {}
        yield record(rows.closed[k], "complete", level=level, **picked)
    elif outcome == DIED:
        cause = _draw_cause(scenery.causes[where], chance.cause[k])
        yield record(rows.closed[k], "death", level=level, cause=cause, progress=progress, x=round(x, 1), y=round(y, 1))
    elif outcome not in (CRASH, TIME_UP):
        yield record(rows.closed[k], "reset", level=level, progress=progress)


def _draw_cause(causes: list[str], draw: float) -> str:
    """A cause by a number from 0 to 1; each is rarer than the one before it."""
    left = draw * (1 - _RARER ** len(causes)) / (1 - _RARER)
    for number, cause in enumerate(causes):
        left -= _RARER**number
        if left < 0:
            return cause
    return causes[-1]
