"""The name and the folder of the file that a record comes from, as columns of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from milepost.logs.interface import Sink
from milepost.logs.sources.files import PACKED_SUFFIXES, Source

if TYPE_CHECKING:
    from milepost.logs.mapping.logmap import LogMap


def source_columns(source: Source) -> dict[str, str]:
    """The columns: the file's name without its endings, and its folder's name."""
    path = Path(source.name or "log") if source.path is None or source.name else source.path
    name = path.name
    for ending in PACKED_SUFFIXES:
        name = name.removesuffix(ending)
    return {"source.name": name.rpartition(".")[0] or name, "source.folder": path.resolve().parent.name}


@dataclass
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


def named_source(sink: Sink, source: Source, log_map: LogMap) -> Sink:
    """The sink that a file's records go to: with the columns of the file, where the map speaks of these."""
    return _NamedSource(sink, source_columns(source)) if log_map.names_sources else sink
