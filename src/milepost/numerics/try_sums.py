"""The sums over subjects that the model of tries is fitted by: by blocks of subjects, or subject by subject in compiled code.

Most subjects try an item once, twice, and so on until they succeed. So what they tried is kept as differences: of kinds of
one item, only the last one tried counts, and what is known of a kind is summed over those before it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, Final, Protocol, TypeAlias

import numpy as np

from milepost.arrays import Bools, Column, Floats, Ints
from milepost.compiling import Compiled
from milepost.numerics.try_loops import AT_ONCE, HOLD, LEARNING, LOG_SD, OTHERS, PATIENCE, WEAR, Room, Subjects, Tables, Totals
from milepost.numerics.whole_numbers import stable_order

Cells: TypeAlias = Any  # an array, or a sparse table of SciPy's, which has no types
_LOOPS: Final = ("milepost.numerics.try_loops",)
_ADD_SLOPES, _WRITE_ABILITIES = (Compiled(_LOOPS, name, numeric=True) for name in ("add_slopes", "write_abilities"))


@dataclass(frozen=True, eq=False, repr=False)
class At:
    """Values that depend on the parameters alone.

    Attributes:
        values: the parameters that enter linearly.
        ability: by point of integration.
        hold: how much of the ability counts for going on.
        slope: by kind, how much of the ability counts.
        chance, fail: by kind and point, the chance and log(1 - chance).
        counted: the chance, times what learning or wear counts for.
        log_weight: by point.
    """

    values: Floats
    ability: Floats
    hold: float
    slope: Floats
    chance: Floats
    fail: Floats
    counted: Floats
    log_weight: Floats


@dataclass(frozen=True, eq=False, repr=False)
class Counts:
    """Tries of some subjects.

    Attributes:
        cells: how often each tried each kind, less how often the next kind of its item; subjects by kinds, sparse or an array.
        won: the design of what was won, summed, by subject and parameter.
        won_tries: per subject, how many tries succeeded.
        won_going: per subject, how often it went on.
    """

    cells: Cells
    won: Floats
    won_tries: Floats
    won_going: Floats

    def certain(self, at: At) -> Floats:
        """Return, by subject and point, the log likelihood without the terms of failed tries, and the log weight."""
        ability = (self.won_tries + at.hold * self.won_going)[:, None] * at.ability
        logs: Floats = (self.won @ at.values)[:, None] + ability + at.log_weight
        return logs


def counted_cells(subject: Ints, kind: Ints, shape: tuple[int, int]) -> Cells:
    """How often each kind was tried by each subject, as an array."""
    return np.bincount(subject * shape[1] + kind, minlength=shape[0] * shape[1]).reshape(shape).astype(np.float64)


def sparse_cells(subject: Ints, kind: Ints, shape: tuple[int, int]) -> Cells:
    """Return the cells, sparse."""
    from scipy.sparse import csr_matrix

    return csr_matrix((np.ones(len(subject)), (subject, kind)), shape=shape)


class TrySums(Protocol):
    """Sums over subjects."""

    def abilities(self, at: At) -> Floats:
        """Per subject, the posterior mean of the ability."""

    def slopes(self, at: At) -> tuple[float, Floats, Floats, Floats]:
        """The log likelihood, its gradient, the information that is missing, and by kind and point the tries' mass."""


class Kinds:
    """Kinds item by item, and what is summed over those of an item."""

    def __init__(self, item: Ints, n_items: int) -> None:
        bounds = [*np.searchsorted(item, np.arange(n_items + 1)).tolist(), len(item)]
        self.groups = [(n, slice(*ends)) for n, ends in enumerate(pairwise(bounds)) if ends[0] < ends[1]]
        self.item, self.n_items = item, n_items

    def differences(self, tried: Cells) -> Cells:
        """How often each kind was tried, less how often the next of its item was; subjects by kinds, as they come."""
        n = len(self.item)
        later = np.flatnonzero(self.item[1:] == self.item[:-1]) + 1
        if isinstance(tried, np.ndarray):
            cells = tried.copy()
            cells[:, later - 1] -= tried[:, later]
            return cells
        from scipy.sparse import csr_matrix

        ones = np.concatenate((np.ones(n), np.full(len(later), -1.0)))
        step: Cells = csr_matrix(
            (ones, (np.concatenate((np.arange(n), later)), np.concatenate((np.arange(n), later - 1)))), shape=(n, n)
        )
        cells = (tried @ step).tocsr()
        cells.eliminate_zeros()
        cells.sort_indices()
        return cells

    def so_far(self, table: Floats) -> Floats:
        """Return, by kind and point, the sum over the kinds of the same item up to this one."""
        return np.concatenate([np.cumsum(table[rows], axis=0) for _, rows in self.groups])

    def from_here(self, table: Floats) -> Floats:
        """Return, by kind and point, the sum over the kinds of the same item from this one on."""
        return np.concatenate([np.cumsum(table[rows][::-1], axis=0)[::-1] for _, rows in self.groups])


