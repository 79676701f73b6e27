"""What a naive count of the records would say, to be set beside the cleaned figures."""

from __future__ import annotations

import numpy as np

from milepost.logs.interface import ABSENT, Bools
from milepost.measures.interface import Row
from milepost.playback.play import Play
from milepost.vocabulary import COMPLETE, LEVEL_EVENTS, RETRY, START


def raw_counts(play: Play) -> list[Row]:
    """Per level of the course: players with any level event there, players with a complete, starts and retries.

    Every readable record counts, whatever was found on it.
    """
    gated, n_levels = play.gated, play.n_levels
    event, level = gated.log.records.event, gated.level
    player = gated.player[gated.log.records.session]
    here = (level != ABSENT) & (level < n_levels)

    def players(where: Bools) -> list[int]:
        keys = np.unique(level[where] * max(1, len(gated.players)) + player[where])
        return [int(count) for count in np.bincount(keys // max(1, len(gated.players)), minlength=n_levels)]

    reached = players(here & np.isin(event, LEVEL_EVENTS))
    cleared = players(here & (event == COMPLETE))
    tries = np.bincount(level[here & np.isin(event, (START, RETRY))], minlength=n_levels).tolist()
    return [
        {"raw_reached": reached[number], "raw_cleared": cleared[number], "raw_tries": tries[number]}
        for number in range(n_levels)
    ]
