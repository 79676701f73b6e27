"""How far players got."""

from __future__ import annotations

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.playback.play import Play


def furthest_place(play: Play) -> Ints:
    """Per player, the furthest place reached in the order of the player's last build; -1 without any."""
    table, furthest = play.attempts, np.full(len(play.gated.players), -1)
    placed = table.level < play.n_levels
    np.maximum.at(furthest, table.player[placed], play.gated.places(table.player[placed], table.level[placed]))
    return furthest


def furthest_level(play: Play) -> Ints:
    """Per player, the furthest level reached, in the order of the last build where that has one of them; -1 without any."""
    gated, table = play.gated, play.attempts
    place, latest = furthest_place(play), np.full(len(gated.players), -1)
    placed = table.level < play.n_levels
    np.maximum.at(latest, table.player[placed], table.level[placed])
    return np.where(place < 0, latest, gated.orders.level_at(gated.order_of_player, np.maximum(0, place)))


def stopped_at_open(play: Play) -> Bools:
    """Per player, whether the furthest level reached is one that there is no way to clear yet."""
    furthest = furthest_level(play)
    stopped: Bools = (furthest >= 0) & np.append(play.about.open_levels, False)[furthest]
    return stopped
