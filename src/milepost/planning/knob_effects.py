"""What a unit of a knob does to difficulty: told by builds in which it was changed, and by the levels of a course."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from math import isfinite
from typing import Final, Literal, NamedTuple, TypedDict

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.cleaning.selection import keep_sessions, session_values
from milepost.cleaning.splitting import Split, values_in_order
from milepost.comparison.compare import BuildsCompared, Compare
from milepost.comparison.pairing import Pair
from milepost.errors import UsageError
from milepost.numerics.intervals import Z95, t_quantile
from milepost.playback.play import FullPlay, Play
from milepost.playback.replay import replay_log

_LEAST_SPREAD: Final = 0.1  # logits that levels do by themselves between builds, at least
_FEWEST_LEVELS: Final = 6
_TIED: Final = 0.9
PLACE: Final = "place"


class KnobEffect(TypedDict):
    """What one unit of a knob does, in logits; None where it cannot be told."""

    knob: str
    by: Literal["builds", "levels"]
    levels: int
    per_unit: float | None
    low: float | None
    high: float | None
    together: list[str]


class _Changed(NamedTuple):
    """A level in two builds in a row: what it did beyond the shift, the variance of that, and the change of each knob."""

    delta: float
    variance: float
    spread: float
    by: Mapping[str, float]


def number_or_none(value: object) -> float | None:
    """The number that a knob's value is; None for any other value."""
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) and isfinite(value) else None


def effects_by_builds(play: FullPlay, values: Callable[[Play], list[dict[str, object]]], least: int) -> list[KnobEffect]:
    """Return what knobs do by the builds in a row in which they were changed; empty of a log with fewer than two builds.

    Args:
        play: the log.
        values: what knobs each level has in the play of one build.
        least: of fewer players, nothing is claimed.
    """
    changes = list(_changes(play, values, least))
    names = list(dict.fromkeys(name for change in changes for name in change.by))
    effects: list[KnobEffect] = []
    for name in names:
        changed = [change for change in changes if change.by.get(name)]
        together = [other for other in names if other != name and changed and _are_tied(changes, name, other)]
        slope = _slope(changed, name) if changed and not together else (None, None, None)
        effects.append(_effect(name, "builds", len(changed), slope, together))
    return effects


def play_of_build(play: FullPlay, build: str) -> FullPlay:
    """Return the play of one build's sessions, by its own course."""
    course = play.course.of_build(build) if play.course is not None else None
    mask = np.array([of_session == build for of_session in session_values(play.gated.log, "build")], np.bool_)
    return replay_log(keep_sessions(play.gated.log, mask), course, play.rules, exclusion=play.gated.exclusion)


def _changes(play: FullPlay, values: Callable[[Play], list[dict[str, object]]], least: int) -> list[_Changed]:
    try:
        names = values_in_order(play.gated.log, "build")
    except UsageError:
        return []
    sides = [play_of_build(play, name) for name in names] if len(names) > 1 else []
    changed = []
    for before, after, first, then in zip(sides, sides[1:], names, names[1:], strict=False):
        case = BuildsCompared(Pair.of(before, after, play.gated.log.sessions.name), Compare(Split("build", first, then), least))
        if case.judge is None:
            continue
        shifted, knobs = case.judge.differences.shifted, (values(before), values(after))
        for place, number in enumerate(case.judge.estimates.levels.tolist()):
            places = case.pair.levels[number].places
            if None in places or not case.judge.enough[place]:
                continue
            pair = [side[int(at)] for side, at in zip(knobs, places, strict=True) if at is not None]
            by = {
                name: new - old
                for name in dict.fromkeys([*pair[0], *pair[1]])
                if (old := number_or_none(pair[0].get(name))) is not None
                and (new := number_or_none(pair[1].get(name))) is not None
            }
            changed.append(_Changed(float(shifted.delta[place]), float(shifted.delta_se[place]) ** 2, shifted.spread, by))
    return changed


def _are_tied(changes: Sequence[_Changed], knob: str, other: str) -> bool:
    """Return whether two knobs change together: by the correlation of their changes about zero, where either changed."""
    rows = [(change.by.get(knob, 0.0), change.by.get(other, 0.0)) for change in changes]
    pairs = np.array([row for row in rows if any(row)], np.float64).reshape(-1, 2)
    size = float(np.sqrt((pairs[:, 0] ** 2).sum() * (pairs[:, 1] ** 2).sum()))
    if not len(pairs) or not (pairs[:, 1] != 0).any():
        return False
    return size == 0 or abs(float((pairs[:, 0] * pairs[:, 1]).sum())) / size >= _TIED


