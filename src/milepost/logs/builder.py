"""Builds a log's columns record by record: codes for names, times relative to the session's first one."""

from __future__ import annotations

from collections.abc import Mapping
from math import isfinite, nan
from typing import Any

import numpy as np

from milepost.logs.fields import Fields, UnreadableError, checked, is_true
from milepost.logs.interface import ABSENT, Log, Place, Records, Refused, Sessions
from milepost.logs.timestamps import NANO
from milepost.vocabulary import BIT, EVENT_CODES, UNKNOWN_EVENT

_BAD_FIELD = BIT["bad_field"]
_ROW = np.dtype(
    [(name, np.int64) for name in ("session", "event", "level", "to", "cause", "file", "line", "marks", "seq",
                                   "identity", "likeness")]
    + [(name, np.float64) for name in ("time", "second", "progress", "x", "y", "collected", "available")]
    + [(name, np.bool_) for name in ("whole", "foreign", "has_seq")]
)  # fmt: skip


class Names:
    """Numbers for names, in order of first appearance."""

    def __init__(self) -> None:
        self.codes: dict[str, int] = {}

    def code(self, name: str | None) -> int:
        """The name's number, a new one for a new name; ABSENT for none."""
        if name is None:
            return ABSENT
        return self.codes.setdefault(name, len(self.codes))

    def __iter__(self) -> Any:
        return iter(self.codes)


class RecordBuilder:
    """Takes records one at a time, in log order, and gives the whole log at the end."""

    def __init__(self) -> None:
        self._rows: list[tuple[Any, ...]] = []
        self.sessions = Sessions()
        self._session_codes: dict[str, int] = {}
        self._first_clock: list[float] = []
        self._stops, self._causes = Names(), Names()
        self._unknown_words: dict[str, int] = {}
        self._debug_only: set[str] = set()
        self.files: list[str] = []
        self.refused: list[Refused] = []

    def add(self, record: Mapping[str, Any], place: Place, likeness: int) -> None:
        """Add a record, fields by our names; one that cannot be read is refused with its reason."""
        try:
            fields = checked(record)
            session = self._session(fields)
            time = self._relative(session, fields)
        except UnreadableError as error:
            self.refuse(place, str(error), record)
            return
        self._append(session, time, fields, place, likeness)

    def refuse(self, place: Place, reason: str, record: Mapping[str, Any] | None = None) -> None:
        """Note a record that cannot be read."""
        session = record.get("session") if record else None
        name = str(session) if type(session) in (str, int) and session != "" else None
        if name is not None and record and is_true(_text(record.get("debug"))):
            self._debug_only.add(name)
        self.refused.append(Refused(place, reason, name))

    def _session(self, fields: Fields) -> int:
        code = self._session_codes.get(fields.session)
        if code is None:
            code = self._session_codes[fields.session] = len(self._session_codes)
            self._first_clock.append(fields.clock)
            sessions = self.sessions
            sessions.name.append(fields.session)
            sessions.player.append(None)
            sessions.build.append(None)
            sessions.epoch.append(fields.stamp)
            sessions.debug.append(False)
            sessions.tags.append({})
        return code

    def _relative(self, session: int, fields: Fields) -> float:
        epoch = self.sessions.epoch[session]
        if (epoch is None) != (fields.stamp is None):
            raise UnreadableError("time is of another kind than the session's first")
        if epoch is not None and fields.stamp is not None:
            return (fields.stamp - epoch) / NANO
        time = fields.clock - self._first_clock[session]
        if not isfinite(time):
            raise UnreadableError("time is too far from the session's first")
        return time

    def _append(self, session: int, time: float, fields: Fields, place: Place, likeness: int) -> None:
        self._note_session(session, fields)
        event = EVENT_CODES.get(fields.event, UNKNOWN_EVENT)
        if event == UNKNOWN_EVENT:
            self._unknown_words[fields.event] = self._unknown_words.get(fields.event, 0) + 1
        text, number = fields.text.get, fields.numbers.get
        second, whole = fields.second()
        identity = text("id")
        self._rows.append((
            session, event, self._stops.code(text("level")), self._stops.code(text("to")),
            self._causes.code(text("cause")), place.file, place.line, _BAD_FIELD if fields.bad else 0,
            fields.seq or 0, 0 if identity is None else (hash(identity) or 1), likeness,
            time, second, number("progress", nan), number("x", nan), number("y", nan),
            number("collected", nan), number("available", nan),
            whole, text("actor", "player") != "player", fields.seq is not None,
        ))  # fmt: skip

    def _note_session(self, session: int, fields: Fields) -> None:
        sessions, text = self.sessions, fields.text
        if sessions.player[session] is None and "player" in text:
            sessions.player[session] = text["player"]
        if sessions.build[session] is None and "build" in text:
            sessions.build[session] = text["build"]
        if fields.tags:
            tags = sessions.tags[session]
            for name, value in fields.tags.items():
                tags.setdefault(name, value)
            if is_true(fields.tags.get("debug")):
                sessions.debug[session] = True

    def log(self) -> Log:
        """The log of all the records added."""
        rows = np.array(self._rows, dtype=_ROW)
        columns = {name: np.ascontiguousarray(rows[name]) for name in _ROW.names or ()}
        for name in self._debug_only:
            self._mark_debug(name)
        return Log(
            Records(**columns), self.sessions, list(self._stops), list(self._causes),
            self._unknown_words, self.files, self.refused,
        )  # fmt: skip

    def _mark_debug(self, name: str) -> None:
        code = self._session_codes.get(name)
        if code is not None:
            self.sessions.debug[code] = True


def _text(value: Any) -> str | None:
    return None if value is None else str(value)


def likeness(record: Mapping[str, Any]) -> int:
    """A number equal for records that are equal in every field as logged, whatever the order of the fields.

    An absent, a null and an empty field are the same; so are 1 and 1.0.
    """
    parts = [
        (name, int(value) if type(value) is float and value.is_integer() else value)
        for name, value in record.items()
        if value is not None and value != ""
    ]
    parts.sort(key=lambda part: part[0])
    return hash(repr(parts))
