"""Lines of a JSON Lines file in which the fast reader found no record, and what the tolerant reader says of each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from milepost.arrays import Ints
from milepost.logs.columnar.block import require
from milepost.logs.columnar.column_builders import NOTHING
from milepost.logs.formats.jsonlines import MAX_LINE, add_line
from milepost.logs.interface import Refused
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.sink import RecordSink
from milepost.logs.sources.files import Source

_MOST_BYTES: Final = 1 << 50


@dataclass(frozen=True)
class UnreadLines:
    """Lines by their numbers, from 1."""

    lines: dict[int, bytes]

    @classmethod
    def of(cls, source: Source, numbers: Ints) -> UnreadLines:
        """Return the lines not read of a file.

        Raises:
            LogError: it cannot be read.
        """
        if not len(numbers):
            return cls({})
        wanted = set(numbers.tolist())
        with source.open(_MOST_BYTES) as stream:
            return cls({number: line for number, line in enumerate(stream, 1) if number in wanted})

    @property
    def colons(self) -> int:
        """How many colons are in them."""
        return sum(line.count(b":") for line in self.lines.values())

    @property
    def nulls(self) -> int:
        """How often what looks like a field of nothing is in them."""
        return sum(line.count(mark.encode()) for line in self.lines.values() for mark in NOTHING)

    def refused(self, log_map: LogMap) -> tuple[list[Refused], set[str]]:
        """Why each is no record, in their order, as of a first file; and the sessions that only these say are debug.

        Raises:
            NotStrictError: one of them can be read, and its record would have its place among the others; or the map may say more
                of it.
        """
        trial = RecordBuilder()
        translator = trial.translated_by(log_map)
        sink = RecordSink(trial, 0, translator, cells=False)
        for number, line in self.lines.items():
            add_line(line if len(line) <= MAX_LINE else None, number, sink)
            require(not len(trial))
        require(translator is None or not translator.use.records)
        return trial.refusals.kept, trial.known.debug_only
