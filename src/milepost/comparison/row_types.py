"""Types of a comparison's rows: a level in two builds, and the two builds as wholes."""

from __future__ import annotations

from typing import Literal, TypedDict

from milepost.measures.interface import LevelRow

ChangeVerdict = Literal["harder", "easier", "same", "no_telling"]
TimeVerdict = Literal["longer", "shorter", "same", "no_telling"]
QuitVerdict = Literal["more", "fewer", "same", "no_telling"]
Cause = Literal["likely", "candidates", "none_known"]


class Side(TypedDict):
    """A level in one build; difficulty is in logits against that build's players."""

    level: str
    players: int
    tries: int
    try_clear: float | None
    difficulty: float | None
    se: float | None


KnobChange = TypedDict("KnobChange", {"knob": str, "from": object, "to": object, "harder": bool | None})
# A cause of death that came, went or shifted: the players who died of it, of those who failed there, in each build.
CauseChange = TypedDict(
    "CauseChange",
    {
        "cause": str,
        "change": Literal["came", "went", "shifted"],
        "from": int,
        "from_of": int,
        "to": int,
        "to_of": int,
        "q_value": float,
    },
)


class WordChange(TypedDict):
    """A kind of event that a build never logs at a level, with how many one would expect."""

    event: str
    never_in: str
    expected: float


class Difficulty(TypedDict):
    """A level's change of difficulty beyond the shift of all (delta) and in all (change); logits."""

    delta: float | None
    delta_low: float | None
    delta_high: float | None
    p_value: float | None
    q_value: float | None
    verdict: ChangeVerdict | None
    change: float | None
    change_low: float | None
    change_high: float | None
    change_verdict: ChangeVerdict | None
    players_needed: int | None


class Effects(TypedDict):
    """A level's other changes beyond the shift of all: time of the clearing try and quitting; and plain figures."""

    time_ratio: float | None
    time_ratio_low: float | None
    time_ratio_high: float | None
    time_verdict: TimeVerdict | None
    quit_ratio: float | None
    quit_ratio_low: float | None
    quit_ratio_high: float | None
    quit_verdict: QuitVerdict | None
    attempts_ratio: float | None
    attempts_ratio_low: float | None
    attempts_ratio_high: float | None
    drop_off_change: float | None
    drop_off_change_low: float | None
    drop_off_change_high: float | None


class Changed(TypedDict):
    """Changes in the design and in the log's fields."""

    knobs: list[KnobChange]
    causes: list[CauseChange]
    words: list[WordChange]
    cause: Cause | None


_Sides = TypedDict("_Sides", {"from": Side | None, "to": Side | None})


class CompareRow(LevelRow, _Sides, Difficulty, Effects, Changed):
    """A level in two builds."""

    status: Literal["both", "added", "removed"]
    renamed: bool
    moved: bool
    sentence: str | None


class Practice(TypedDict):
    """The effect of having seen a level on players who come back, in logits."""

    size: float
    low: float
    high: float


class Shift(TypedDict):
    """The shift of all levels together, in logits."""

    size: float | None
    low: float | None
    high: float | None
    reading: Literal["game", "game_or_players"]
    players_both: int
    practice: Practice | None


class Ratio(TypedDict):
    """A ratio of the whole, with its interval."""

    ratio: float | None
    low: float | None
    high: float | None


class KeptChange(TypedDict):
    """The difference of the shares kept at the end."""

    size: float
    low: float
    high: float


KeptAtEnd = TypedDict("KeptAtEnd", {"from": float | None, "to": float | None, "change": KeptChange | None})


# Of two sides said to be dealt by lot, how many there are of each, and whether a lot gives such shares.
Dealt = TypedDict("Dealt", {"from": int, "to": int, "p_value": float, "believed": bool})


class ComparedWith(TypedDict):
    """The two sides; ``chosen`` is true if nobody named the values, ``unit`` is what has one of them."""

    key: str
    before: str
    after: str
    chosen: bool
    assigned: str | None
    unit: Literal["session", "try"]
    dealt: Dealt | None
    looks: int
    untouched: list[str]


class OwnShift(TypedDict):
    """By how many logits the later side is harder, on some of the tries: their number, and an interval."""

    tries: int
    size: float | None
    low: float | None
    high: float | None


Change = TypedDict("Change", {"from": str, "to": str, "players": int, "changes": int, "after_failure": int, "level": str | None})


class OwnChoice(TypedDict):
    """Players who tried both sides of their own choice: how they changed, and how the two differ within these players.

    ``level`` of a change is where it came most often; ``within`` is null where too few tried both.
    """

    players: int
    changes: list[Change]
    within: OwnShift | None


class Arms(TypedDict):
    """Tries until a player saw a second arm, and those from then on, apart."""

    first: OwnShift
    later: OwnShift


class CompareTotals(TypedDict):
    """Figures of the two builds as wholes; ``own_choice`` and ``arms`` are of tries, and null for sessions."""

    compared: ComparedWith
    players_from: int
    players_to: int
    shift: Shift
    time_shift: Ratio
    quit_shift: Ratio
    kept_at_end: KeptAtEnd
    own_choice: OwnChoice | None
    arms: Arms | None
    sentences: list[str]


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
