"""Differences between tries of a level, by the fields of their starts, and how these go with clearing it."""

from __future__ import annotations

from collections.abc import Iterator
from math import exp, isfinite, log
from typing import Final, TypedDict

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.errors import UsageError
from milepost.measures.cells import first_tries
from milepost.measures.interface import share
from milepost.numerics.intervals import Z95, clustered_share
from milepost.numerics.whole_numbers import distinct, number_values
from milepost.playback.attempt_filters import group_attempts
from milepost.playback.attributes import attribute, attribute_names
from milepost.playback.play import Play
from milepost.vocabulary import CLEARED, N_SETTLED

_MOST_TEXTS: Final = 8  # values of a tag that group tries; more of them tell tries apart
_FEW: Final = 5  # tries with another value, from which it is shown


_UNITY: Final = (1.0, None, None)


class AttributeTries(TypedDict):
    """The tries with one value; ``odds`` are those of clearing, against the commonest value's, whose own are 1."""

    value: str | None
    tries: int
    clears: int
    players: int
    try_clear: float | None
    try_clear_low: float | None
    try_clear_high: float | None
    odds: float | None
    odds_low: float | None
    odds_high: float | None


class AttributeRow(TypedDict):
    """An attribute that differs from try to try at a level; the commonest value first."""

    attribute: str
    values: list[AttributeTries]


def attributes_by_level(play: Play) -> list[list[AttributeRow]]:
    """Per level of the course, the attributes of its starts that differ, with their effect on a settled first-clear try."""
    return play.compute_once(_list_by_level)


def _list_by_level(play: Play) -> list[list[AttributeRow]]:
    table, by_level = play.attempts, [list[AttributeRow]() for _ in range(play.n_levels)]
    tried = first_tries(play) & (table.outcome < N_SETTLED) & (table.level < play.n_levels)
    for name, groups in _grouped(play):
        for level in distinct(table.level[tried]).tolist():
            at_level = tried & (table.level == level)
            parts = [(value, np.flatnonzero(at_level & fits)) for value, fits in groups]
            parts = sorted(((value, rows) for value, rows in parts if len(rows)), key=lambda entry: -len(entry[1]))
            if sum(len(rows) for _, rows in parts[1:]) >= _FEW:
                by_level[level].append(AttributeRow(attribute=name, values=_compared(play, parts)))
    return by_level


def _grouped(play: Play) -> Iterator[tuple[str, list[tuple[str | None, Bools]]]]:
    """The attributes of starts that have few values, with the attempts of each."""
    for name in attribute_names(play.gated.log):
        if not name.startswith("start."):
            continue
        try:
            values = attribute(play, name)
        except UsageError:
            continue
        groups = group_attempts(play, name).groups
        if len(values.texts) > 1 and len(groups) <= _MOST_TEXTS:
            yield name, groups


def _compared(play: Play, groups: list[tuple[str | None, Ints]]) -> list[AttributeTries]:
    """The tries of each group, and their odds against those of the first."""
    cleared, player = play.attempts.ended(CLEARED), play.attempts.player
    usual = groups[0][1]
    rows = []
    for place, (value, members) in enumerate(groups):
        _, cell = number_values(player[members])
        clears, tries = np.bincount(cell, weights=cleared[members]).astype(np.int64), np.bincount(cell)
        low, high = clustered_share(clears, tries)
        both = (player[usual], cleared[usual]), (player[members], cleared[members])
        odds, odds_low, odds_high = odds_ratio(*both) if place else _UNITY
        rows.append(
            AttributeTries(
                value=value,
                tries=len(members),
                clears=int(clears.sum()),
                players=len(tries),
                try_clear=share(int(clears.sum()), len(members)),
                try_clear_low=low,
                try_clear_high=high,
                odds=odds,
                odds_low=odds_low,
                odds_high=odds_high,
            )
        )
    return rows


Clears = tuple[Ints, Bools]  # per try, its player, and whether it cleared


def odds_ratio(before: Clears, after: Clears) -> tuple[float | None, float | None, float | None]:
    """The odds of clearing in the second group over those in the first, with an interval that knows players try often.

    None where one of the groups clears always or never. The interval is that of the log odds, with the variance of the sums of
    each player's residuals, over both groups.

    Source: K.-Y. Liang and S. L. Zeger, "Longitudinal data analysis using generalized linear models", Biometrika 73 (1986).
    """
    players = distinct(np.concatenate((before[0], after[0])))
    influence, value = np.zeros(len(players)), 0.0
    for sign, (player, cleared) in ((-1, before), (1, after)):
        p = float(cleared.mean())
        if not 0 < p < 1:
            return None, None, None
        value += sign * log(p / (1 - p))
        residual = sign * (cleared - p) / (len(cleared) * p * (1 - p))
        np.add.at(influence, np.searchsorted(players, player), residual)
    if len(players) < 2:
        return exp(value), None, None
    half = Z95 * float(np.sqrt((influence**2).sum() * len(players) / (len(players) - 1)))
    bounds = (exp(value - half), exp(value + half)) if isfinite(half) and abs(value) + half < 700 else (None, None)
    return exp(value), *bounds
