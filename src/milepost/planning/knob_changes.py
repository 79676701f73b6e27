"""Other values of knobs: what one would do to a level, and which one would bring a chance to clear, by the effects told."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Final, NamedTuple, TypedDict, cast

import numpy as np

from milepost.difficulty.row_types import SpikesRow
from milepost.difficulty.whatif import KNOWN_CHANGE, LevelShift, difficulty_for_chance
from milepost.errors import UsageError
from milepost.level_names import suggest_nearest
from milepost.measures.level import place_of
from milepost.numerics.intervals import Z95
from milepost.planning.knob_effects import KnobEffect, number_or_none
from milepost.playback.play import FullPlay
from milepost.wording import listed

_CHANGE: Final = re.compile(r"\s*(.+)\.\s*([^.=]+?)\s*=\s*([-+]?[0-9.]+)\s*")
UNTOLD: Final = "what a unit does is not told from nothing"
_CLOSE: Final = 0.02  # of a chance, within which a level has it already

KnobReach = TypedDict(
    "KnobReach",
    {
        "level": str,
        "knob": str,
        "by": str,
        "from": float,
        "first_try": float,
        "to": float | None,
        "low": float | None,
        "high": float | None,
        "refused": str | None,
    },
)


class ToldEffect(NamedTuple):
    """What a unit of a knob does, in logits with its interval, and by what it was told."""

    by: str
    per_unit: float
    low: float
    high: float


def is_of_knob(change: str) -> bool:
    """Return whether a change of a what-if speaks of a knob."""
    return KNOWN_CHANGE.fullmatch(change) is None and _CHANGE.fullmatch(change) is not None


def resolve_changes(
    play: FullPlay, changes: Sequence[str], rows: Sequence[Mapping[str, object]], effects: Sequence[KnobEffect]
) -> list[LevelShift]:
    """Return what changes such as ``Low Arch.arch_width=6`` do to the difficulty of their levels.

    Args:
        play: the log.
        changes: all of knobs.
        rows: of the measure of knobs, one a level.
        effects: that it tells.

    Raises:
        UsageError: a level or a knob is not there, or what a unit of it does is not told.
    """
    return [_shift(play, text, rows, effects) for text in changes]


def _shift(play: FullPlay, text: str, rows: Sequence[Mapping[str, object]], effects: Sequence[KnobEffect]) -> LevelShift:
    match = _CHANGE.fullmatch(text)
    assert match is not None
    level, knob, after = place_of(play, match[1].strip()), match[2], float(match[3])
    knobs = cast("dict[str, object]", rows[level]["knobs"])
    before = number_or_none(knobs.get(knob))
    if before is None:
        knobs_text = f" Its knobs: {listed(list(knobs))}." if knobs else " It has none."
        raise UsageError(
            f"--set {text!r}: {rows[level]['level']} has no number {knob!r}.{suggest_nearest(knob, list(knobs)) or knobs_text}"
        )
    effect = pick_effect(knob, effects)
    if effect is None:
        raise UsageError(f"--set {text!r}: {_untold(knob, effects)}")
    return LevelShift(str(rows[level]["level"]), knob, before, after, *effect)


def pick_effect(knob: str, effects: Sequence[KnobEffect]) -> ToldEffect | None:
    """Return what a unit of a knob does: by builds, else by levels; None where neither is told."""
    usable = [
        ToldEffect(effect["by"], effect["per_unit"], effect["low"], effect["high"])
        for effect in effects
        if effect["knob"] == knob and effect["per_unit"] is not None and effect["low"] is not None and effect["high"] is not None
    ]
    return min(usable, key=lambda effect: effect.by != "builds", default=None)


def _untold(knob: str, effects: Sequence[KnobEffect]) -> str:
    """Why nothing can be said of a knob."""
    tied = list(dict.fromkeys(name for effect in effects if effect["knob"] == knob for name in effect["together"]))
    if tied:
        return f"{knob} cannot be told from {listed(tied)}, with which it moves. Change it alone in a build, and test that."
    return f"nothing tells what a unit of {knob} does: it was changed in no build, and too few levels differ in it."


def values_to_reach(
    judged: Sequence[SpikesRow], rows: Sequence[Mapping[str, object]], effects: Sequence[KnobEffect], chance: float
) -> list[KnobReach]:
    """Return per harder level and knob the value that would bring the chance that a middling player's first try clears.

    Args:
        judged: what is judged of each level.
        rows: of the measure of knobs, one a level.
        effects: that it tells.
        chance: to be reached, between 0 and 1.
    """
    knobs = [cast("dict[str, object]", row["knobs"]) for row in rows]
    return [
        reach for row, its_knobs in zip(judged, knobs, strict=True) for reach in _reaches(row, its_knobs, knobs, effects, chance)
    ]


def values_as_surroundings(
    judged: Sequence[SpikesRow], knobs: Sequence[Mapping[str, object]], effects: Sequence[KnobEffect]
) -> list[KnobReach]:
    """Return per level that is harder than its surroundings the values that would make it as these lead one to expect.

    Args:
        judged: what is judged of each level.
        knobs: each level's.
        effects: what units of them do.
    """
    return [
        reach
        for row, its_knobs in zip(judged, knobs, strict=True)
        if is_to_fix(row) and row["expected"] is not None
        for reach in _reaches(row, its_knobs, knobs, effects, _chance(row["expected"]))
        if reach["to"] is not None
    ]


def is_to_fix(row: SpikesRow) -> bool:
    """Return whether a level is harder than its surroundings, on more than weak evidence."""
    return row["kind"] in ("spike", "step") and row["evidence"] != "weak"


def _reaches(
    row: SpikesRow,
    its_knobs: Mapping[str, object],
    knobs: Sequence[Mapping[str, object]],
    effects: Sequence[KnobEffect],
    chance: float,
) -> Iterator[KnobReach]:
    """Yield what each knob of a level would have to be."""
    difficulty, error = row["difficulty"], row["se"]
    if difficulty is None or error is None or _chance(difficulty) > chance - _CLOSE:
        return
    for knob, value in its_knobs.items():
        effect, before = pick_effect(knob, effects), number_or_none(value)
        if effect is not None and before is not None:
            seen = [number for other in knobs if (number := number_or_none(other.get(knob))) is not None]
            to, low, high, refused = _value(effect, before, difficulty_for_chance(chance) - difficulty, error, seen)
            yield {
                "level": row["level"],
                "knob": knob,
                "by": effect.by,
                "from": before,
                "first_try": _chance(difficulty),
                "to": to,
                "low": low,
                "high": high,
                "refused": refused,
            }


def _value(
    effect: ToldEffect, before: float, gap: float, error: float, seen: Sequence[float]
) -> tuple[float | None, float | None, float | None, str | None]:
    """The value that bridges a gap of so many logits, with its interval by the delta method; or why there is none."""
    if effect.low <= 0 <= effect.high:
        return None, None, None, UNTOLD
    wanted = before + gap / effect.per_unit
    if not min(seen) <= wanted <= max(seen):
        return None, None, None, f"outside {min(seen):g} to {max(seen):g}"
    of_effect = gap / effect.per_unit**2 * (effect.high - effect.low) / (2 * Z95)
    half = Z95 * float(np.hypot(of_effect, error / effect.per_unit))
    return wanted, wanted - half, wanted + half, None


def _chance(difficulty: float) -> float:
    """The chance that a middling player's first try clears."""
    return float(1 / (1 + np.exp(difficulty)))
