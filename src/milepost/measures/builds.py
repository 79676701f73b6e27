"""Tries by level and build, so that builds can be set side by side."""

from __future__ import annotations

from typing import TypedDict

import numpy as np

from milepost.measures.cells import first_tries
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, N_SETTLED


class BuildTries(TypedDict):
    """Settled first-clear tries of a build at a level, and how many cleared."""

    settled: int
    clears: int
    try_clear: float


def build_names(play: Play) -> list[str]:
    """The builds of the log, by first appearance."""
    return list(dict.fromkeys(build for build in play.gated.log.sessions.build if build is not None))


def tries_by_build(play: Play) -> list[dict[str, BuildTries]]:
    """Per level of the course, for each build with tries there: settled first-clear tries and how many cleared."""
    names = build_names(play)
    if not names:
        return [{} for _ in range(play.n_levels)]
    number = {name: place for place, name in enumerate(names)}
    build = np.array([-1 if name is None else number[name] for name in play.gated.log.sessions.build], dtype=np.int64)
    table = play.attempts
    rows = first_tries(play) & (table.outcome < N_SETTLED) & (table.level < play.n_levels)
    rows[rows] = build[table.session[rows]] >= 0
    cell = table.level[rows] * len(names) + build[table.session[rows]]
    size = play.n_levels * len(names)
    settled = np.bincount(cell, minlength=size).reshape(play.n_levels, -1)
    clears = np.bincount(cell[table.ended(CLEARED)[rows]], minlength=size).reshape(play.n_levels, -1)
    return [
        {
            name: {"settled": int(tried), "clears": int(done), "try_clear": float(done / tried)}
            for name, tried, done in zip(names, settled[level], clears[level], strict=True)
            if tried
        }
        for level in range(play.n_levels)
    ]
