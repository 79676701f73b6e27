"""Selection of sessions: conditions on fields and tags, and groups by a field or tag."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any, Final

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.cleaning.names import player_names
from milepost.cleaning.survey import order_sessions
from milepost.course.course import Course, level_names
from milepost.errors import UsageError
from milepost.level_names import fold_name, natural_key
from milepost.logs.interface import BareLog, L, Log, Records, Sessions
from milepost.vocabulary import EVENTS, NUMBER_FIELDS

_CONDITION: Final = re.compile(r"\s*([^=!<>\s][^=!<>]*?)\s*(!=|<=|>=|=|<|>)(.*)", re.DOTALL)
_ORDER: Final[dict[str, Callable[[float, float], bool]]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}
_NAMED: Final = {"level": "stops", "to": "stops", "cause": "causes"}
_RECORD_FIELDS: Final = NUMBER_FIELDS | _NAMED.keys() | {"event", "time", "seq"}


@dataclass(frozen=True)
class Condition:
    """A condition on sessions.

    A session's value of a tag, of `player` and of `build` is the first given in it. On a field of single records, such
    as `level` or `cause`, a session fits if any of its records does (and fits `!=` if none of them has a value listed).
    """

    key: str
    sign: str
    values: tuple[str, ...]

    def fits(self, log: Log) -> Bools:
        """Per session, whether it fits."""
        return self.judged(self.hits(log)) if self.of_records else self.fits_session(log)

    def fits_session(self, log: BareLog) -> Bools:
        """Per session, whether it fits a condition that is not on a field of single records."""
        return self.judged(np.array([self.fits_value(value) for value in session_values(log, self.key)], dtype=np.bool_))

    def for_course(self, course: Course | None) -> Condition:
        """Return the condition for levels by whatever name or alias a course gives them."""
        if course is None or self.key not in ("level", "to") or self.sign in _ORDER:
            return self
        exact, by_fold = level_names(course)
        values = dict.fromkeys(self.values)
        for value in self.values:
            places = {exact[value]} if value in exact else by_fold.get(fold_name(value), set())
            values |= dict.fromkeys(name for place in places for name in course.levels[place].known_as())
        return replace(self, values=tuple(values))

    @property
    def written(self) -> str:
        """It as it is written."""
        return f"{self.key}{self.sign}{','.join(self.values)}"

    @property
    def of_records(self) -> bool:
        """Return whether it is on a field of single records."""
        return self.key in _RECORD_FIELDS

    def judged(self, hit: Bools) -> Bools:
        """Per session, whether it fits, from whether it has any of the values."""
        return ~hit if self.sign == "!=" else hit

    def hits(self, log: Log) -> Bools:
        """Per session, whether any of its records has one of the values; those of parts of a log are joined by `or`."""
        hit = np.zeros(len(log.sessions.name), np.bool_)
        texts = (
            [self.fits_value(text) for text in _texts(log, self.key)] if self.key not in NUMBER_FIELDS | {"time", "seq"} else []
        )
        column = getattr(log.records, self.key)
        if texts:
            fitting = np.array([*texts, False])[np.where(column >= 0, column, len(texts))]
        else:
            values, back = np.unique(column, return_inverse=True)
            fitting = np.array([self.fits_value(None if np.isnan(v) else repr(v)) for v in values.tolist()], dtype=np.bool_)[back]
        hit[log.records.session[fitting]] = True
        return hit

    def fits_value(self, value: str | None) -> bool:
        """Return whether one value is among those listed, or on the right side of the number given."""
        if self.sign in _ORDER:
            number, limit = _number(value), _number(self.values[0])
            return number is not None and limit is not None and _ORDER[self.sign](number, limit)
        if value is None:
            return "" in self.values
        return any(_is_alike(value, wanted, self.key) for wanted in self.values)


def _is_alike(value: str, wanted: str, key: str) -> bool:
    if key in ("level", "to"):
        return fold_name(value) == fold_name(wanted)
    number = _number(value)
    return value == wanted or (number is not None and number == _number(wanted))


def _number(text: str | None) -> float | None:
    try:
        return None if text is None else float(text)
    except ValueError:
        return None


def _texts(log: BareLog, key: str) -> list[str]:
    names: Any = EVENTS if key == "event" else getattr(log, _NAMED[key])
    return list(names)


def session_values(log: BareLog, key: str) -> list[str | None]:
    """Per session, its value of a tag, or of `player`, `build` or `session`; None where it has none.

    `sitting` is 1 for a player's first session, 2 for the second, and so on.
    """
    sessions = log.sessions
    if key == "session":
        return list(sessions.name)
    if key == "player":
        return list[str | None](player_names(sessions))
    if key == "build":
        return list(sessions.build)
    if key == "sitting":
        return _sittings(log)
    return [tags.get(key) for tags in sessions.tags]


def _sittings(log: BareLog) -> list[str | None]:
    """Per session, its place among its player's sessions."""
    names = session_values(log, "player")
    codes: dict[str | None, int] = {}
    player = np.array([codes.setdefault(name, len(codes)) for name in names], dtype=np.int64)
    place: list[str | None] = [None] * len(names)
    seen: dict[int, int] = {}
    for session in order_sessions(log.sessions, player, np.zeros(len(names))).tolist():
        number = seen[int(player[session])] = seen.get(int(player[session]), 0) + 1
        place[session] = str(number)
    return place