def _slope(rows: Sequence[_Changed], name: str) -> tuple[float, float, float]:
    """The slope of what levels did on the change of a knob, through zero, with its interval."""
    change = np.array([row.by[name] for row in rows])
    delta = np.array([row.delta for row in rows])
    weight = 1 / np.array([row.variance + max(_LEAST_SPREAD**2, row.spread**2) for row in rows])
    about = float((weight * change**2).sum())
    slope = float((weight * change * delta).sum()) / about
    variance, n = 1 / about, len(rows)
    if n > 1:
        variance *= max(1.0, float((weight * (delta - slope * change) ** 2).sum()) / (n - 1))
    half = (Z95 if n == 1 else t_quantile(n - 1)) * float(np.sqrt(variance))
    return slope, slope - half, slope + half


def effects_by_levels(knobs: Sequence[Mapping[str, object]], difficulty: Floats, places: Ints) -> list[KnobEffect]:
    """Return what knobs do by least squares over the levels, all at once beside the place in the course.

    Args:
        knobs: per level, its knobs.
        difficulty: per level, NaN where it is not known.
        places: per level, that of its leg.
    """
    names = list(
        dict.fromkeys(name for of_level in knobs for name, value in of_level.items() if number_or_none(value) is not None)
    )
    columns = {name: np.array([_or_nan(of_level.get(name)) for of_level in knobs]) for name in names}
    known = {name: np.isfinite(columns[name]) & np.isfinite(difficulty) for name in names}
    enough = [name for name in names if known[name].sum() >= _FEWEST_LEVELS and len(np.unique(columns[name][known[name]])) > 1]
    rows = np.logical_and.reduce([np.isfinite(difficulty), *(known[name] for name in enough)])
    together = {name: _list_ties(name, enough, columns, places, rows) for name in enough}
    alone = [name for name in enough if not together[name]]
    fitted = _fit(difficulty[rows], places[rows], [columns[name][rows] for name in alone]) if alone else {}
    effects: list[KnobEffect] = []
    for name in names:
        estimate = fitted.get(alone.index(name), (None, None, None)) if name in alone else (None, None, None)
        count = int(rows.sum()) if name in enough else int(known[name].sum())
        effects.append(_effect(name, "levels", count, estimate, together.get(name, [])))
    return effects


def _list_ties(name: str, names: Sequence[str], columns: Mapping[str, Floats], places: Ints, rows: np.ndarray) -> list[str]:
    """The knobs that a knob cannot be told from beyond the place, and the place itself."""
    values, place = columns[name][rows], places[rows].astype(np.float64)
    tied = [
        other for other in names if other != name and _moves_with(_beyond(values, place), _beyond(columns[other][rows], place))
    ]
    return tied + ([PLACE] if _moves_with(values, place) else [])


def _beyond(values: Floats, place: Floats) -> Floats:
    """What is left of values beyond a straight line over the place."""
    design = np.column_stack((np.ones(len(place)), place))
    solved, *_ = np.linalg.lstsq(design, values, rcond=None)
    left: Floats = values - design @ solved
    return left


def _moves_with(values: Floats, other: Floats) -> bool:
    """Return whether two columns are tied; they are where no correlation can be had."""
    if len(values) < 3:
        return True
    spreads = float(np.std(values)), float(np.std(other))
    if min(spreads) <= 1e-9 * max(1.0, float(np.abs(values).max()), float(np.abs(other).max())):
        return True
    return abs(float(np.corrcoef(values, other)[0, 1])) >= _TIED


def _fit(difficulty: Floats, places: Ints, columns: Sequence[Floats]) -> dict[int, tuple[float, float, float]]:
    """Per column, its slope beside the place and all others, with its interval; empty where there are too few levels."""
    design = np.column_stack((np.ones(len(places)), places, *columns))
    free = len(difficulty) - design.shape[1]
    if len(difficulty) < _FEWEST_LEVELS or free < 1 or np.linalg.matrix_rank(design) < design.shape[1]:
        return {}
    solved, *_ = np.linalg.lstsq(design, difficulty, rcond=None)
    left = difficulty - design @ solved
    covariance = np.linalg.inv(design.T @ design) * float(left @ left) / free
    half = t_quantile(free) * np.sqrt(np.diag(covariance))
    return {
        number: (
            float(solved[number + 2]),
            float(solved[number + 2] - half[number + 2]),
            float(solved[number + 2] + half[number + 2]),
        )
        for number in range(len(columns))
    }


def _or_nan(value: object) -> float:
    number = number_or_none(value)
    return np.nan if number is None else number


def _effect(
    knob: str,
    by: Literal["builds", "levels"],
    levels: int,
    estimate: tuple[float | None, float | None, float | None],
    together: list[str],
) -> KnobEffect:
    return KnobEffect(knob=knob, by=by, levels=levels, per_unit=estimate[0], low=estimate[1], high=estimate[2], together=together)
