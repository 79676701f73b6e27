"""Changes of a build as a whole: the shift of all levels together, and players kept at the end."""

from __future__ import annotations

from typing import Literal

from milepost.comparison.effects import difference_of_shares
from milepost.comparison.estimates import FEW_SHARED, Estimates
from milepost.comparison.judging import LevelJudge
from milepost.comparison.row_types import KeptAtEnd, KeptChange, Practice, Shift
from milepost.measures.funnel import FunnelRow
from milepost.numerics.intervals import Z95


def shift_of_all(found: Estimates | None, judge: LevelJudge | None, players_both: int, arranged: bool) -> Shift:
    """Return the shift of all levels together, with its 95 % interval; without a size if no level was tried in both builds.

    Args:
        found, judge: the difficulties, and who judges them.
        players_both: how many players played both builds.
        arranged: players did not choose their build, so that it is the game that changed, not who came.
    """
    reading: Literal["game", "game_or_players"] = "game" if arranged else "game_or_players"
    if judge is None or found is None:
        return Shift(size=None, low=None, high=None, reading=reading, players_both=players_both, practice=None)
    size, half = judge.told.shifted.shift, Z95 * judge.told.shifted.shift_se
    practice = None
    if found.practice is not None and players_both >= FEW_SHARED:
        worth, se = found.practice
        practice = Practice(size=worth, low=worth - Z95 * se, high=worth + Z95 * se)
    return Shift(size=size, low=size - half, high=size + half, reading=reading, players_both=players_both, practice=practice)


def kept_at_end(before: list[FunnelRow], after: list[FunnelRow]) -> KeptAtEnd:
    """Return the players kept at the end of each build's course, by its funnel."""
    ends = [
        (rows[-1]["retention"], rows[-1]["retention_low"], rows[-1]["retention_high"]) if rows else (None, None, None)
        for rows in (before, after)
    ]
    size, low, high = difference_of_shares(*ends)
    known = size is not None and low is not None and high is not None
    change = KeptChange(size=size or 0.0, low=low or 0.0, high=high or 0.0) if known else None
    return {"from": ends[0][0], "to": ends[1][0], "change": change}
