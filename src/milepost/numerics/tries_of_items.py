"""Tries of subjects at items, as columns: what the model of tries is fitted to."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from milepost.arrays import Bools, Column, Ints
from milepost.numerics.whole_numbers import stable_order


@dataclass(frozen=True)
class TriesOfItems:
    """Tries of subjects at items; all columns of one length.

    Attributes:
        subject: per try, its subject, from 0.
        item: per try, its item, from 0.
        number: per try, its number among the subject's at the item, from 1.
        success: per try, whether it succeeded.
        left: per try, whether the subject dropped out after it; None where dropping out is not modelled.
    """

    subject: Ints
    item: Ints
    number: Ints
    success: Bools
    left: Bools | None = None

    def of_the_first(self, subjects: int) -> TriesOfItems:
        """Those of so many subjects."""
        few = self.subject < subjects
        return self.some(few)

    def of(self, subjects: Ints, count: int) -> TriesOfItems:
        """Those of some of so many subjects, who are numbered anew in rising order."""
        number = np.full(count, -1)
        number[subjects] = np.arange(len(subjects))
        some = self.some(number[self.subject] >= 0)
        return replace(some, subject=number[some.subject])

    def in_blocks(self, size: int) -> Iterator[tuple[int, TriesOfItems]]:
        """Blocks of so many subjects: the number of the first one, and the tries of all in it."""
        rising = bool((np.diff(self.subject) >= 0).all())
        own = self if rising else self.some(stable_order(self.subject))
        firsts = np.arange(0, max(1, int(own.subject.max(initial=0)) + 1), size)
        bounds = [*np.searchsorted(own.subject, firsts).tolist(), len(own.subject)]
        for first, ends in zip(firsts.tolist(), pairwise(bounds), strict=True):
            yield first, own.some(slice(*ends))

    def some(self, rows: Column | slice) -> TriesOfItems:
        """Some of the tries."""
        left = None if self.left is None else self.left[rows]
        return TriesOfItems(self.subject[rows], self.item[rows], self.number[rows], self.success[rows], left)
