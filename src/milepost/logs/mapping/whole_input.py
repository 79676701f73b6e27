"""Log maps that look at all files as one log: records wait until the last file is read."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from milepost.logs.interface import Sink
from milepost.logs.mapping.logmap import LogMap
from milepost.logs.mapping.shapes import Exploding, Selecting, Stage
from milepost.logs.sources.files import PACKED_SUFFIXES, Source

Waiting = tuple[int, Mapping[str, object] | str]  # a line, and its record, or why it holds none


def needs_all_files(log_map: LogMap) -> bool:
    """Return whether a map says something that only all files together can answer: a query, or where a player's sessions part."""
    across = log_map.rows.each == "attempt" and log_map.names_sources  # tries of one session lie in several files
    return log_map.select is not None or log_map.session_gap is not None or across


@dataclass
class FileRecords(Stage):
    """The records of one file as they were logged, until they are asked for."""

    file: int
    waiting: list[Waiting] = field(default_factory=list)
    label: str = ""

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Keep a record."""
        self.waiting.append((line, record))

    def refuse(self, line: int, reason: str) -> None:
        """Keep why something is no record."""
        self.waiting.append((line, reason))

    def finish(self) -> None:
        """Nothing is left."""

    def records(self) -> list[Mapping[str, object]]:
        """The records that wait."""
        return [record for _, record in self.waiting if not isinstance(record, str)]

    def give(self, sink: Stage) -> None:
        """Give all to a sink, which then knows that nothing more comes; they wait no longer."""
        self.hand_on(sink)
        sink.finish()

    def hand_on(self, sink: Stage) -> None:
        """Give all to a sink, to which others may come; they wait no longer."""
        for line, record in self.waiting:
            if isinstance(record, str):
                sink.refuse(line, record)
            else:
                sink.add(record, line)
        self.waiting.clear()


def select_records(files: list[FileRecords], log_map: LogMap, number: Callable[[], int]) -> list[FileRecords]:
    """Return the records that the map's query selects from all files, in the order given; without a query, the files.

    Args:
        files: their records, which are used up.
        log_map: the map.
        number: gives the number of a file to name the selected rows by, where there are several files.

    Raises:
        MapError: the query cannot be run.
    """
    if log_map.select is None:
        return files
    rows = FileRecords(files[0].file if len(files) == 1 else number())
    stage = Selecting(rows, log_map.select, str(log_map.path), log_map.query_seconds)
    stage.tables = {name: part.records() for part in files if (name := table_name(part.label))} if len(files) > 1 else {}
    refused = [FileRecords(part.file, [(line, why) for line, why in part.waiting if isinstance(why, str)]) for part in files]
    for part in files:
        part.waiting = [pair for pair in part.waiting if not isinstance(pair[1], str)]
        part.hand_on(stage)
    stage.finish()
    return [*(part for part in refused if part.waiting), rows]


def table_name(label: str) -> str:
    """What a query calls the records of one file: the file's name without its ending, or the table's in a database."""
    name = re.split(r"[\\/]", label)[-1]
    return name.rpartition("::")[2] if "::" in name else name.partition(".")[0]


def explode_records(files: list[FileRecords], log_map: LogMap) -> list[FileRecords]:
    """The elements of the map's arrays in place of the records that hold them."""
    if not log_map.explode:
        return files
    parts = []
    for source in files:
        inner = FileRecords(source.file)
        source.give(Exploding(inner, log_map.explode, str(log_map.path)))
        parts.append(inner)
    return parts


class SessionStarts:
    """The beginnings of each player's sessions, in a log without sessions: after a gap between two records in time order."""

    def __init__(self, gap: float) -> None:
        self._gap = gap
        self._moments: dict[str, list[float]] = {}
        self._starts: dict[str, list[float]] = {}
        self.settled = False

    def note(self, player: str, moment: float) -> None:
        """Note when a player has a record."""
        self._moments.setdefault(player, []).append(moment)

    def settle(self) -> None:
        """Find where sessions begin, of all that was noted."""
        for player, moments in self._moments.items():
            moments.sort()
            later = [after for before, after in zip(moments, moments[1:], strict=False) if after - before > self._gap]
            self._starts[player] = [moments[0], *later]
        self._moments.clear()
        self.settled = True

    def number(self, player: str, moment: float) -> int:
        """The number of the player's session at a time, from 1."""
        return max(1, bisect_right(self._starts.get(player, []), moment))


def source_columns(source: Source) -> dict[str, str]:
    """The columns: the file's name without its endings, and its folder's name."""
    path = Path(source.name or "log") if source.path is None or source.name else source.path
    name = path.name
    for ending in PACKED_SUFFIXES:
        name = name.removesuffix(ending)
    return {"source.name": name.rpartition(".")[0] or name, "source.folder": path.resolve().parent.name}


@dataclass(eq=False, repr=False)
class _NamedSource:
    """A sink that gives each record on with the columns of its file."""

    sink: Sink
    columns: dict[str, str]

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Give a record on."""
        self.sink.add({**record, **self.columns}, line)

    def refuse(self, line: int, reason: str) -> None:
        """Pass on that something is no record."""
        self.sink.refuse(line, reason)


def name_source(sink: Sink, source: Source, log_map: LogMap) -> Sink:
    """The sink that a file's records go to: with the columns of the file, where the map speaks of these."""
    return _NamedSource(sink, source_columns(source)) if log_map.names_sources else sink