class BlockSums(TrySums):
    """Blocks of subjects as dense arrays, small enough to stay near the processor."""

    def __init__(self, blocks: list[Counts], kinds: Kinds) -> None:
        self.kinds, self.blocks = kinds, blocks
        self.by_kind = [_order_by_row(block.cells.T) for block in blocks]
        by_column = [block.cells if isinstance(block.cells, np.ndarray) else block.cells.tocsc() for block in blocks]
        self.by_group = [[_order_by_row(cells[:, rows]) for _, rows in kinds.groups] for cells in by_column]

    def abilities(self, at: At) -> Floats:
        """See `Sums`."""
        fail = self.kinds.so_far(at.fail)
        weights = (
            _weights(block.certain(at) + cells.T @ fail)[0] for block, cells in zip(self.blocks, self.by_kind, strict=True)
        )
        return np.concatenate([weight @ at.ability for weight in weights])

    def slopes(self, at: At) -> tuple[float, Floats, Floats, Floats]:
        """See `Sums`."""
        size = self.kinds.n_items + OTHERS
        height, gradient, missing, mass = 0.0, np.zeros(size), np.zeros((size, size)), np.zeros(at.chance.shape)
        dense = self.kinds.so_far(np.hstack((at.fail, at.chance, at.counted)))
        for block, groups, by_kind in zip(self.blocks, self.by_group, self.by_kind, strict=True):
            score, failing = self._scores(block, groups, at, dense)
            weight, likelihood = _weights(block.certain(at) + failing)
            height += float(likelihood.sum())
            weighed = score * weight
            mean = weighed.sum(axis=2)
            gradient += mean.sum(axis=1)
            missing += weighed.reshape(size, -1) @ score.reshape(size, -1).T - mean @ mean.T
            mass += by_kind @ weight
            missing[-2:, -1] += weighed[-2:].sum(axis=(1, 2))  # the logarithm of the spread enters through its exponential,
            missing[-1, -2] = missing[-2, -1]  # and is multiplied by what holds the able
        return height, gradient, missing, self.kinds.from_here(mass)

    def _scores(self, block: Counts, groups: list[Cells], at: At, dense: Floats) -> tuple[Floats, Floats]:
        """Return the score by parameter, subject and point; by the last two, the terms that failed tries would add."""
        n = self.kinds.n_items
        score = np.zeros((n + OTHERS, len(block.won), len(at.ability)))
        failing = np.zeros(score.shape[1:])
        for (item, rows), cells in zip(self.kinds.groups, groups, strict=True):
            fail, expected, counted = np.split(cells @ dense[rows], 3, axis=1)
            failing += fail
            if item == n:
                score[n + PATIENCE], score[n + WEAR] = -expected, -counted
            else:
                score[item] = expected
                score[n + LEARNING] -= counted
        score[: n + HOLD] += block.won.T[:, :, None]
        score[n + HOLD] = score[n + PATIENCE] * at.ability
        score[n + LOG_SD] = (at.hold * score[n + PATIENCE] - score[:n].sum(axis=0)) * at.ability
        return score, failing


def _order_by_row(cells: Cells) -> Cells:
    """A table to be multiplied from the left, as that is fast."""
    return np.ascontiguousarray(cells) if isinstance(cells, np.ndarray) else cells.tocsr()


