"""Tries of subjects at items, as columns: what the model of tries is fitted to."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

import numpy as np

from milepost.arrays import Bools, Column, Ints
from milepost.numerics.whole_numbers import stable_order

_AT_ONCE: Final = 1 << 20  # tries


@dataclass(frozen=True)
class TriesOfItems:
    """Tries of subjects at items; all columns of one length, those of numbers as narrow as whoever made them left them.

    Attributes:
        subject: per try, its subject, from 0.
        item: per try, its item, from 0.
        number: per try, its number among the subject's at the item, from 1.
        success: per try, whether it succeeded.
        left: per try, whether the subject dropped out after it; None where dropping out is not modelled.
    """

    subject: Column
    item: Column
    number: Column
    success: Bools
    left: Bools | None = None

    def of_the_first(self, subjects: int) -> TriesOfItems:
        """Return the tries of items of so many subjects."""
        few = self.subject < subjects
        return self.some(few)

    def of(self, subjects: Ints, count: int) -> TriesOfItems:
        """Return the tries of items of some of so many subjects, who are numbered anew in rising order."""
        number = np.full(count, -1)
        number[subjects] = np.arange(len(subjects))
        some = self.some(number[self.subject] >= 0)
        return replace(some, subject=number[some.subject])

    def how_often(self) -> Ints:
        """How often each number was tried at each item; items down, numbers across, from 0."""
        shape = (int(self.item.max(initial=-1)) + 1, int(self.number.max(initial=0)) + 1)
        often = np.zeros(shape[0] * shape[1], np.int64)
        for first in range(0, len(self.item), _AT_ONCE):
            some = slice(first, first + _AT_ONCE)
            often += np.bincount(self.item[some].astype(np.int64) * shape[1] + self.number[some], minlength=len(often))
        return often.reshape(shape)

    def in_blocks(self, size: int) -> Iterator[tuple[int, TriesOfItems]]:
        """Blocks of so many subjects: the number of the first one, and the tries of all in it, with numbers of 64 bits."""
        rising = bool((np.diff(self.subject) >= 0).all())
        own = self if rising else self.some(stable_order(self.subject))
        firsts = np.arange(0, max(1, int(own.subject.max(initial=0)) + 1), size)
        bounds = [*np.searchsorted(own.subject, firsts).tolist(), len(own.subject)]
        for first, ends in zip(firsts.tolist(), pairwise(bounds), strict=True):
            yield first, own.some(slice(*ends))._wide()

    def _wide(self) -> TriesOfItems:
        subject, item, number = (column.astype(np.int64) for column in (self.subject, self.item, self.number))
        return replace(self, subject=subject, item=item, number=number)

    def some(self, rows: Column | slice) -> TriesOfItems:
        """Some of the tries."""
        left = None if self.left is None else self.left[rows]
        return TriesOfItems(self.subject[rows], self.item[rows], self.number[rows], self.success[rows], left)
