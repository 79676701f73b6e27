"""From a reading of the course to a verdict on each level: kind, evidence, and what would be needed to tell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.difficulty.anomalies import DifficultyReading, false_discovery
from milepost.difficulty.row_types import Evidence, Kind

LEAST_EXCESS = 0.5  # logits; less is not worth a designer's while
FEW_PLAYERS, FEW_TRIES = 8, 8
ALIKE = 0.2  # logits; a level that differs by less from a neighbour that does not stand out does not stand out either
# The probabilities from which a course's likeliest event is named, and from which any further one is. Courses seldom have many,
# so that a further claim has to be surer; a dip costs no player, so that missing one costs less than a false alarm.
LIKELY = {"spike": 0.305, "dip": 0.34, "step": 0.305}
FURTHER = 0.4
STRONG, FAIR = 0.02, 0.15  # expected shares of false ones


@dataclass(frozen=True)
class Verdict:
    """A verdict on one level."""

    kind: Kind
    evidence: Evidence
    q: float | None


def verdicts(reading: DifficultyReading, tries: Ints, players: Ints, least: int = 0) -> list[Verdict]:
    """A verdict for each level; nothing is claimed of levels with too few players or tries."""
    n = len(tries)
    enough = (tries >= FEW_TRIES) & (players >= max(FEW_PLAYERS, least))
    stands_out = np.where(np.abs(reading.excess) >= LEAST_EXCESS, reading.probability, 0.0)
    rises = np.where(reading.height >= LEAST_EXCESS, reading.step, 0.0)
    both = np.concatenate((np.where(enough, stands_out, 0.0), np.where(enough, rises, 0.0)))
    q = false_discovery(both)
    first = int(np.argmax(np.maximum(both[:n], both[n:]))) if n else -1
    found = [
        _verdict(reading, level, both[[level, n + level]], q[[level, n + level]], level == first)
        if enough[level]
        else Verdict("none", "too_few", None)
        for level in range(n)
    ]
    difficulty = reading.expected + reading.excess
    return [
        Verdict("none", "none", own.q) if _like_a_neighbour(found, difficulty, level, reading.places) else own
        for level, own in enumerate(found)
    ]


def _like_a_neighbour(found: list[Verdict], difficulty: Floats, level: int, places: Ints) -> bool:
    """Return whether a level is as hard as a neighbour without a claim, so that it cannot be claimed to stand out."""
    kind = found[level].kind
    if kind == "none":
        return False
    apart = places - places[level]
    near = (apart == -1) if kind == "step" else (np.abs(apart) <= 1) & (np.arange(len(places)) != level)
    beside = [side for side in np.flatnonzero(near).tolist() if found[side].kind == "none"]
    way = -1.0 if kind == "dip" else 1.0
    return any(way * (difficulty[level] - difficulty[side]) < ALIKE for side in beside)


def _verdict(reading: DifficultyReading, level: int, probability: Floats, q: Floats, first: bool) -> Verdict:
    """The likelier of an event of the level's own and a step that begins there."""
    own = probability[0] >= probability[1]
    value = float(q[0] if own else q[1])
    kind: Kind = ("spike" if reading.excess[level] > 0 else "dip") if own else "step"
    if probability.max() < (LIKELY[kind] if first else FURTHER):
        return Verdict("none", "none", value)
    return Verdict(kind, "strong" if value <= STRONG else "fair" if value <= FAIR else "weak", value)
