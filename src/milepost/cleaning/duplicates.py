"""Records that the log holds more than once."""

from __future__ import annotations

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.cleaning.clock import chosen
from milepost.logs.interface import Records
from milepost.numerics.whole_numbers import distinct, stable_order

_SPREAD = np.uint64(0x9E3779B97F4A7C15)


def duplicates(records: Records, left: Ints, coarse: Bools) -> Ints:
    """The records that repeat an earlier one of their session as logged, or its `id`.

    Where the session's clock is coarse, a record without `id` and `seq` repeats only the one logged right before
    it: two equal records within one second may both be true.

    Args:
        records: the log's records.
        left: the numbers of those to judge, rising.
        coarse: per session, whether its clock counts whole seconds.
    """
    session, likeness = chosen(records.session, left), chosen(records.likeness, left)
    again = _seen_before(session, likeness)
    if coarse.any():
        by_order = coarse[session] & (records.identity[left] == 0) & ~records.has_seq[left]
        again = np.where(by_order, _equals_previous(session, likeness), again)
    with_id = np.flatnonzero(chosen(records.identity, left))
    again[with_id] |= _seen_before(session[with_id], records.identity[left[with_id]])
    return left[again]


def _seen_before(session: Ints, value: Ints) -> Bools:
    """Return whether the same value stands earlier in the same session."""
    mixed = value.view(np.uint64) + session.astype(np.uint64) * _SPREAD  # one number of two that are alike only together
    rising = np.sort(mixed)
    twins = distinct(rising[1:][rising[1:] == rising[:-1]])
    seen = np.zeros(len(session), np.bool_)
    if not len(twins):
        return seen
    rows = np.flatnonzero(twins[np.minimum(np.searchsorted(twins, mixed), len(twins) - 1)] == mixed)
    order = rows[np.lexsort((rows, value[rows], session[rows]))]
    same = (np.diff(session[order]) == 0) & (np.diff(value[order]) == 0)
    seen[order[1:][same]] = True
    return seen


def _equals_previous(session: Ints, value: Ints) -> Bools:
    """Return whether the record before it in its session has the same value."""
    order = stable_order(session)
    same = (np.diff(session[order]) == 0) & (np.diff(value[order]) == 0)
    equal = np.zeros(len(session), np.bool_)
    equal[order[1:][same]] = True
    return equal
