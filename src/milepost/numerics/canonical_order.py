"""Subjects in an order that only what is known of each decides, and that looks like one of chance.

Sums over subjects come out to the last bit alike, whoever counted the subjects, and the first so many of them are a fair sample.
"""

from __future__ import annotations

from typing import Final

import numpy as np

from milepost.arrays import Column, Ints
from milepost.numerics.whole_numbers import stable_order

_STEP: Final = np.uint64(0x9E3779B97F4A7C15)
_MIXING: Final = ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB))  # shifts, and what is multiplied by


def in_own_order(subject: Ints, kind: Column, *columns: Column) -> tuple[Ints, Ints]:
    """The rows in the order of their subjects, those of one subject by kind; and each row's subject, from 0.

    Args:
        subject: per row, its subject, from 0 without gaps.
        kind: a whole number; rows of one subject and kind stay in the order in which they come, which only they may decide.
        columns: what is known besides, whole numbers, truths or numbers; two subjects with the same rows are alike.
    """
    rank = _ranks(subject, (kind, *columns))
    by_kind = stable_order(kind)
    order = by_kind[stable_order(rank[subject[by_kind]])]
    return order, rank[subject[order]]


def apart(parts: list[Column]) -> Ints:
    """Subjects of parts that share none, one after the other, numbered on; each part's are numbered from 0."""
    counts = [int(part.max(initial=-1)) + 1 for part in parts]
    before = np.concatenate(([0], np.cumsum(counts)))[:-1].tolist()
    return np.concatenate([part.astype(np.int64) + shift for part, shift in zip(parts, before, strict=True)])


def _bits(column: Column) -> Ints:
    """Whole numbers that rise as the values do, none of which is below zero where it is no whole number."""
    return column.view(np.int64) if column.dtype.kind == "f" else column.astype(np.int64)


def _ranks(subject: Column, columns: tuple[Column, ...]) -> Ints:
    """Per subject, its place in the order of a number made of its rows, in whatever order these are."""
    marks = np.zeros(len(subject), np.uint64)
    for column in columns:
        marks = _mixed(marks + _bits(column).astype(np.uint64) + _STEP)
    sums = np.zeros(int(subject.max(initial=-1)) + 1, np.uint64)
    np.add.at(sums, subject, marks)
    rank = np.empty(len(sums), np.int64)
    rank[np.argsort(_mixed(sums), kind="stable")] = np.arange(len(sums))
    return rank


def _mixed(values: Column) -> Column:
    """Numbers of 64 bits, each turned into another one that looks like chance.

    Source: G. L. Steele, D. Lea and C. H. Flood, "Fast splittable pseudorandom number generators", OOPSLA (2014).
    """
    for shift, factor in _MIXING:
        values = (values ^ (values >> np.uint64(shift))) * np.uint64(factor)
    mixed: Column = values ^ (values >> np.uint64(31))
    return mixed