def parse_condition(text: str) -> Condition:
    """A condition as it is written: key=value, key!=value, key=a,b (any of them), key>number and so on; key= is absent.

    Raises:
        UsageError: the text is no condition.
    """
    match = _CONDITION.fullmatch(text)
    if match is None:
        raise UsageError(f"{text!r} is no condition. Write key=value, key!=value, key=a,b or key>5.")
    key, sign, rest = match.groups()
    if sign in _ORDER and _number(rest) is None:
        raise UsageError(f"{text!r}: after {sign} comes a number, not {rest!r}.")
    return Condition(key, sign, tuple(part.strip() for part in rest.split(",")))


def keep_sessions(log: L, keep: Bools) -> L:
    """The log as if the other sessions had not been."""
    if keep.all():
        return log
    gone = {log.sessions.name[code] for code in np.flatnonzero(~keep).tolist()}
    refused = [item for item in log.refused if item.session not in gone]
    numbers = None if log.numbers is None else log.numbers[keep]
    kept = replace(log, sessions=_keep_rows(log.sessions, keep.tobytes()), refused=refused, numbers=numbers)
    return replace(kept, records=_records_of(kept.records, keep)) if isinstance(kept, Log) else kept


def _records_of(records: Records, keep: Bools) -> Records:
    columns = records.rows(np.flatnonzero(keep[records.session]))  # looked for once, not in each column
    columns["session"] = (np.cumsum(keep) - 1)[columns["session"]]
    return Records.of(columns)


@lru_cache(maxsize=2)
def _keep_rows(sessions: Sessions, keep: bytes) -> Sessions:
    """Return the sessions that are kept; the same object for every part of a log, so that what rests on it is made once."""
    kept = np.flatnonzero(np.frombuffer(keep, np.bool_)).tolist()
    return Sessions(**{name: [values[code] for code in kept] for name, values in vars(sessions).items()})


def select_sessions(log: Log, conditions: tuple[Condition, ...]) -> Log:
    """The log as if it held only the sessions that fit all conditions.

    Raises:
        UsageError: no session fits, or a condition is on a key that the log does not have.
    """
    for condition in conditions:
        require_known(condition, log)
        fits = condition.fits(log)
        require_any(fits, condition, log)
        log = keep_sessions(log, fits)
    return log


