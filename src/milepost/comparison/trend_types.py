"""Types of a trend's rows: steps, levels over them, and the shifts between them."""

from __future__ import annotations

from typing import Literal, TypedDict

from milepost.comparison.row_types import ChangeVerdict
from milepost.measures.interface import LevelRow

Reading = Literal["game", "game_or_players", "game_or_practice", "game_or_players_or_practice"]


class TrendStep(TypedDict):
    """A build, a day, a week, a month, or a value of another key."""

    step: str
    players: int
    sessions: int
    new_players: int
    kept_at_end: float | None
    kept_at_end_low: float | None
    kept_at_end_high: float | None
    stand_out: list[str]


class TrendPoint(TypedDict):
    """A level in one step."""

    step: str
    players: int
    tries: int
    try_clear: float | None
    difficulty: float | None
    se: float | None


_FromTo = TypedDict("_FromTo", {"from": str, "to": str})


class TrendWhole(_FromTo):
    """What changed at a level from one step to another."""

    delta: float | None
    delta_low: float | None
    delta_high: float | None
    p_value: float | None
    q_value: float | None
    verdict: ChangeVerdict | None


class TrendChange(TrendWhole):
    """What changed at a level from the step before in which it was played; whether two such verdicts may be one odd step."""

    one_step: bool


class TrendRow(LevelRow):
    """A level over all steps."""

    points: list[TrendPoint]
    changes: list[TrendChange]
    whole: TrendWhole | None
    since: str | None


class TrendShift(_FromTo):
    """The shift of all levels between two steps."""

    size: float | None
    low: float | None
    high: float | None
    reading: Reading
    players_back: int


class DatesLeftOut(TypedDict):
    """Sessions without a date, beside what every document leaves out."""

    debug_sessions: int
    players_without_attempt: int
    no_date: int


class TrendTotals(TypedDict):
    """The steps, and the shifts between them."""

    over: str
    steps: list[TrendStep]
    shifts: list[TrendShift]
