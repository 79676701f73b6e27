"""From places of records in their sessions to the attempts that they are part of."""

from __future__ import annotations

import numpy as np

from milepost.arrays import Ints
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play
from milepost.vocabulary import RETRY, START


def attempts_at(play: Play, session: Ints, place: Ints) -> Ints:
    """The attempts, each once, that records opened or closed, or else that were open then.

    Args:
        play: a play.
        session: of each record.
        place: its place in the session's order of replay; below 0 where it is not replayed.
    """
    table = play.attempts
    if not len(table):
        return np.zeros(0, np.int64)
    rank = np.empty(len(play.gated.player), np.int64)
    rank[play.gated.sequence] = np.arange(len(play.gated.sequence))
    width = int(play.gated.bounds[-1]) + 1
    session, at = session[place >= 0], (play.gated.bounds[session] + place)[place >= 0]
    begun = rank[table.session] * width + table.opened_at  # rising, as the table is in the order of play
    last = np.searchsorted(begun, rank[session] * width + at, side="right") - 1
    found = last >= 0
    found[found] = (table.session[last] == session)[found] & (table.closed_at[last] >= at)[found]
    implied = found & (table.opened_at[last] == at) & ~np.isin(play.around.begun_as[last], (START, RETRY))
    before = np.maximum(0, last - 1)
    closes = implied & (last > 0) & (table.session[before] == session) & (table.closed_at[before] == at)
    return distinct(np.where(closes, before, last)[found])
