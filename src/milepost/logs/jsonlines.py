"""JSON Lines, line by line: keeps what is good and names each bad line."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import BinaryIO

from milepost.errors import LogError
from milepost.logs.builder import RecordBuilder
from milepost.logs.interface import Place
from milepost.logs.likeness import likeness
from milepost.logs.logmap import LogMap
from milepost.logs.sources import Source
from milepost.progress import Progress

MAX_LINE = 1 << 20  # bytes; no record of a game is longer, and memory stays bounded
_BOM = b"\xef\xbb\xbf"
_STEP = 5000


def read_lines(source: Source, file: int, builder: RecordBuilder, log_map: LogMap, progress: Progress) -> None:
    """Add the records of one file to the builder.

    Raises:
        LogError: the file cannot be opened, or breaks off inside its packing.
    """
    number = 0
    with source.open() as stream:
        try:
            for number, line in enumerate(_lines(stream), 1):
                _add_line(line, Place(file, number), builder, log_map)
                if number % _STEP == 0:
                    progress.advance(_STEP)
        except (OSError, EOFError) as error:
            raise LogError(f"{source.label}:{number + 1}: cannot be read on from here ({error}). Is the file whole?") from error  # noqa: E501
        except Exception as error:
            if type(error).__module__.partition(".")[0] not in ("zlib", "zstandard", "zstd"):
                raise
            raise LogError(f"{source.label}:{number + 1}: cannot be unpacked from here ({error}). Is the file whole?") from error  # noqa: E501
    progress.advance(number % _STEP)


def _lines(stream: BinaryIO) -> Iterator[bytes | None]:
    """The lines of the file; None for one that is too long to be a record."""
    first = True
    while line := stream.readline(MAX_LINE + 1):
        if first:
            line, first = line.removeprefix(_BOM), False
        if len(line) > MAX_LINE and not line.endswith(b"\n"):
            while (rest := stream.readline(MAX_LINE)) and not rest.endswith(b"\n"):
                pass
            yield None
        else:
            yield line


def _add_line(line: bytes | None, place: Place, builder: RecordBuilder, log_map: LogMap) -> None:
    if line is None:
        builder.refuse(place, f"line longer than {MAX_LINE:,} bytes")
        return
    if not line.strip():
        return
    try:
        record = json.loads(line.decode("utf-8"))
    except UnicodeDecodeError:
        builder.refuse(place, "not UTF-8")
        return
    except (ValueError, RecursionError):
        builder.refuse(place, "not JSON")
        return
    if not isinstance(record, dict):
        builder.refuse(place, "not a JSON object")
        return
    alike = likeness(record)
    builder.add(log_map.translated(record) if log_map.active else record, place, alike)
