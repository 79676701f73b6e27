"""Legs and optional levels, drafted from who attempted what before what."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from milepost.arrays import Ints
from milepost.playback.infer import precedence
from milepost.playback.play import Play
from milepost.wording import percent, plural

_SHARE: Final = 0.2  # of the players who show it, from which two levels have no order, or one is off the way
_FEWEST: Final = 5  # players who have to show it


@dataclass(frozen=True)
class LegEvidence:
    """What a level may be in a course that is no line.

    Attributes:
        leg: the number of the leg that it shares with others; None where it stands alone.
        optional: whether it seems to be off the way.
        why: what speaks for it, a sentence each.
    """

    leg: int | None
    optional: bool
    why: tuple[str, ...]


def leg_evidence(play: Play, levels: list[int]) -> dict[int, LegEvidence]:
    """Return what levels may be of which the log says that they are no plain steps of a line.

    Neighbours that a fifth of those who attempted both attempted the other way round share a leg; a level that a fifth of those
    who got further never attempted is off the way.

    Args:
        play: the log, replayed.
        levels: the levels in their order.
    """
    own = play.counts[play.attempts.player]
    seen = precedence(play.attempts.player[own], play.attempts.level[own])
    place = {int(level): number for number, level in enumerate(seen.levels)}
    known = [level for level in levels if level in place]
    legs, reasons = _legs(known, seen.before, place, play.stops)
    skipped = _skipped(play, known)
    found = {}
    for level in known:
        missed, further = skipped[level]
        optional = further >= _FEWEST and missed >= _SHARE * further
        why = list(reasons.get(level, ()))
        if optional:
            why.append(f"{missed:,} of {plural(further, 'player')} who got further never tried it ({percent(missed / further)})")
        if level in legs or optional:
            found[level] = LegEvidence(legs.get(level), optional, tuple(why))
    return found


def _legs(
    levels: list[int], before: Ints, place: dict[int, int], names: list[str]
) -> tuple[dict[int, int], dict[int, list[str]]]:
    """The legs of levels that have no order among themselves, and why."""
    legs: dict[int, int] = {}
    reasons: dict[int, list[str]] = {}
    for level, following in zip(levels, levels[1:], strict=False):
        forth, back = int(before[place[level], place[following]]), int(before[place[following], place[level]])
        both = forth + back
        if both >= _FEWEST and min(forth, back) >= _SHARE * both:
            legs[following] = legs.setdefault(level, len(legs))
            other = (
                f"{min(forth, back):,} of {plural(both, 'player')} who tried both tried {names[following]} before {names[level]}"
            )
            reasons.setdefault(level, []).append(other)
    return legs, reasons


def _skipped(play: Play, levels: list[int]) -> dict[int, tuple[int, int]]:
    """Per level, how many players who got further never attempted it, and how many got further."""
    table, n_players = play.attempts, len(play.gated.players)
    order = {level: number for number, level in enumerate(levels)}
    tried = np.zeros((len(levels), n_players), np.bool_)
    for level, number in order.items():
        tried[number, table.player[table.level == level]] = True
    tried[:, ~play.counts] = False
    later = np.zeros(n_players, np.bool_)
    found = {}
    for number in range(len(levels) - 1, -1, -1):
        found[levels[number]] = (int((later & ~tried[number]).sum()), int(later.sum()))
        later |= tried[number]
    return found
