"""Builds a log's columns record by record, or file by file: codes for names, times relative to the session's first one."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from math import nan
from typing import Any, Final

import numpy as np

from milepost.arrays import Column
from milepost.logs.columnar.block import Block, identity_of, rows_of, sessions_of
from milepost.logs.interface import ABSENT, TAG, Log, Place, Records, Refused
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.mapping.whole_input import FileRecords, SessionStarts
from milepost.logs.records.fields import Fields, UnreadableError, check_record, is_true
from milepost.logs.records.name_tables import KnownNames, KnownSessions, KnownTags, Refusals, session_named
from milepost.logs.records.translation import Translator
from milepost.vocabulary import ACTED, BIT

_BAD_FIELD = BIT["bad_field"]
_ROW = np.dtype(
    [
        (name, np.int64)
        for name in (
            "session",
            "event",
            "level",
            "to",
            "cause",
            "layout",
            "rating",
            "file",
            "line",
            "marks",
            "seq",
            "identity",
            "likeness",
        )
    ]
    + [(name, np.float64) for name in ("time", "second", "progress", "x", "y", "collected", "available")]
    + [(name, np.bool_) for name in ("whole", "foreign", "has_seq", "named")]
)
RECORD_COLUMNS = {name: _ROW[name] for name in _ROW.names or ()}  # every column of the records, with its type


AT_ONCE: Final = 1 << 17  # records that are kept one by one before they become columns, which take less memory


def records_with(columns: Mapping[str, Column], rows: int) -> Records:
    """So many records of which only some columns are needed; the others hold zeros."""
    zeros = {name: np.broadcast_to(kind.type(0), rows) for name, kind in RECORD_COLUMNS.items() if name not in columns}
    return Records.of(zeros | dict(columns))


def _go_on() -> None:
    """Nobody takes anything away."""


class RecordBuilder:
    """Takes records in log order, one at a time or as whole columns, and gives the whole log at the end.

    Attributes:
        known: the sessions so far.
        names: the names so far.
        tags: the tags so far.
        refusals: the records that could not be read.
        files: the files that were read.
        translator: what translates records on their way here; None where no map has had anything to translate.
        waiting: the records of files that a map looks at together.
        when_full: called whenever many records have become columns, for one who takes these away.
        keeps_records: whether whole columns will do, so that large files may be read at full speed.
    """

    keeps_records = True

    def __init__(self) -> None:
        self._rows: list[tuple[object, ...]] = []
        self._parts: list[dict[str, Column]] = []  # columns, part by part
        self.translator: Translator | None = None
        self.waiting: list[tuple[FileRecords, bool]] = []  # records that wait for the last file, and whether they know no types
        self.when_full: Callable[[], None] = _go_on
        self.known, self.names, self.tags, self.refusals = KnownSessions(), KnownNames(), KnownTags(), Refusals()
        self.files: list[str] = []

    def translated_by(self, log_map: LogMap) -> Translator | None:
        """Return the translator of records, one for all files; None if the map has nothing to translate."""
        if self.translator is None and log_map.active:
            gap = log_map.session_gap
            self.translator = Translator(log_map, None if gap is None else SessionStarts(gap))
        return self.translator

    def add(self, record: Mapping[str, Any], place: Place, likeness: int, marks: int = 0) -> None:
        """Add a record, fields by our names and with some marks; one that cannot be read is refused with its reason."""
        try:
            fields = check_record(record)
            session = self.known.code(fields.session, fields.clock, fields.stamp)
            time = self.known.relative(session, fields)
        except UnreadableError as error:
            self.refuse(place, str(error), record)
            return
        self.known.note(session, fields)
        marks |= self.known.other_player(session, fields.text.get("player"))
        if fields.tags:
            self.tags.note(len(self._rows), fields.tags)
        self._rows.append(_row(self.names, fields, (session, time), place, (likeness, marks)))
        if len(self._rows) >= AT_ONCE:
            self._flush()
            self.when_full()

    def refuse(self, place: Place, reason: str, record: Mapping[str, object] | None = None) -> None:
        """Note a record that cannot be read."""
        name = session_named(record) if record else None
        if name is not None and record and is_true(_text(record.get("debug"))):
            self.known.debug_only.add(name)
        self.refusals.add(Refused(place, reason, name))

    def add_block(self, block: Block, file: int, before: int = 0) -> bool:
        """Add the columns of a file, or of what comes after so many lines of it, and what was refused there.

        False, with nothing added, where a session's times are of another kind.
        """
        session = sessions_of(block, self.known)
        if session is None:
            return False
        self._flush()
        for refusal in block.refused:
            self.refusals.add(refusal._replace(place=Place(file, before + refusal.place.line)))
        self.known.debug_only |= block.debug_only
        if block.use is not None and self.translator is not None:
            self.translator.use.add(block.use)
        lines = np.arange(1, block.rows + 1) if block.lines is None else block.lines
        places = {"file": np.full(block.rows, file, np.int64), "line": before + lines}
        self._parts.append(rows_of(block, session, self.known, self.names) | self.tags.of_block(block.tags) | places)
        return True

    def log(self) -> Log:
        """The log of all the records added."""
        columns, names = self.columns(), self.names
        self.known.mark_debug()
        return Log(
            replace(self.known.sessions),
            list(names.stop),
            list(names.cause),
            list(names.layout),
            list(names.rating),
            self.tags.values(),
            frozenset(self.tags.not_kept),
            list(names.word),
            self.files,
            self.refusals.kept,
            None if self.translator is None else self.translator.use.document(self.translator.map),
            records=Records.of(columns),
        )

    def columns(self) -> dict[str, Column]:
        """The columns built so far; those of parts are freed one after the other, so that memory holds them once."""
        self._flush()
        if not self._parts:
            return {name: np.empty(0, kind) for name, kind in RECORD_COLUMNS.items()}
        names = [*RECORD_COLUMNS, *(TAG + name for name in self.tags.values())]
        if len(self._parts) > 1 or self._parts[0].keys() != set(names):
            parts = [(part, len(part["session"])) for part in self._parts]
            self._parts = [{name: np.concatenate([_take_column(part, name, rows) for part, rows in parts]) for name in names}]
        return dict(self._parts[0])

    def __len__(self) -> int:
        """How many records there are by now."""
        return len(self._rows) + sum(len(part["session"]) for part in self._parts)

    def restore_columns(self, columns: Mapping[str, Column]) -> None:
        """Put into an empty builder the columns of another one, with each record's number in ``row``."""
        order = np.argsort(columns["row"])
        standard = {name: np.ascontiguousarray(columns[name][order], kind) for name, kind in RECORD_COLUMNS.items()}
        self._parts = [standard | {name: column[order] for name, column in columns.items() if name.startswith(TAG)}]

    def clear_rows(self) -> None:
        """Forget the columns built so far, for one who only wants the records checked, or has laid them down."""
        self._rows.clear()
        self._parts.clear()
        self.tags.forget()

    def _flush(self) -> None:
        if self._rows:
            rows = np.array(self._rows, dtype=_ROW)
            self._parts.append({name: np.ascontiguousarray(rows[name]) for name in RECORD_COLUMNS} | self.tags.flushed(len(rows)))
            self._rows = []


