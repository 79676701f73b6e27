"""The values of any field of single records, whatever it is called: as numbers of texts, and of texts as numbers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final

import numpy as np

from milepost.arrays import Column, Floats, Ints
from milepost.cleaning.gate import Gated
from milepost.course.course import level_names
from milepost.level_names import fold_name
from milepost.logs.interface import ABSENT, BareLog
from milepost.vocabulary import EVENTS, NUMBER_FIELDS

_NUMBERS: Final = NUMBER_FIELDS | {"time", "seq"}
_OF_SESSIONS: Final = ("session", "player", "build")


@dataclass(frozen=True, eq=False, repr=False)
class Values:
    """Values of one field, one for each of some rows: ``codes`` into ``texts``, ``ABSENT`` where not given."""

    codes: Ints
    texts: list[str]

    @cached_property
    def numbers(self) -> Floats:
        """Per row, the value as a number; NaN where it is none."""
        return np.array([*map(number_of, self.texts), np.nan])[self.codes]

    def of(self, rows: Column) -> Values:
        """Return the values of some rows."""
        return replace(self, codes=self.codes[rows])


def number_of(text: str) -> float:
    """A text as a number; NaN where it is none."""
    try:
        return float(text)
    except ValueError:
        return float("nan")


def text_of(value: object) -> str:
    """A value of a course file as a log would have it."""
    return str(value).lower() if isinstance(value, bool) else str(value)


def values_of_numbers(numbers: Floats) -> Values:
    """Numbers as values; NaN means not given."""
    values, codes = np.unique(numbers, return_inverse=True)
    known = len(values) - int(np.isnan(values).sum())
    texts = [str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value) for value in values[:known].tolist()]
    return Values(np.where(codes < known, codes, ABSENT), texts)


def values_of(gated: Gated, name: str, rows: Column) -> Values | None:
    """The values of a field or tag for some records.

    Args:
        gated: the log; names of levels are those of the course.
        name: the field or tag.
        rows: the numbers of the records.

    Returns:
        The values; None where the log has no such field.
    """
    log = gated.log
    records = log.records
    if name in _NUMBERS:
        numbers = getattr(records, name)[rows].astype(np.float64)
        return values_of_numbers(np.where(records.has_seq[rows], numbers, np.nan) if name == "seq" else numbers)
    if name in ("level", "to"):
        return Values(getattr(gated, name)[rows], gated.stops.names)
    if name in records.tags:
        return Values(records.tags[name][rows].astype(np.int64), log.tags[name])
    if name == "event":
        return Values(np.maximum(ABSENT, records.event[rows]), list(EVENTS))
    if name == "cause":
        return Values(records.cause[rows], log.causes)
    return _read_session_field(log, name).of(records.session[rows]) if name in _OF_SESSIONS else None


def _read_session_field(log: BareLog, name: str) -> Values:
    sessions = log.sessions
    kinds: dict[str, Sequence[str | None]] = {"session": sessions.name, "player": sessions.player, "build": sessions.build}
    given = kinds[name]
    codes: dict[str, int] = {}
    numbers = [ABSENT if value is None else codes.setdefault(value, len(codes)) for value in given]
    return Values(np.array(numbers, dtype=np.int64), list(codes))


class LevelTexts:
    """Texts that may name levels of the course: by whatever name or alias, each is the level."""

    def __init__(self, gated: Gated) -> None:
        self._exact, self._by_fold = level_names(gated.course) if gated.course else ({}, {})
        self._names = gated.stops.names

    def canonical(self, text: str) -> str:
        """The name of the level that a text names; the text itself where it names none."""
        place = self._exact.get(text)
        alike = self._by_fold.get(fold_name(text), set())
        if place is None and len(alike) == 1:
            (place,) = alike
        return text if place is None else self._names[place]
