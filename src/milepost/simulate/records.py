"""From tries to the records that a game would have logged of them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from milepost.simulate.players import Tries
from milepost.vocabulary import CLEARED, CRASH, DIED, TIME_UP

Record = dict[str, Any]


@dataclass(frozen=True)
class Scenery:
    """What the log says beside the play itself.

    Attributes:
        levels: the level names.
        causes: per level, the causes of death there.
        player: per player, the name.
        tags: per player, fields of the session's start.
        build: per player, the build of each session.
        pickups: per level, how many pick-ups it has.
        pause_share: share of tries with a pause in them.
    """

    levels: list[str]
    causes: list[list[str]]
    player: list[str]
    tags: list[dict[str, Any]]
    build: list[list[str]]
    pickups: list[int] = field(default_factory=list)
    pause_share: float = 0.03


def sessions(tries: Tries, scenery: Scenery, rng: np.random.Generator) -> list[list[Record]]:
    """The records of each session in order, sessions by player."""
    order = np.lexsort((tries.opened, tries.session, tries.player))
    cuts = np.flatnonzero(np.diff(tries.player[order]) | np.diff(tries.session[order])) + 1
    return [list(_session(tries, own, scenery, rng)) for own in np.split(order, cuts)]


def _session(tries: Tries, own: Any, scenery: Scenery, rng: np.random.Generator) -> Iterator[Record]:
    player, number = int(tries.player[own[0]]), int(tries.session[own[0]])
    name = scenery.player[player]
    base = {"session": f"{name.lower().replace(' ', '-')}-{number + 1}"}

    def record(time: float, event: str, **more: Any) -> Record:
        return {**base, "time": round(time, 3), "event": event, **more}

    build = scenery.build[player][number]
    yield record(0.0, "session_start", player=name, build=build, **scenery.tags[player])
    before = -1
    for k in own:
        level = scenery.levels[tries.level[k]]
        again = before >= 0 and tries.next_level[before] < 0
        yield record(tries.opened[k], "retry" if again else "start", level=level)
        yield from _during(tries, k, level, record, scenery, rng)
        yield from _outcome(tries, k, level, record, scenery, rng)
        if tries.next_level[k] >= 0:
            back = tries.next_level[k] < tries.level[k]
            why = {"cause": "swept back"} if back else {}
            yield record(tries.closed[k] + 0.8, "transition", level=level, to=scenery.levels[tries.next_level[k]], **why)
        before = int(k)
    yield record(tries.closed[before] + _lag(tries, before), "session_end", cause=_cause(tries, before, scenery))


def _lag(tries: Tries, k: int) -> float:
    return 0.0 if tries.outcome[k] in (CRASH, TIME_UP) else 4.0


def _cause(tries: Tries, k: int, scenery: Scenery) -> str:
    outcome = tries.outcome[k]
    if outcome == TIME_UP:
        return "time_up"
    if outcome == CRASH:
        return "crash"
    return "finished" if outcome == CLEARED and tries.level[k] == len(scenery.levels) - 1 else "quit"


def _during(tries: Tries, k: int, level: str, record: Any, scenery: Scenery, rng: np.random.Generator) -> Iterator[Record]:
    opened, length = float(tries.opened[k]), float(tries.closed[k] - tries.opened[k])
    settling = min(0.9 * length, float(rng.gamma(2.0, 0.7)))
    yield record(opened + settling, "first_input", level=level)
    reached = float(tries.progress[k])
    halfway = settling + (length - settling) * 0.5 / max(reached, 0.51)
    if reached > 0.5 and halfway < length:
        yield record(opened + halfway, "checkpoint", level=level, progress=0.5)
    if length > 20 and rng.random() < scenery.pause_share:
        begin = opened + length * 0.55
        yield record(begin, "pause", level=level)
        yield record(begin + min(0.3 * length, 25.0), "resume", level=level)


def _outcome(tries: Tries, k: int, level: str, record: Any, scenery: Scenery, rng: np.random.Generator) -> Iterator[Record]:
    outcome, where = int(tries.outcome[k]), int(tries.level[k])
    progress = round(float(tries.progress[k]), 3)
    if outcome == CLEARED:
        available = scenery.pickups[where] if scenery.pickups else 0
        picked = {"collected": int(rng.binomial(available, 0.7)), "available": available} if available else {}
        yield record(tries.closed[k], "complete", level=level, **picked)
    elif outcome == DIED:
        causes = scenery.causes[where]
        weights = 0.6 ** np.arange(len(causes))
        cause = causes[int(rng.choice(len(causes), p=weights / weights.sum()))]
        spot = {"x": round(100 * progress + float(rng.normal(0, 2)), 1), "y": round(float(rng.normal(20, 6)), 1)}
        yield record(tries.closed[k], "death", level=level, cause=cause, progress=progress, **spot)
    elif outcome not in (CRASH, TIME_UP):
        yield record(tries.closed[k], "reset", level=level, progress=progress)
