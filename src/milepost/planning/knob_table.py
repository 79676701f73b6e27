"""Knobs in a table: what each level has, what changed from the level before, and what rules of the course would have."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal, TypedDict

import numpy as np

from milepost.cleaning.field_values import Values
from milepost.difficulty.spikes import Spikes, places_of_legs
from milepost.difficulty.whatif import WhatIf
from milepost.errors import UsageError
from milepost.measures.deaths import Deaths
from milepost.measures.interface import LevelRow, Table
from milepost.planning.knob_changes import KnobReach, is_of_knob, resolve_changes, values_to_reach
from milepost.planning.knob_effects import KnobEffect, effects_by_builds, effects_by_levels, number_or_none
from milepost.playback.attributes import attribute
from milepost.playback.logged_knobs import logged_knobs, typed_value
from milepost.playback.play import FullPlay, Play, with_records

KnobKind = Literal["numbers", "content", "both", "none"]
_TWO: Final = 2  # players who died of a cause that is new there
_DIFFERS: Final = 1e-6

KnobStep = TypedDict("KnobStep", {"knob": str, "from": object, "to": object})


class KnobsRow(LevelRow):
    """A level with its knobs."""

    knobs: dict[str, object]
    logged: bool
    changed: list[KnobStep]
    kind: KnobKind
    try_clear: float | None
    difficulty: float | None


class KnobRuleRow(TypedDict):
    """A level whose knob is not what its rule says."""

    knob: str
    level: str
    by_rule: float
    declared: float | None
    logged: float | None


class Lever(TypedDict):
    """A stretch of levels each of which changes one knob alone."""

    knob: str
    from_level: str
    to_level: str


class KnobsTotals(TypedDict):
    """Rules, levers and effects, and what values would bring a chance to clear, where one was asked for."""

    rules: list[KnobRuleRow]
    levers: list[Lever]
    effects: list[KnobEffect]
    reach: list[KnobReach]


@dataclass(frozen=True)
class Knobs:
    """The knobs of a course, and what they do.

    Attributes:
        min_players: of fewer players, nothing is claimed of a level.
        reach: the chance that a middling player's first try clears, for which values are sought; None where none is.
    """

    min_players: int = 5
    reach: float | None = None

    def __call__(self, play: Play) -> Table[KnobsRow, KnobsTotals]:
        """One row a level; the totals hold rules, levers and effects."""
        full = with_records(play)
        declared = [dict(level.knobs) for level in full.course.levels] if full.course is not None else [{}] * full.n_levels
        declared = declared if len(declared) == full.n_levels else [{}] * full.n_levels
        logged = _logged(full, declared)
        knobs = [{**from_log, **from_course} for from_log, from_course in zip(logged, declared, strict=True)]
        judged = full.compute_once(Spikes(self.min_players)).rows
        steps = [_steps(before, after) for before, after in zip([{}, *knobs], knobs, strict=False)]
        kinds = _kinds(full, knobs, steps)
        rows = [
            KnobsRow(
                level=full.stops[level],
                knobs=knobs[level],
                logged=any(name not in declared[level] for name in knobs[level]),
                changed=steps[level] if level else [],
                kind=kinds[level],
                try_clear=judged[level]["try_clear"],
                difficulty=judged[level]["difficulty"],
            )
            for level in range(full.n_levels)
        ]
        difficulty = np.array([np.nan if row["difficulty"] is None else row["difficulty"] for row in rows])
        effects = [
            *effects_by_builds(full, lambda build_play: _values_in(build_play, knobs), self.min_players),
            *effects_by_levels(knobs, difficulty, places_of_legs(full)),
        ]
        reach = [] if self.reach is None else values_to_reach(judged, rows, effects, self.reach)
        totals = KnobsTotals(rules=_against_rules(full, declared), levers=_levers(rows), effects=effects, reach=reach)
        return Table(rows, totals)


def add_knob_changes(play: FullPlay, changes: Sequence[str], least: int) -> WhatIf:
    """Return the what-if of some changes, of which those of knobs do what the log tells of them.

    Args:
        play: the log.
        changes: as `whatif` takes them.
        least: of fewer players, nothing is claimed of a level.

    Raises:
        UsageError: as `resolve_changes` does.
    """
    table = Knobs(least)(play)
    shifts = resolve_changes(play, [change for change in changes if is_of_knob(change)], table.rows, table.totals["effects"])
    return WhatIf(tuple(change for change in changes if not is_of_knob(change)), tuple(shifts))


def _logged(play: FullPlay, declared: Sequence[Mapping[str, object]]) -> list[dict[str, object]]:
    """Per level, what its openings say most often, of the knobs that some level declares; else of what the log tells."""
    names = list(dict.fromkeys(name for of_level in declared for name in of_level))
    if not names:
        return [dict(of_level) for of_level in logged_knobs(play)]
    by_level: list[dict[str, object]] = [{} for _ in range(play.n_levels)]
    for name in names:
        for level, value in commonest_at_openings(play, name).items():
            if name not in declared[level]:
                by_level[level][name] = value
    return by_level


def commonest_at_openings(play: Play, name: str) -> dict[int, object]:
    """Return per level what its openings say most often of a field; of values as common, the one said first."""
    try:
        values: Values = attribute(play, f"start.{name}")
    except UsageError:
        return {}
    by_level = {}
    for level in range(play.n_levels):
        codes = values.codes[(play.attempts.level == level) & (values.codes >= 0)]
        if len(codes):
            counts = np.bincount(codes)
            best = next(code for code in dict.fromkeys(codes.tolist()) if counts[code] == counts.max())
            by_level[level] = typed_value(values.texts[best])
    return by_level


def _values_in(play: Play, knobs: Sequence[Mapping[str, object]]) -> list[dict[str, object]]:
    """Per level, its knobs in one build: as its openings there say, else as the course has them."""
    names = list(dict.fromkeys(name for of_level in knobs for name in of_level))
    planned = (
        [dict(level.knobs) for level in play.course.levels] if play.course is not None else [{} for _ in range(play.n_levels)]
    )
    planned = planned if len(planned) == play.n_levels else [{} for _ in range(play.n_levels)]
    for name in names:
        for level, value in commonest_at_openings(play, name).items():
            planned[level][name] = value
    return planned


def _steps(before: Mapping[str, object], after: Mapping[str, object]) -> list[KnobStep]:
    """The knobs that are other than at the level before; None for a knob that is not there."""
    names = dict.fromkeys([*before, *after])
    return [
        {"knob": name, "from": before.get(name), "to": after.get(name)} for name in names if before.get(name) != after.get(name)
    ]


def _kinds(play: Play, knobs: Sequence[Mapping[str, object]], steps: Sequence[Sequence[KnobStep]]) -> list[KnobKind]:
    """What is new at each level: numbers of knobs, content, both, or nothing."""
    deaths = Deaths()(play).rows
    seen: set[str] = set(knobs[0]) if knobs else set()
    died: set[str] = set(deaths[0]["causes"]) if deaths else set()
    kinds: list[KnobKind] = ["none"] if knobs else []
    for level in range(1, len(knobs)):
        new = {step["knob"] for step in steps[level] if step["knob"] not in seen}
        numbers = any(step["knob"] not in new for step in steps[level])
        causes = deaths[level]["causes"]
        content = bool(new) or any(figures["players"] >= _TWO and cause not in died for cause, figures in causes.items())
        kinds.append("both" if numbers and content else "numbers" if numbers else "content" if content else "none")
        seen |= set(knobs[level])
        died |= set(causes)
    return kinds


def _against_rules(play: FullPlay, declared: Sequence[Mapping[str, object]]) -> list[KnobRuleRow]:
    rules = play.course.knob_rules if play.course is not None else {}
    rows = []
    for knob, rule in rules.items():
        logged = commonest_at_openings(play, knob)
        for level in range(play.n_levels):
            wanted = rule.at(level)
            both = [number_or_none(value) for value in (declared[level].get(knob), logged.get(level))]
            if any(value is not None and abs(value - wanted) > _DIFFERS for value in both):
                rows.append(KnobRuleRow(knob=knob, level=play.stops[level], by_rule=wanted, declared=both[0], logged=both[1]))
    return rows


def _levers(rows: Sequence[KnobsRow]) -> list[Lever]:
    """Stretches of two steps or more in a row that change the same knob, and no other."""
    levers: list[Lever] = []
    begin = 0
    alone = [row["changed"][0]["knob"] if len(row["changed"]) == 1 else None for row in rows]
    for level in range(1, len(rows) + 1):
        if level == len(rows) or alone[level] != alone[level - 1] or alone[level] is None:
            knob = alone[level - 1]
            if knob is not None and level - begin >= _TWO:
                levers.append(Lever(knob=knob, from_level=rows[begin - 1]["level"], to_level=rows[level - 1]["level"]))
            begin = level
    return levers
