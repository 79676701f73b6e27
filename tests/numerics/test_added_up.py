"""Counts of parts add up field by field, by what each field holds."""

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.numerics.value_counts import AddedUp, Counted


@dataclass(frozen=True)
class Counts(AddedUp):
    """One field of each kind."""

    players: int
    by_level: Ints
    tried: Bools
    told: bool
    by_cause: dict[str, Ints]
    seconds: Counted
    firsts: Counted | None
    names: frozenset[str]


def counts(number, told, firsts):
    return Counts(
        number,
        np.array([number, 0]),
        np.array([number > 1, False]),
        told,
        {"reeds": np.array([number])},
        Counted.of(np.array([number, 5])),
        firsts,
        frozenset({"all", str(number)}),
    )


def test_by_what_fields_hold():
    """Sums, truths, tables by name, counts by value, what was not counted in every part, and names."""
    found = Counts.merged([counts(1, False, None), counts(2, True, Counted.of(np.array([7]))), counts(3, False, None)])
    assert (found.players, found.by_level.tolist(), found.tried.tolist(), found.told) == (6, [6, 0], [True, False], True)
    assert found.by_cause["reeds"].tolist() == [6] and found.names == {"all", "1", "2", "3"}
    assert found.seconds.columns[0].tolist() == [1, 2, 3, 5] and found.seconds.count.tolist() == [1, 1, 1, 3]
    assert found.firsts is not None and found.firsts.total == 1
    assert Counts.merged([counts(1, False, None)]).firsts is None and type(found.players) is int