def _row(names: KnownNames, fields: Fields, at: tuple[int, float], place: Place, beside: tuple[int, int]) -> tuple[object, ...]:
    """A record's values in the order of the columns; it lies in a session at a time, and has a likeness and marks beside it."""
    (session, time), (likeness, marks) = at, beside
    text, number, identity = fields.text.get, fields.numbers.get, fields.text.get("id")
    second, whole = fields.second()
    layout, rating = (layout_of(fields.tags), fields.tags.get("rating")) if fields.tags else (None, None)
    return (
        session,
        names.event(fields.event),
        names.stop.code(text("level")),
        names.stop.code(text("to")),
        names.cause.code(text("cause")),
        names.layout.code(layout),
        names.rating.code(rating),
        place.file,
        place.line,
        marks | (_BAD_FIELD if fields.bad else 0) | (ACTED if "actor" in fields.text else 0),
        fields.seq or 0,
        0 if identity is None else identity_of(identity),
        likeness,
        time,
        second,
        number("progress", nan),
        number("x", nan),
        number("y", nan),
        number("collected", nan),
        number("available", nan),
        whole,
        text("actor", "player") != "player",
        fields.seq is not None,
        "player" in fields.text,
    )


def _take_column(part: dict[str, Column], name: str, rows: int) -> Column:
    """A column of a part, which lets it go; a tag that no record of the part has is nowhere given."""
    return part.pop(name) if name in part else np.full(rows, ABSENT, np.int8)


def _text(value: object) -> str | None:
    return None if value is None else str(value)


def layout_of(tags: Mapping[str, str]) -> str | None:
    """Return the layout of its level that a record names: the tag `layout`, or else `seed`."""
    return tags.get("layout", tags.get("seed"))
