"""Steps from a logged record to one that is checked: unpacked, translated, typed; the same for every format."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache

import numpy as np

from milepost.arrays import Bools
from milepost.errors import LogError
from milepost.logs.formats.otlp import is_envelope, is_export, log_records, unpack_envelope
from milepost.logs.interface import Log, Place, Records, Sessions
from milepost.logs.mapping.logmap import IGNORE
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.fields import TOGETHER, convert_numbers
from milepost.logs.records.record_hash import hash_record
from milepost.logs.records.translation import Translator
from milepost.vocabulary import COPY


class RecordSink:
    """Takes the records of one file as logged and gives them to the builder by our names."""

    def __init__(self, builder: RecordBuilder, file: int, translator: Translator | None, cells: bool) -> None:
        self.builder, self.file, self.translator, self.cells = builder, file, translator, cells

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Take a record as logged."""
        if is_export(record):
            self._unpack(record, line)
            return
        alike = hash_record(record)
        if is_envelope(record):
            record = unpack_envelope(record)
        if self.translator is not None:
            record = self.translator.translated(record, self.cells)
            if record.get("event") == IGNORE:
                self.translator.use.ignored += 1
                return
        if self.cells:
            record = convert_numbers(dict(record))
        self.builder.add(record, Place(self.file, line), alike)

    def finish(self) -> None:
        """Nothing is left."""

    def _unpack(self, export: Mapping[str, object], line: int) -> None:
        for record in log_records(export):
            if isinstance(record, str):
                self.refuse(line, record)
            else:
                self.add(record, line)

    def refuse(self, line: int, reason: str) -> None:
        """Note that something there is no record."""
        self.builder.refuse(Place(self.file, line), reason)


def repeat_for_players(log: Log) -> Log:
    """The log with a session of several players once for each of them, with all of its records.

    The records of the further ones bear the mark of a copy, and are counted nowhere.
    """
    shared = [number for number, name in enumerate(log.sessions.player) if name is not None and TOGETHER in name]
    if not shared:
        return log
    sessions = Sessions(**{name: list(values) for name, values in vars(log.sessions).items()})
    tables = [log.records.columns()]
    for number in shared:
        first, *others = (sessions.player[number] or "").split(TOGETHER)
        sessions.player[number] = first
        rows = log.records.rows(log.records.session == number)
        rows["marks"] = rows["marks"] | COPY
        for name in others:
            tables.append(rows | {"session": np.full(len(rows["session"]), len(sessions.name))})
            for column, values in vars(sessions).items():
                values.append(name if column == "player" else values[number])
    columns = {name: np.concatenate([table[name] for table in tables]) for name in tables[0]}
    return replace(log, sessions=sessions, records=Records.of(columns))


@lru_cache(maxsize=1)
def copies_mask(sessions: Sessions) -> Bools:
    """Per session, whether it is there once more for another of its players."""
    if len(set(sessions.name)) == len(sessions.name):
        return np.zeros(len(sessions.name), np.bool_)
    first = {name: number for number, name in reversed(list(enumerate(sessions.name)))}
    return np.array([first[name] != number for number, name in enumerate(sessions.name)], dtype=np.bool_)


def require_one_player(sessions: Sessions, file: str) -> None:
    """Refuse sessions of several players, where a log is divided by its players.

    Raises:
        LogError: there is one.
    """
    shared = next((n for n, player in enumerate(sessions.player) if player is not None and TOGETHER in player), None)
    if shared is not None:
        raise LogError(
            f"{file}: the session {sessions.name[shared]!r} has several players, and logs with such sessions are not "
            "divided by player. Leave out --jobs, --memory, --cluster and pack; --memory 100GB has a large log read as a whole."
        )
