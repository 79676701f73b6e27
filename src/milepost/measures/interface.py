"""The interface of a measure: a frozen settings object with one pure call on a play, giving a table."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, is_dataclass
from datetime import date
from hashlib import sha256
from re import Pattern
from types import FunctionType
from typing import ClassVar, Final, Generic, Protocol, TypedDict, TypeVar, cast, runtime_checkable

from milepost.playback.play import Kinds, Play, Summed

R_co = TypeVar("R_co", covariant=True, bound=Mapping[str, object])
T_co = TypeVar("T_co", covariant=True, bound=Mapping[str, object])
R = TypeVar("R", bound=Mapping[str, object])
T = TypeVar("T", bound=Mapping[str, object])
P = TypeVar("P", bound=Summed)


class NoTotals(TypedDict):
    """Nothing is said of the whole course."""


class RawRow(TypedDict):
    """A naive count of the records of a level."""

    raw_reached: int
    raw_cleared: int
    raw_tries: int


class LevelRow(TypedDict):
    """A row about a level."""

    level: str


@dataclass(frozen=True)
class Table(Generic[R_co, T_co]):
    """The result of a measure: rows of plain values with the documented keys, and values for the whole course."""

    rows: list[R_co]
    totals: T_co


UNKNOWN_ENDS: Final = ("lost", "censor")  # what a session that ends without a known cause counts as: lost there, or cut short
EXPECTED_FIGURES: Final = {
    "try_clear": "a try clears",
    "first_try": "a first try clears",
    "clear_rate": "players who reach it clear it",
    "drop_off": "players are lost there",
}


@dataclass(frozen=True)
class Hypothesis:
    """What a build was expected to do at a level.

    Attributes:
        level: where.
        figure: one of ``EXPECTED_FIGURES``.
        expect: `up` or `down`.
        at_least: by how much, as a share.
        build: which build; the last one of the log where None.
        said_on: when that was said; None where nobody wrote it down.
    """

    level: str
    figure: str
    expect: str
    at_least: float = 0.0
    build: str | None = None
    said_on: date | None = None


class Measure(Protocol[R_co, T_co]):
    """A measure with its settings, if it has any."""

    def __call__(self, play: Play, /) -> Table[R_co, T_co]:
        """Compute the measure."""


AnyTable = Table[Mapping[str, object], Mapping[str, object]]
AnyMeasure = Measure[Mapping[str, object], Mapping[str, object]]


@runtime_checkable
class CountingMeasure(Protocol):
    """A measure that needs nothing but counts.

    Attributes:
        SUMS: what is counted for it.
    """

    SUMS: ClassVar[Kinds]

    def __call__(self, play: Summed, /) -> AnyTable:
        """Compute the measure."""


def name_of(measure: object) -> str | None:
    """Return a key that differs for every measure and settings; None if the settings have no key."""
    if isinstance(measure, FunctionType):
        named = measure.__name__ == measure.__qualname__ and measure.__name__.isidentifier()
        return measure.__name__ if named else None
    if not is_dataclass(measure) or type(measure).__repr__ is object.__repr__:  # which says where it lies, not what it is
        return None
    settings = sha256(repr(measure).encode("utf-8", "backslashreplace")).hexdigest()[:16]
    return f"{type(measure).__name__}-{settings}"


def table_of(play: P, measure: Callable[[P], Table[R, T]]) -> Table[R, T]:
    """Return a measure's table of a play, computed once, and kept with the play if the settings have a key."""
    name = name_of(measure)
    return play.compute_once(measure) if name is None else play.compute_and_keep(name, measure, Table)


def share(part: float, whole: int) -> float | None:
    """A share; None of nothing."""
    return part / whole if whole else None


def put_beside(table: Table[R, T], extra: list[RawRow]) -> Table[R, T]:
    """The table with what a naive count says in each row."""
    rows = [cast(R, {**row, **more}) for row, more in zip(table.rows, extra, strict=True)]
    return Table(rows, table.totals)


@dataclass(frozen=True)
class Answer:
    """An answer, and of which player, to which question, at which level, if it was about one."""

    player: str
    level: str | None
    question: str
    answer: str
    build: str | None = None


@dataclass(frozen=True)
class Question:
    """A question that players answer.

    Attributes:
        order: its answers in order, where they are words.
        harder: whether later or higher answers mean harder ("up") or easier ("down"); None where it does not ask for that.
        separator: what parts several answers in one cell; None where a cell is one answer.
        same_as: the question that it is a translation of; None where it is none.
        translations: its answers, each with that of the other question.
    """

    order: tuple[str, ...] = ()
    harder: str | None = None
    separator: str | None = None
    same_as: str | None = None
    translations: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Theme:
    """A theme of answers in free words.

    Attributes:
        name: its name.
        words: any of which an answer has, as whole words in any capitals; one that ends in ``*`` may go on.
        pattern: or what it has somewhere in it; None without one.
    """

    name: str
    words: tuple[str, ...] = ()
    pattern: Pattern[str] | None = None

    def fits(self, text: str) -> bool:
        """Return whether an answer speaks of it."""
        if self.pattern is not None and self.pattern.search(text):
            return True
        tokens = re.findall(r"[^\W_]+(?:['’][^\W_]+)*", text.casefold())
        return any(
            any(token.startswith(word[:-1]) for token in tokens) if word.endswith("*") else word in tokens
            for word in map(str.casefold, self.words)
        )
