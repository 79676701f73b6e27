"""From a reading of the course to a verdict on each level: kind, evidence, and what would be needed to tell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.difficulty.events import Reading, false_discovery
from milepost.logs.interface import Floats, Ints

LEAST_EXCESS = 0.5  # logits; less is not worth a designer's while
FEW_PLAYERS, FEW_TRIES = 5, 8
LIKELY = 0.32  # the probability from which an event is named
STRONG, FAIR = 0.02, 0.15  # expected shares of false ones


@dataclass(frozen=True)
class Verdict:
    """What is claimed of one level."""

    kind: str  # spike, dip, step or none
    evidence: str  # strong, fair, weak, none or too_few
    q: float | None


def verdicts(reading: Reading, tries: Ints, players: Ints, least: int = FEW_PLAYERS) -> list[Verdict]:
    """A verdict for each level; nothing is claimed of levels with too few players or tries."""
    n = len(tries)
    enough = (tries >= FEW_TRIES) & (players >= least)
    stands_out = np.where(np.abs(reading.excess) >= LEAST_EXCESS, reading.probability, 0.0)
    rises = np.where(reading.height >= LEAST_EXCESS, reading.step, 0.0)
    both = np.concatenate((np.where(enough, stands_out, 0.0), np.where(enough, rises, 0.0)))
    q = false_discovery(both)
    return [_verdict(reading, level, bool(enough[level]), both[[level, n + level]], q[[level, n + level]]) for level in range(n)]


def _verdict(reading: Reading, level: int, enough: bool, probability: Floats, q: Floats) -> Verdict:
    """The likelier of an event of the level's own and a step that begins there."""
    if not enough:
        return Verdict("none", "too_few", None)
    own = probability[0] >= probability[1]
    value = float(q[0] if own else q[1])
    if probability.max() < LIKELY:
        return Verdict("none", "none", value)
    kind = ("spike" if reading.excess[level] > 0 else "dip") if own else "step"
    return Verdict(kind, "strong" if value <= STRONG else "fair" if value <= FAIR else "weak", value)
