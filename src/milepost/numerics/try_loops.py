"""The sums over subjects of the model of tries, one subject after the other: plain loops, made to be compiled.

The points of integration are a multiple of ``AT_ONCE``.
"""

from __future__ import annotations

from math import exp, log
from typing import NamedTuple

from milepost.arrays import Floats, Ints

LEARNING, PATIENCE, WEAR, HOLD, LOG_SD = range(5)  # the parameters after the difficulties
OTHERS = 5  # how many these are
AT_ONCE = 4  # points
_NOTHING = 1e-14  # a weight that adds nothing to any sum


class Subjects(NamedTuple):
    """Tries of the subjects: where the cells of each begin (one more than subjects), and the cells' kinds and counts.

    ``certain`` is by subject and point the log likelihood without them, ``won`` by subject and parameter what was won.
    """

    starts: Ints
    kinds: Ints
    counts: Floats
    certain: Floats
    won: Floats


class Tables(NamedTuple):
    """Tables at some parameters: by kind and point, the kinds' items, the points' abilities, and constants."""

    fail: Floats
    chance: Floats
    counted: Floats
    item: Ints
    ability: Floats
    hold: float


class Totals(NamedTuple):
    """The sums over subjects: gradient, missing information, and the tries' mass by kind and point."""

    gradient: Floats
    missing: Floats
    mass: Floats


class Room(NamedTuple):
    """Workspace for one subject's sums; the columns of ``score`` (by point) and ``square`` are such a multiple, too."""

    score: Floats
    square: Floats
    weight: Floats
    mean: Floats
    touched: Ints


def write_abilities(subjects: Subjects, fail: Floats, ability: Floats, weight: Floats, means: Floats) -> None:
    """Per subject, the posterior mean of the ability."""
    for subject in range(len(means)):
        weigh(subjects, fail, subject, weight)
        for point in range(len(ability)):
            means[subject] += weight[point] * ability[point]


def add_slopes(subjects: Subjects, tables: Tables, totals: Totals, room: Room) -> float:
    """Add what the subjects give to the totals; their log likelihood."""
    kinds, counts, item = subjects.kinds, subjects.counts, tables.item
    n_items, height = len(totals.gradient) - OTHERS, 0.0
    for subject in range(len(subjects.starts) - 1):
        first, last = subjects.starts[subject], subjects.starts[subject + 1]
        height += weigh(subjects, tables.fail, subject, room.weight)
        low, high = reach(room.weight)
        weight, score = room.weight[low:high], room.score[low:high]
        count = touch(kinds, item, first, last, n_items, room.touched)
        begin(score, subjects.won[subject], room.touched, count, n_items)
        a, others = -1, count - OTHERS
        for cell in range(first, last):
            kind, times = kinds[cell], counts[cell]
            if item[kind] == n_items:
                take(score[:, others + PATIENCE], -times, tables.chance[kind, low:high])
                take(score[:, others + WEAR], -times, tables.counted[kind, low:high])
            else:
                a += a < 0 or room.touched[a] != item[kind]
                take(score[:, a], times, tables.chance[kind, low:high])
                take(score[:, others + LEARNING], -times, tables.counted[kind, low:high])
            take(totals.mass[kind, low:high], times, weight)
        by_ability(score, others, tables.ability[low:high], tables.hold)
        squares(score, weight, count, room.square)
        add_subject(score, weight, count, room, totals)
    return height


def reach(weight: Floats) -> tuple[int, int]:
    """From which point to which the weights are more than nothing, made wider so that their number is a multiple."""
    low, high = 0, len(weight)
    while weight[low] < _NOTHING:
        low += 1
    while weight[high - 1] < _NOTHING:
        high -= 1
    length = (high - low + AT_ONCE - 1) // AT_ONCE * AT_ONCE
    low = min(low, len(weight) - length)
    return low, low + length


