"""Follows logs while they grow: only what is new is read, and a last line that is half written waits."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

from milepost.errors import LogError
from milepost.logs.builder import RecordBuilder
from milepost.logs.jsonlines import add_line
from milepost.logs.logmap import LogMap
from milepost.logs.sink import RecordSink
from milepost.logs.translation import Translator
from milepost.naming import natural_key

SUFFIXES = (".jsonl", ".ndjson")
_AT_ONCE = 64 << 20  # bytes
_BOM = b"\xef\xbb\xbf"


@dataclass
class Tail:
    """The logs of a folder as far as they were read.

    Attributes:
        folder: where the logs grow.
        log_map: how to read them.
        builder: what was read.
        read: per file, how many bytes and lines of it were read.
    """

    folder: Path
    log_map: LogMap
    builder: RecordBuilder = field(default_factory=RecordBuilder)
    read: dict[str, dict[str, int]] = field(default_factory=dict)
    settled: bool = True  # whether `read` and what was built agree: not in the middle of reading

    def advance(self) -> int:
        """Read whatever whole lines have come; how many.

        Raises:
            LogError: there is no folder, a file cannot be read, or one has become shorter.
        """
        if not self.folder.is_dir():
            raise LogError(f"{self.folder}: no such folder. Name the folder in which the logs are written.")
        self.settled = False
        came = sum(self._advance(path) for path in self._files())
        self.settled = True
        return came

    def _files(self) -> list[Path]:
        found = [path for path in self.folder.rglob("*") if path.suffix.lower() in SUFFIXES and path.is_file()]
        return sorted((path for path in found if not path.name.startswith(".")), key=lambda path: natural_key(str(path)))

    def _advance(self, path: Path) -> int:
        label = str(path)
        place = self.read.get(label, {"bytes": 0, "lines": 0})
        try:
            size = path.stat().st_size
            if size < place["bytes"]:
                raise LogError(f"{label}: has become shorter than what was read of it. If it is another file, begin anew.")
            if size == place["bytes"]:
                return 0
            with path.open("rb") as stream:
                return self._read(label, stream, place)
        except OSError as error:
            raise LogError(f"{label}: cannot be read ({error.strerror or error}).") from error

    def _read(self, label: str, stream: BinaryIO, place: dict[str, int]) -> int:
        if label not in self.builder.files:
            self.builder.files.append(label)
        translator = Translator(self.log_map) if self.log_map.active else None
        sink = RecordSink(self.builder, self.builder.files.index(label), translator, cells=False)
        stream.seek(place["bytes"])
        before = place["lines"]
        while whole := _whole_lines(stream.read(_AT_ONCE)):
            for line in _lines(whole):
                place["lines"] += 1
                add_line(line.removeprefix(_BOM) if place["lines"] == 1 else line, place["lines"], sink)
            place["bytes"] += len(whole)
            stream.seek(place["bytes"])
        self.read[label] = place
        return place["lines"] - before


def _whole_lines(data: bytes) -> bytes:
    """The data up to its last line's end."""
    return data[: data.rfind(b"\n") + 1]


def _lines(data: bytes) -> list[bytes]:
    """Lines that end in a line feed, whatever else is in them."""
    return [line + b"\n" for line in data.split(b"\n")[:-1]]
