"""Types of difficulty rows: a level's, and the course's."""

from __future__ import annotations

from typing import Literal, TypedDict

from milepost.measures.interface import LevelRow
from milepost.measures.sessions_to_watch import Watched

Kind = Literal["none", "spike", "dip", "step"]
Evidence = Literal["none", "weak", "fair", "strong", "too_few"]
# A knob that jumps at a level, by how often its usual step; null where it is new there.
Change = TypedDict("Change", {"knob": str, "from": object, "to": object, "times_usual": float | None})


class Cost(TypedDict):
    """Players who would still be playing at the end, had the level been as its surroundings lead one to expect."""

    cost: float | None
    cost_low: float | None
    cost_high: float | None


class Judged(TypedDict):
    """A level's place in logits (or log seconds) beside the expectation from its surroundings; null without a try."""

    difficulty: float | None
    se: float | None
    expected: float | None
    excess: float | None
    excess_se: float | None
    odds_ratio: float | None


class JudgedRow(LevelRow, Judged, Cost):
    """A level, judged by its tries."""

    kind: Kind
    evidence: Evidence
    q_value: float | None
    tries: int
    players: int
    first_try: float | None
    chance: float | None
    expected_chance: float | None
    try_clear: float | None
    try_clear_low: float | None
    try_clear_high: float | None
    reached: int
    lost: int
    players_needed: int | None
    plan: str | None
    changes: list[Change]
    watch: list[Watched]
    quitting: Kind
    time: Kind


class SpikesRow(JudgedRow):
    """A level, with what is said of it."""

    sentence: str | None
    void: int


class Inversion(LevelRow):
    """A level that is easier than the one before it."""

    easier_than: str
    by: float
    se: float
    low: float
    high: float


class Cap(LevelRow):
    """The level from which a knob stays as it is, with the slope of difficulty before and after, in logits a level."""

    knob: str
    value: object
    slope_before: float
    slope_before_low: float
    slope_before_high: float
    slope_after: float
    slope_after_low: float
    slope_after_high: float


class EqualLevels(TypedDict):
    """Two levels with the same knobs, and how far they differ."""

    levels: list[str]
    difference: float
    se: float
    low: float
    high: float


class KnobNotes(TypedDict, total=False):
    """Notes on the knobs, if there is a course."""

    caps: list[Cap]
    equal_levels: list[EqualLevels]


class Model(TypedDict):
    """The fitted values."""

    skill_sd: float
    learning: float
    learning_se: float
    roughness: float
    quit_per_failure: float
    quit_per_failure_low: float
    quit_per_failure_high: float
    quit_skill: float | None
    lost: int
    failures: int
    arrived: bool


class SpikesTotals(KnobNotes):
    """Figures on the whole course."""

    basis: Literal["tries", "time"]
    model: Model | None
    sentences: list[str]
    unsaid: list[str]
    inversions: list[Inversion]


class WhatIfRow(LevelRow):
    """A level of the funnel, measured and projected."""

    reached: int
    retention: float
    retention_low: float | None
    retention_high: float | None
    difficulty: float
    changed: float
    projected: float
    projected_changed: float
    players: int


KnobShift = TypedDict(
    "KnobShift",
    {"level": str, "knob": str, "from": float, "to": float, "by": str, "per_unit": float, "low": float, "high": float},
)


class WhatIfTotals(TypedDict):
    """The effect of the change in players, and its assumptions."""

    gained: float
    gained_low: float | None
    gained_high: float | None
    knobs: list[KnobShift]
    quit_per_failure: float
    lost: int
    failures: int