def touch(kinds: Ints, item: Ints, first: int, last: int, n_items: int, touched: Ints) -> int:
    """Note the parameters that a subject's cells depend on, in rising order; how many they are."""
    count, before = 0, -1
    for cell in range(first, last):
        current = item[kinds[cell]]
        if current != before and current < n_items:
            touched[count] = before = current
            count += 1
    for other in range(OTHERS):
        touched[count + other] = n_items + other
    return count + OTHERS


def begin(score: Floats, won: Floats, touched: Ints, count: int, n_items: int) -> None:
    """Begin the scores with what was won, and with nothing beside them."""
    for point in range(len(score)):
        row = score[point]
        for a in range(len(row)):
            row[a] = 0.0
        for a in range(count):
            if touched[a] < n_items + HOLD:
                row[a] = won[touched[a]]


def by_ability(score: Floats, others: int, ability: Floats, hold: float) -> None:
    """The scores of what multiplies the ability, from those of what adds to it; those of difficulties have the other sign."""
    for point in range(len(ability)):
        row = score[point]
        added = hold * row[others + PATIENCE]
        for a in range(others):
            added -= row[a]
        row[others + HOLD] = row[others + PATIENCE] * ability[point]
        row[others + LOG_SD] = added * ability[point]


def squares(score: Floats, weight: Floats, count: int, square: Floats) -> None:
    """Fill in the weighed sums of products of scores over the points, by two parameters up to the second of them."""
    for a in range(count):
        row = square[a, : (a + AT_ONCE) // AT_ONCE * AT_ONCE]
        for b in range(len(row)):
            row[b] = 0.0
    for point in range(0, len(weight), AT_ONCE):  # four points at once, which halves the time
        first, second, third, fourth = score[point], score[point + 1], score[point + 2], score[point + 3]
        for a in range(count):
            by_one, by_two = weight[point] * first[a], weight[point + 1] * second[a]
            by_three, by_four = weight[point + 2] * third[a], weight[point + 3] * fourth[a]
            row = square[a, : (a + AT_ONCE) // AT_ONCE * AT_ONCE]
            for b in range(len(row)):
                row[b] += by_one * first[b] + by_two * second[b] + by_three * third[b] + by_four * fourth[b]


def add_subject(score: Floats, weight: Floats, count: int, room: Room, totals: Totals) -> None:
    """Add one subject's sums over the points; the scores' spread around their means is the information that is missing."""
    touched, mean, square, gradient, missing = room.touched, room.mean, room.square, totals.gradient, totals.missing
    for a in range(count):
        mean[a] = 0.0
        for point in range(len(weight)):
            mean[a] += weight[point] * score[point, a]
        gradient[touched[a]] += mean[a]
    log_sd = touched[count - 1]  # its logarithm enters through its exponential, and multiplies what holds the able
    missing[log_sd, log_sd] += mean[count - 1]
    missing[log_sd - 1, log_sd] += mean[count - 2]
    missing[log_sd, log_sd - 1] += mean[count - 2]
    for a in range(count):
        for b in range(a + 1):
            spread = square[a, b] - mean[a] * mean[b]
            missing[touched[a], touched[b]] += spread
            if a != b:
                missing[touched[b], touched[a]] += spread


def take(row: Floats, times: float, other: Floats) -> None:
    """Add so many times another row."""
    for point in range(len(row)):
        row[point] += times * other[point]


def weigh(subjects: Subjects, fail: Floats, subject: int, weight: Floats) -> float:
    """Write the subject's posterior weights by point; its log likelihood."""
    for point in range(len(weight)):
        weight[point] = subjects.certain[subject, point]
    for cell in range(subjects.starts[subject], subjects.starts[subject + 1]):
        take(weight, subjects.counts[cell], fail[subjects.kinds[cell]])
    most = weight[0]
    for point in range(len(weight)):
        most = max(most, weight[point])
    total = 0.0
    for point in range(len(weight)):
        weight[point] = exp(weight[point] - most)
        total += weight[point]
    for point in range(len(weight)):
        weight[point] /= total
    return float(log(total) + most)