def require_known(condition: Condition, log: BareLog) -> None:
    """Refuse a condition on a key that the log does not have.

    Raises:
        UsageError: it does not.
    """
    if not condition.of_records and all(value is None for value in session_values(log, condition.key)):
        raise UsageError(f"--where {condition.key}: the log has no such field or tag. {known_tags(log)}")


def require_any(fits: Bools, condition: Condition, log: BareLog) -> None:
    """Refuse a condition that no session fits.

    Raises:
        UsageError: none does.
    """
    if not fits.any():
        raise UsageError(f"--where {condition.written}: no session is left. {values_seen(log, condition.key)}")


def group_sessions(log: BareLog, key: str) -> list[tuple[str | None, Bools]]:
    """The values of a key in natural order (sessions without one last), each with the sessions that have it.

    Raises:
        UsageError: the log has no such field or tag, or it differs within sessions.
    """
    if key in _RECORD_FIELDS:
        raise UsageError(f"--by {key}: it differs from record to record. Group by player, build, session or a tag.")
    values = session_values(log, key)
    distinct = sorted({value for value in values if value is not None}, key=natural_key)
    if not distinct:
        raise UsageError(f"--by {key}: the log has no such field or tag. {known_tags(log)}")
    listed: list[str | None] = [*distinct, *([None] if None in values else [])]
    return [(value, np.array([of_session == value for of_session in values], dtype=np.bool_)) for value in listed]


def known_tags(log: BareLog) -> str:
    """The keys of sessions that a log has, as a sentence."""
    tags = sorted({name for tags in log.sessions.tags for name in tags})
    return f"It has: {', '.join(['player', 'session', 'sitting', 'build', *tags][:20])}."


def values_seen(log: BareLog, key: str) -> str:
    """The values of a key that a log has, as a sentence."""
    if key in _RECORD_FIELDS:
        return "Is the value spelled as in the log?"
    seen = sorted({value for value in session_values(log, key) if value is not None}, key=natural_key)
    return f"Its values are: {', '.join(seen[:12])}{' …' if len(seen) > 12 else ''}."


Span = tuple[int, int]  # where an attempt is opened and closed, as places in the session's order of replay
Places = Mapping[str, frozenset[Span]]  # attempts per session, by its name


@dataclass(frozen=True)
class Exclusion:
    """An exclusion; it names sessions, so that it holds for whatever part of the log is replayed.

    Attributes:
        codes: the suspects that are left out.
        sessions: the sessions that are.
        cuts: per session that ends with a jump, the place of the record that it is cut at.
        void: the attempts that are void.
        cleared: attempts that count as cleared.
        faults: the sessions whose end was no decision.
        coarse: the sessions whose clock counts whole seconds, as judged before anything was left out, so that the places hold.
    """

    codes: tuple[str, ...] = ()
    sessions: frozenset[str] = frozenset()
    cuts: Mapping[str, int] = field(default_factory=dict)
    void: Places = field(default_factory=dict)
    cleared: Places = field(default_factory=dict)
    faults: frozenset[str] = frozenset()
    coarse: frozenset[str] = frozenset()

    @property
    def replays(self) -> bool:
        """Return whether the log has to be replayed anew without it."""
        return bool(self.sessions or self.cuts)

    def keeps(self, log: BareLog) -> Bools:
        """Per session of a log, whether it stays."""
        return np.array([name not in self.sessions for name in log.sessions.name], dtype=np.bool_)

    def clocks(self, log: BareLog) -> Bools:
        """Per session, whether its clock counts whole seconds."""
        return np.array([name in self.coarse for name in log.sessions.name], dtype=np.bool_)

    def ends_at(self, log: BareLog, bounds: Ints) -> Ints:
        """Per session, where its records end that are replayed: at its bound, or where it is cut."""
        stops = bounds[1:].copy()
        for session, name in enumerate(log.sessions.name):
            if name in self.cuts:
                stops[session] = min(stops[session], bounds[session] + self.cuts[name])
        return stops
