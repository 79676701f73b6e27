"""Builds a log's columns record by record: codes for names, times relative to the session's first one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from math import nan
from typing import Any

import numpy as np
from numpy.typing import NDArray

from milepost.logs.fields import Fields, UnreadableError, checked, is_true
from milepost.logs.gathering import Block, TextColumn
from milepost.logs.interface import ABSENT, Ints, Log, Place, Records, Refused, Sessions, refused_in_all
from milepost.logs.likeness import signed, text_number
from milepost.logs.logmap import LogMap
from milepost.logs.timestamps import NANO
from milepost.logs.translation import Translator
from milepost.numerics.whole_numbers import first_places
from milepost.vocabulary import BIT, EVENT_CODES, NUMBER_FIELDS

_BAD_FIELD = BIT["bad_field"]
_FAR = 1e300  # seconds; times are kept so far from the session's first at most that differences stay finite
_ROW = np.dtype(
    [(name, np.int64) for name in ("session", "event", "level", "to", "cause", "layout", "rating", "file", "line", "marks", "seq",
                                   "identity", "likeness")]
    + [(name, np.float64) for name in ("time", "second", "progress", "x", "y", "collected", "available")]
    + [(name, np.bool_) for name in ("whole", "foreign", "has_seq")]
)  # fmt: skip
RECORD_COLUMNS = {name: _ROW[name] for name in _ROW.names or ()}  # every column of the records, with its type
_SINGLY = 1000  # refused records that are kept one by one
_ZERO = ("marks", "identity", "foreign")  # columns of a block that are mostly nothing


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
        self._parts: list[dict[str, Any]] = []  # columns, part by part
        self.sessions = Sessions()
        self._session_codes: dict[str, int] = {}
        self.first_clock: list[float] = []
        self._stops, self._causes, self._layouts, self._ratings = Names(), Names(), Names(), Names()
        self._unknown_words = Names()
        self.debug_only: set[str] = set()
        self.files: list[str] = []
        self.refused: list[Refused] = []
        self._refusals = 0
        self._refused_of: dict[str | None, int] = {}  # where those of a session stand together
        self._translator: Translator | None = None
        self.lies_in: list[int] = []  # per session, the part of a store in which its records lie; ABSENT where in none

    def translated_by(self, log_map: LogMap) -> Translator | None:
        """What translates records on their way here, the same for all files; None where the map has nothing to translate."""
        if self._translator is None and log_map.active:
            self._translator = Translator(log_map)
        return self._translator

    def require_mapped(self) -> None:
        """Refuse a log map that names what no record had.

        Raises:
            MapError: it does.
        """
        if self._translator is not None:
            self._translator.use.require(self._translator.map)

    def add(self, record: Mapping[str, Any], place: Place, likeness: int) -> None:
        """Add a record, fields by our names; one that cannot be read is refused with its reason."""
        try:
            fields = checked(record)
            session = self._session(fields.session, fields.clock, fields.stamp)
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
            self.debug_only.add(name)
        self._refuse(Refused(place, reason, name))

    @property
    def refusals(self) -> int:
        """How many records were refused."""
        return self._refusals

    def _refuse(self, refused: Refused) -> None:
        """Keep the first ones, and of the others how many each session has, so that little that unpacks to much stays little."""
        self._refusals += 1
        if len(self.refused) < _SINGLY:
            self.refused.append(refused)
            return
        at = self._refused_of.setdefault(refused.session, len(self.refused))
        if at == len(self.refused):
            self.refused.append(refused)
        else:
            self.refused[at] = self.refused[at]._replace(times=self.refused[at].times + 1)

    def _session(self, name: str, clock: float, stamp: int | None) -> int:
        code = self._session_codes.get(name)
        if code is None:
            code = self._session_codes[name] = len(self._session_codes)
            self.first_clock.append(clock)
            sessions = self.sessions
            sessions.name.append(name)
            sessions.player.append(None)
            sessions.build.append(None)
            sessions.epoch.append(stamp)
            sessions.debug.append(False)
            sessions.tags.append({})
        return code

    def _relative(self, session: int, fields: Fields) -> float:
        epoch = self.sessions.epoch[session]
        if (epoch is None) != (fields.stamp is None):
            raise UnreadableError("time is of another kind than the session's first")
        if epoch is not None and fields.stamp is not None:
            return (fields.stamp - epoch) / NANO
        return min(max(fields.clock - self.first_clock[session], -_FAR), _FAR)

    def _append(self, session: int, time: float, fields: Fields, place: Place, likeness: int) -> None:
        self._note_session(session, fields)
        event = self._event(fields.event)
        text, number = fields.text.get, fields.numbers.get
        second, whole = fields.second()
        identity = text("id")
        self._rows.append((
            session, event, self._stops.code(text("level")), self._stops.code(text("to")),
            self._causes.code(text("cause")), self._layouts.code(layout_of(fields.tags)),
            self._ratings.code(fields.tags.get("rating")), place.file, place.line, _BAD_FIELD if fields.bad else 0,
            fields.seq or 0, 0 if identity is None else identity_of(identity), likeness,
            time, second, number("progress", nan), number("x", nan), number("y", nan),
            number("collected", nan), number("available", nan),
            whole, text("actor", "player") != "player", fields.seq is not None,
        ))  # fmt: skip

    def _note_session(self, session: int, fields: Fields) -> None:
        for name, value in (("player", fields.text.get("player")), ("build", fields.text.get("build"))):
            if value is not None:
                self._note_first(session, name, value)
        for name, value in fields.tags.items():
            self._note_tag(session, name, value)

    def _note_first(self, session: int, field: str, value: str) -> None:
        column = getattr(self.sessions, field)
        if column[session] is None:
            column[session] = value

    def _note_tag(self, session: int, name: str, value: str) -> None:
        self.sessions.tags[session].setdefault(name, value)
        if name == "debug" and is_true(value):
            self.sessions.debug[session] = True

    def add_block(self, block: Block, file: int, before: int = 0) -> bool:
        """Add the columns of a file, or of what comes after so many lines of it.

        False, with nothing added, where a session's times are of another kind.
        """
        names = block.text["session"]
        first = _first_rows(names.codes, len(names.values))
        stamps = [None if not block.stamped else 1000 * int(block.time[row]) for row in first]
        for name, stamp in zip(names.values, stamps, strict=True):
            code = self._session_codes.get(name)
            if code is not None and (self.sessions.epoch[code] is None) != (stamp is None):
                return False
        self._flush()
        by_name = np.empty(len(first), np.int64)
        for number in np.argsort(first):
            clock = 0.0 if block.stamped else float(block.time[first[number]])
            by_name[number] = self._session(names.values[number], clock, stamps[number])
        session = by_name[names.codes]
        for field in ("player", "build"):
            for code, value in _first_values(session, block.text.get(field)):
                self._note_first(code, field, value)
        for name, column in block.tags.items():
            for code, value in _first_values(session, column):
                self._note_tag(code, name, value)
        self._parts.append(self._rows_of(block, session, file, before))
        return True

    def _rows_of(self, block: Block, session: Ints, file: int, before: int) -> dict[str, Any]:
        rows: dict[str, Any] = {name: np.zeros(block.rows, _ROW[name]) for name in _ZERO}
        rows["session"], rows["file"] = session, np.full(block.rows, file, np.int64)
        rows["line"] = np.arange(before + 1, before + block.rows + 1)
        words = block.text["event"]
        rows["event"] = np.array([self._event(word) for word in words.values], dtype=np.int64)[words.codes]
        for name, names in (("level", self._stops), ("to", self._stops), ("cause", self._causes)):
            rows[name] = _coded(block.text.get(name), names, block.rows)
        rows["rating"] = _coded(block.tags.get("rating"), self._ratings, block.rows)
        rows["layout"] = _coded(block.tags.get("seed"), self._layouts, block.rows)
        if (layouts := block.tags.get("layout")) is not None:
            rows["layout"] = np.where(layouts.codes == ABSENT, rows["layout"], _coded(layouts, self._layouts, block.rows))
        seq = np.full(block.rows, nan) if block.seq is None else block.seq
        rows["has_seq"] = ~np.isnan(seq)
        rows["seq"] = np.where(rows["has_seq"], seq, 0).astype(np.int64)
        rows["likeness"] = block.likeness
        if (ids := block.text.get("id")) is not None:
            rows["identity"] = np.array([identity_of(value) for value in ids.values] + [0], dtype=np.int64)[ids.codes]
        if (actors := block.text.get("actor")) is not None:
            rows["foreign"] = np.array([value != "player" for value in actors.values] + [False])[actors.codes]
        for name in NUMBER_FIELDS:
            rows[name] = block.numbers[name] if name in block.numbers else np.full(block.rows, nan)
        if block.stamped:
            epoch = np.array([stamp or 0 for stamp in self.sessions.epoch], dtype=np.int64)[session]
            rows["time"] = (block.time * 1000 - epoch) / NANO
            rows["second"] = (block.time // 1_000_000).astype(np.float64)
            rows["whole"] = block.time % 1_000_000 == 0
        else:
            rows["time"] = np.clip(block.time - np.array(self.first_clock)[session], -_FAR, _FAR)
            rows["second"] = np.floor(block.time)
            rows["whole"] = rows["second"] == block.time
        return rows

    def _event(self, word: str) -> int:
        code = EVENT_CODES.get(word)
        return -1 - self._unknown_words.code(word) if code is None else code

    def log(self) -> Log:
        """The log of all the records added."""
        columns = self.columns()
        for name in self.debug_only:
            self._mark_debug(name)
        return Log(
            Records(**columns), replace(self.sessions), list(self._stops), list(self._causes), list(self._layouts),
            list(self._ratings), list(self._unknown_words), self.files, self.refused,
            None if self._translator is None else self._translator.use.document(self._translator.map),
        )  # fmt: skip

    def columns(self) -> dict[str, Any]:
        """The columns built so far; those of parts are let go one after the other, so that memory holds them once."""
        self._flush()
        if not self._parts:
            return {name: np.empty(0, _ROW[name]) for name in _ROW.names or ()}
        if len(self._parts) > 1:
            whole = {name: np.concatenate([part.pop(name) for part in self._parts]) for name in _ROW.names or ()}
            self._parts = [whole]
        return dict(self._parts[0])

    def __len__(self) -> int:
        """How many records there are by now."""
        return len(self._rows) + sum(len(part["session"]) for part in self._parts)

    def names(self) -> dict[str, Names]:
        """The names behind the codes, by what they name."""
        return {
            "stop": self._stops, "cause": self._causes, "layout": self._layouts, "rating": self._ratings,
            "word": self._unknown_words,
        }  # fmt: skip

    def restore(
        self, sessions: Sessions, first_clock: list[float], names: Mapping[str, list[str]], columns: Mapping[str, Any] | None,
        refused: list[Refused], debug_only: list[str],
    ) -> None:  # fmt: skip
        """Put into an empty builder what another one had gathered.

        Args:
            sessions: its sessions.
            first_clock: per session, the time of its first record as logged.
            names: its names in order, by what they name.
            columns: its columns, with the record's number in ``row``; None for a builder that only goes on from there.
            refused: the records that it refused.
            debug_only: sessions that only a refused record says are debug.
        """
        self.sessions, self.first_clock = sessions, first_clock
        self._session_codes = {name: code for code, name in enumerate(sessions.name)}
        for kind, own in self.names().items():
            own.codes = {name: code for code, name in enumerate(names.get(kind, []))}
        self.refused, self.debug_only = refused, set(debug_only)
        self._refusals = refused_in_all(refused)
        self._refused_of = {one.session: place for place, one in enumerate(refused) if place >= _SINGLY}
        if columns is not None:
            order = np.argsort(columns["row"])
            self._parts = [{name: np.ascontiguousarray(columns[name][order], _ROW[name]) for name in _ROW.names or ()}]

    def clear_rows(self) -> None:
        """Forget the columns built so far, for one who only wants the records checked, or has laid them down."""
        self._rows.clear()
        self._parts.clear()

    def _flush(self) -> None:
        if self._rows:
            rows = np.array(self._rows, dtype=_ROW)
            self._parts.append({name: np.ascontiguousarray(rows[name]) for name in _ROW.names or ()})
            self._rows = []

    def _mark_debug(self, name: str) -> None:
        code = self._session_codes.get(name)
        if code is not None:
            self.sessions.debug[code] = True


def _text(value: Any) -> str | None:
    return None if value is None else str(value)


def identity_of(text: str) -> int:
    """A number for an `id`; never 0, which stands for none."""
    return signed(text_number(text)) or 1


def _first_rows(codes: NDArray[Any], count: int) -> Ints:
    """Per code, the first row that has it."""
    first = np.zeros(count, np.int64)
    first[codes[::-1]] = np.arange(len(codes) - 1, -1, -1)
    return first


def _coded(column: TextColumn | None, names: Names, rows: int) -> Ints:
    if column is None:
        return np.full(rows, ABSENT)
    return np.array([names.code(value) for value in column.values] + [ABSENT], dtype=np.int64)[column.codes]


def _first_values(session: Ints, column: TextColumn | None) -> Iterator[tuple[int, str]]:
    """Each distinct value of each session, in the order in which they first appear."""
    if column is None:
        return
    given = np.flatnonzero(column.codes != ABSENT)
    _, index = first_places(session[given] * max(1, len(column.values)) + column.codes[given])
    for row in given[np.sort(index)].tolist():
        yield int(session[row]), column.values[column.codes[row]]


def layout_of(tags: Mapping[str, str]) -> str | None:
    """Which layout of its level a record is about: the tag `layout`, or else `seed`."""
    return tags.get("layout", tags.get("seed"))