def _weights(logs: Floats) -> tuple[Floats, Floats]:
    """Return the posterior weight by subject and point, and the log likelihood by subject."""
    most = logs.max(axis=1, keepdims=True)
    weight: Floats = np.exp(logs - most)
    total = weight.sum(axis=1, keepdims=True)
    return weight / total, (np.log(total) + most)[:, 0]


class LoopSums(TrySums):
    """Subject by subject in compiled code, at the points where the subject's ability may lie."""

    def __init__(self, blocks: list[Counts], kinds: Kinds) -> None:
        self.kinds, self.blocks = kinds, blocks

    def abilities(self, at: At) -> Floats:
        """See `Sums`."""
        fail = self.kinds.so_far(at.fail)
        means = [np.zeros(len(block.won)) for block in self.blocks]
        for block, mean in zip(self.blocks, means, strict=True):
            _WRITE_ABILITIES(_subjects(block, at), fail, at.ability, np.empty(len(at.ability)), mean)
        return np.concatenate(means)

    def slopes(self, at: At) -> tuple[float, Floats, Floats, Floats]:
        """See `Sums`."""
        size = self.kinds.n_items + OTHERS
        height, gradient, missing, mass = 0.0, np.zeros(size), np.zeros((size, size)), np.zeros(at.chance.shape)
        fail, chance, counted = (self.kinds.so_far(table) for table in (at.fail, at.chance, at.counted))
        tables = Tables(fail, chance, counted, self.kinds.item, at.ability, at.hold)
        totals = Totals(gradient, missing, mass)
        points, wide = len(at.ability), -(-size // AT_ONCE) * AT_ONCE
        score, square = np.empty((points, wide)), np.empty((size, wide))
        room = Room(score, square, np.empty(points), np.empty(size), np.empty(size, np.int64))
        for block in self.blocks:
            height += _ADD_SLOPES(_subjects(block, at), tables, totals, room)
        return height, gradient, missing, self.kinds.from_here(mass)


def _subjects(block: Counts, at: At) -> Subjects:
    """The subjects of a block as the loops take them."""
    cells = block.cells
    return Subjects(cells.indptr.astype(np.int64), cells.indices.astype(np.int64), cells.data, block.certain(at), block.won)


_AT_ONCE: Final = 1 << 20  # tries


@dataclass(frozen=True, eq=False, repr=False)
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
        return self.pick(few)

    def of(self, subjects: Ints, count: int) -> TriesOfItems:
        """Return the tries of items of some of so many subjects, who are numbered anew in rising order."""
        number = np.full(count, -1)
        number[subjects] = np.arange(len(subjects))
        kept = self.pick(number[self.subject] >= 0)
        return replace(kept, subject=number[kept.subject])

    def how_often(self) -> Ints:
        """How often each number was tried at each item; items down, numbers across, from 0."""
        shape = (int(self.item.max(initial=-1)) + 1, int(self.number.max(initial=0)) + 1)
        often = np.zeros(shape[0] * shape[1], np.int64)
        for first in range(0, len(self.item), _AT_ONCE):
            block = slice(first, first + _AT_ONCE)
            often += np.bincount(self.item[block].astype(np.int64) * shape[1] + self.number[block], minlength=len(often))
        return often.reshape(shape)

    def in_blocks(self, size: int) -> Iterator[tuple[int, TriesOfItems]]:
        """Blocks of so many subjects: the number of the first one, and the tries of all in it, with numbers of 64 bits."""
        rising = bool((np.diff(self.subject) >= 0).all())
        in_order = self if rising else self.pick(stable_order(self.subject))
        firsts = np.arange(0, max(1, int(in_order.subject.max(initial=0)) + 1), size)
        bounds = [*np.searchsorted(in_order.subject, firsts).tolist(), len(in_order.subject)]
        for first, ends in zip(firsts.tolist(), pairwise(bounds), strict=True):
            yield first, in_order.pick(slice(*ends))._wide()

    def _wide(self) -> TriesOfItems:
        subject, item, number = (column.astype(np.int64) for column in (self.subject, self.item, self.number))
        return replace(self, subject=subject, item=item, number=number)

    def pick(self, rows: Column | slice) -> TriesOfItems:
        """Some of the tries."""
        left = None if self.left is None else self.left[rows]
        return TriesOfItems(self.subject[rows], self.item[rows], self.number[rows], self.success[rows], left)
