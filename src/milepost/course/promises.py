"""Promises: what the makers say holds of every record of a kind, so that the log can be held against it."""

from __future__ import annotations

import re
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Final, Literal, cast

from milepost.errors import CourseError

Sign = Literal["=", "!=", "<", "<=", ">", ">="]
_KEYS: Final = frozenset({"on", "that", "level", "build", "why", "otherwise", "weight"})
_WEIGHTS: Final = ("low", "medium", "high")
_CONDITION: Final = re.compile(r"\s*([^=!<>\s'\"][^=!<>'\"]*?)\s*(!=|<=|>=|=|<|>)\s*(.+?)\s*", re.DOTALL)
_TEXTS: Final = re.compile(r"""\s*(?:'[^']*'|"[^"]*")\s*(?:,\s*(?:'[^']*'|"[^"]*")\s*)*""")
_TEXT: Final = re.compile(r"""'([^']*)'|"([^"]*)\"""")
_FORM: Final = "Write field = value, with = != < <= > >=; the value is a number, 'a text', a field, knobs.NAME or a sum with +"


@dataclass(frozen=True)
class Promised:
    """One condition of a promise: a field against a number, some texts, a knob of the level, or another field.

    Either side may be a sum of fields, numbers and knobs (``split_terms``). Exactly one of ``number``, ``texts``, ``knob`` and
    ``field`` is given.
    """

    left: str
    sign: Sign
    written: str
    number: float | None = None
    texts: tuple[str, ...] = ()
    knob: str | None = None
    field: str | None = None


@dataclass(frozen=True)
class Promise:
    """A promise on every record of some kinds: all its conditions; at a level and in a build, or at all of them.

    Attributes:
        on: the kinds of event.
        that: the conditions.
        level, build: where it holds; None: everywhere.
        why: the makers' words for it.
        voids: whether an attempt in which it is broken says nothing of trying.
        weight: how much it matters, `low`, `medium` or `high`.
    """

    on: tuple[str, ...]
    that: tuple[Promised, ...]
    level: str | None = None
    build: str | None = None
    why: str | None = None
    voids: bool = False
    weight: str = "medium"

    @property
    def wording(self) -> str:
        """It in words."""
        return self.why or f"{', '.join(self.on)}: {', '.join(condition.written for condition in self.that)}"


def split_terms(side: str) -> list[str]:
    """Return the terms of a side of a condition, which may be a sum: fields, numbers and knobs.NAME."""
    return [term.strip() for term in side.split("+")]


def read_promises(rows: object, levels: dict[str, str], path: object) -> tuple[Promise, ...]:
    """The promises of a course file.

    Args:
        rows: its tables.
        levels: the course's levels by their names and aliases.
        path: the file.

    Raises:
        CourseError: one of them says what cannot be.
    """
    if not isinstance(rows, list):
        raise CourseError(f"{path}: promise is no list of tables. Write [[promise]] and its keys below.")
    return tuple(_promise(row, levels, f"{path}: promise {number}") for number, row in enumerate(rows, 1))


def _promise(row: object, levels: dict[str, str], where: str) -> Promise:
    if not isinstance(row, dict) or row.keys() - _KEYS or not {"on", "that"} <= row.keys():
        raise CourseError(f"{where}: has on and that, and may have level, build, why, otherwise and weight; nothing else.")
    texts = {key: row[key] for key in ("level", "build", "why", "otherwise", "weight") if key in row}
    for key, value in texts.items():
        if not isinstance(value, str) or not value:
            raise CourseError(f"{where}: {key} must be text, not {value!r}.")
    level, weight, otherwise = texts.get("level"), texts.get("weight", "medium"), texts.get("otherwise", "list")
    if level is not None and level not in levels:
        near = get_close_matches(level, levels, 1) or list(levels)[:1]
        raise CourseError(f"{where}: no level is called {level!r}. Write {near[0]!r}, or add that level.")
    if weight not in _WEIGHTS:
        raise CourseError(f"{where}: weight must be low, medium or high, not {weight!r}.")
    if otherwise not in ("void", "list"):
        raise CourseError(f"{where}: otherwise must be void or list, not {otherwise!r}.")
    return Promise(
        _events(row["on"], where),
        tuple(_condition(text, where) for text in _listed(row["that"], f"{where}: that")),
        None if level is None else levels[level],
        texts.get("build"),
        texts.get("why"),
        otherwise == "void",
        weight,
    )


def _listed(value: object, where: str) -> list[str]:
    texts = [value] if isinstance(value, str) else value
    if not isinstance(texts, list) or not texts or not all(isinstance(text, str) for text in texts):
        raise CourseError(f"{where}: must be a text or a list of texts, not {value!r}.")
    return texts


def _events(value: object, where: str) -> tuple[str, ...]:
    """Return the event words of a promise: ours, or those of the log's own."""
    words = _listed(value, f"{where}: on")
    if not all(words):
        raise CourseError(f"{where}: on: a word is missing. Write start, or another word of the log.")
    return tuple(words)


def _condition(text: str, where: str) -> Promised:
    match = _CONDITION.fullmatch(text)
    if match is None:
        raise CourseError(f"{where}: that: {text!r} is no condition. {_FORM}.")
    left, right = match[1], match[3]
    sign = cast(Sign, match[2])
    if not all(split_terms(left)):
        raise CourseError(f"{where}: that: {text!r}: {left!r} is no sum. {_FORM}.")
    written = f"{left} {sign} {right}"
    if _TEXTS.fullmatch(right):
        if sign not in ("=", "!="):
            raise CourseError(f"{where}: that: {text!r}: texts are compared by = and != alone. {_FORM}.")
        return Promised(left, sign, written, texts=tuple(quoted or other for quoted, other in _TEXT.findall(right)))
    if right in ("true", "false"):
        return Promised(left, sign, written, texts=(right,))
    try:
        return Promised(left, sign, written, number=float(right))
    except ValueError:
        pass
    if any(mark in right for mark in "'\",=<>"):
        raise CourseError(f"{where}: that: {text!r}: {right!r} is no value. {_FORM}.")
    if not all(split_terms(right)):
        raise CourseError(f"{where}: that: {text!r}: {right!r} is no sum. {_FORM}.")
    if right.startswith("knobs.") and len(split_terms(right)) == 1:
        return Promised(left, sign, written, knob=right.removeprefix("knobs."))
    return Promised(left, sign, written, field=right)
