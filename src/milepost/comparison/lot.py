"""A check that two sides said to be drawn by lot have the shares that a lot gives."""

from __future__ import annotations

from typing import Final

from milepost.comparison.row_types import Dealt
from milepost.playback.play import Play

_BELIEVED: Final = 0.001  # a lot whose shares are less likely than this was none


def dealt_by_lot(before: Play, after: Play, by_try: bool, shares: tuple[float, float]) -> Dealt:
    """How many were dealt to each side, players or tries, and how likely a lot is to part them as far, by the exact test.

    Args:
        before, after: the two sides.
        by_try: whether each try was dealt by itself.
        shares: what the lot deals out, the one side to the other.
    """
    from scipy.stats import binomtest

    first, second = (_tries(play) if by_try else int(play.counts.sum()) for play in (before, after))
    total = first + second
    p = float(binomtest(first, total, shares[0] / sum(shares)).pvalue) if total else 1.0
    return {"from": first, "to": second, "p_value": p, "believed": p >= _BELIEVED}


def _tries(play: Play) -> int:
    table = play.attempts
    return int((play.counts[table.player] & table.taken & (table.level < play.n_levels)).sum())
