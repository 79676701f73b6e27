"""Attempts by what was so when they began or ended: conditions on attributes, and groups by one."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats, Ints
from milepost.cleaning.field_values import Values, values_of_numbers
from milepost.cleaning.selection import Condition, Exclusion, Places, Span, parse_condition
from milepost.course.course import Course
from milepost.errors import UsageError
from milepost.level_names import natural_key
from milepost.playback.attempt_tables import Ends, number_tries
from milepost.playback.attributes import attribute, is_attribute
from milepost.playback.play import P, Play
from milepost.vocabulary import CLEARED, END_FAULT

MOST_GROUPS: Final = 8  # numbers of more values are cut at their quarters


@dataclass(frozen=True, eq=False, repr=False)
class AttributeGroups:
    """Groups of attempts by an attribute.

    Attributes:
        groups: their names, those without the attribute under None and last, each with the attempts in it.
        cuts: where numbers are cut; each group holds what is above its lower end, up to its upper end.
    """

    groups: list[tuple[str | None, Bools]]
    cuts: list[float]

    def plays(self, play: Play, key: str) -> Iterator[tuple[str | None, Play]]:
        """The play with an eye on each group in turn."""
        for value, fits in self.groups:
            yield value, look_at(play, fits, f"{key} = {value}" if value is not None else f"{key} not given")


def parse_conditions(texts: Iterable[str], course: Course | None) -> tuple[tuple[Condition, ...], tuple[Condition, ...]]:
    """Conditions as they are written: those on sessions, and those on attempts.

    Raises:
        UsageError: one is no condition.
    """
    conditions = [parse_condition(text).for_course(course) for text in texts]
    attempts = tuple(condition for condition in conditions if is_attribute(condition.key))
    return tuple(condition for condition in conditions if condition not in attempts), attempts


def keep_fitting(play: P, conditions: tuple[Condition, ...]) -> P:
    """The play with an eye on the attempts that fit all conditions.

    Raises:
        UsageError: the log has no such attribute, or no attempt fits.
    """
    for condition in conditions:
        values = attribute(play, condition.key)
        hit = np.array([*(condition.fits_value(text) for text in values.texts), condition.fits_value(None)])[values.codes]
        fits = condition.judged(hit)
        if not fits.any():
            seen = ", ".join(sorted(values.texts, key=natural_key)[:12])
            raise UsageError(f"--where {condition.written}: no attempt is left. Its values are: {seen}.")
        play = look_at(play, fits, condition.written)
    return play


def group_attempts(play: Play, key: str) -> AttributeGroups:
    """The groups of the attempts by an attribute.

    Raises:
        UsageError: the log has no such attribute.
    """
    values = attribute(play, key)
    numeric = all(not np.isnan(number) for number in Values(np.arange(len(values.texts)), values.texts).numbers)
    if numeric and len(values.texts) > MOST_GROUPS:
        return _quarters(play, values.numbers)
    shown = values_of_numbers(values.numbers) if numeric else values  # 3 and 3.0 are one
    order = sorted(range(len(shown.texts)), key=lambda code: natural_key(shown.texts[code]))
    groups: list[tuple[str | None, Bools]] = [(shown.texts[code], shown.codes == code) for code in order]
    return AttributeGroups([*groups, *_absent(shown.codes < 0)], [])


def _quarters(play: Play, numbers: Floats) -> AttributeGroups:
    """Groups of numbers cut at the quarters over the first-clear attempts."""
    counted = numbers[~play.attempts.rerun & play.counts[play.attempts.player] & ~np.isnan(numbers)]
    cuts = sorted(
        {float(cut) for cut in np.quantile(counted if len(counted) else numbers[~np.isnan(numbers)], (0.25, 0.5, 0.75))}
    )
    place = np.searchsorted(cuts, numbers, side="left")
    given = ~np.isnan(numbers)
    names = [
        f"up to {cuts[0]:g}",
        *(f"over {low:g} up to {high:g}" for low, high in zip(cuts, cuts[1:], strict=False)),
        f"over {cuts[-1]:g}",
    ]
    groups: list[tuple[str | None, Bools]] = [(name, given & (place == number)) for number, name in enumerate(names)]
    return AttributeGroups([*(group for group in groups if group[1].any()), *_absent(~given)], cuts)


def _absent(missing: Bools) -> list[tuple[str | None, Bools]]:
    return [(None, missing)] if missing.any() else []


def apply_exclusion(play: P, exclusion: Exclusion) -> P:
    """The play with attempts void, or taken for clears, and ends taken for no decisions, as an exclusion says."""
    table = play.attempts
    outcome, end = table.outcome.copy(), play.end.codes.copy()
    outcome[_standing_at(play, exclusion.cleared)] = CLEARED
    void = _standing_at(play, exclusion.void)
    names = play.gated.log.sessions.name
    end[[name in exclusion.faults for name in names]] = END_FAULT
    number, rerun = number_tries(table.player, table.level, outcome == CLEARED, void)
    attempts = replace(table, outcome=outcome, void=void, number=number, rerun=rerun)
    gated = replace(play.gated, exclusion=exclusion)
    return replace(play, gated=gated, attempts=attempts, end=Ends(end), summaries=dict(play.summaries))


def look_at(play: P, fits: Bools, asked: str) -> P:
    """The play with an eye on some of its attempts only; they keep the numbers that they have among all."""
    attempts = replace(play.attempts, aside=play.attempts.aside | ~fits)
    return replace(play, attempts=attempts, conditions=(*play.conditions, asked), summaries=dict(play.summaries))


def spans(play: Play, rows: Ints) -> list[Span]:
    """Return the places where attempts open and close in their sessions' order of replay."""
    table, begins = play.attempts, play.gated.bounds
    begun = begins[table.session[rows]]
    return list(zip((table.opened_at[rows] - begun).tolist(), (table.closed_at[rows] - begun).tolist(), strict=True))


def _standing_at(play: Play, places: Places) -> Bools:
    """Return the attempts at some places of their sessions."""
    standing = np.zeros(len(play.attempts), np.bool_)
    numbers = {name: session for session, name in enumerate(play.gated.log.sessions.name) if name in places}
    if not numbers:
        return standing
    table = play.attempts
    rows = np.flatnonzero(np.isin(table.session, list(numbers.values())))
    wanted = {session: places[name] for name, session in numbers.items()}
    pairs = zip(spans(play, rows), table.session[rows].tolist(), strict=True)
    standing[rows] = [span in wanted[session] for span, session in pairs]
    return standing
