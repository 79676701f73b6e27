"""JSON Lines, line by line, and JSON arrays: keeps what is good and names each bad line or row."""

from __future__ import annotations

import io
import json
import re
from collections.abc import Iterator

from milepost.errors import LogError
from milepost.logs.formats.other_kinds import seems_to_be_no_log
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.sources.files import Source
from milepost.progress import Progress

MAX_LINE = 1 << 20  # bytes; no record of a game is longer, and memory stays bounded
MAX_ARRAY = 1 << 30  # bytes; an array has to be in memory as a whole
_BOM = b"\xef\xbb\xbf"
_STEP = 5000
_decode = json.JSONDecoder().raw_decode
_SPACE = re.compile(r"[ \t\n\r]*")


def read_lines(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the records of one file to the sink.

    Raises:
        LogError: the file cannot be opened, or breaks off inside its packing.
    """
    number = 0
    with source.open(options.max_bytes) as stream:
        for number, line in enumerate(lines(stream), 1):
            add_line(line, number, sink)
            if number % _STEP == 0:
                progress.advance(_STEP)
    progress.advance(number % _STEP)


def lines(stream: io.BufferedReader, first: bool = True) -> Iterator[bytes | None]:
    """The lines of a file, or from the beginning of a later one on; None for one that is too long to be a record."""
    while line := stream.readline(MAX_LINE + 1):
        if first:
            line, first = line.removeprefix(_BOM), False
        if len(line) > MAX_LINE and not line.endswith(b"\n"):
            while (rest := stream.readline(MAX_LINE)) and not rest.endswith(b"\n"):
                pass
            yield None
        else:
            yield line


def add_line(line: bytes | None, number: int, sink: Sink) -> None:
    """Give one line to the sink; None is a line that is too long."""
    if line is None:
        sink.refuse(number, f"line longer than {MAX_LINE:,} bytes")
        return
    if not line.strip():
        return
    try:
        record = _parsed(line.decode("utf-8"))
    except UnicodeDecodeError:
        sink.refuse(number, "not UTF-8")
    except (ValueError, RecursionError):
        sink.refuse(number, "not JSON")
    else:
        _add(record, number, sink)


def _parsed(text: str) -> object:
    """The value that a line is; an object with nothing around it, as most are, without a search for what is.

    Raises:
        ValueError, RecursionError: it is not JSON, or nested too deeply.
    """
    if text[:1] == "{":
        record, end = _decode(text)
        if text[end:] in ("\n", "", "\r\n"):
            return record
    return json.loads(text)


def _add(record: object, number: int, sink: Sink) -> None:
    if isinstance(record, dict):
        sink.add(record, number)
    else:
        sink.refuse(number, "not a JSON object")


def read_array(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the elements of a JSON array to the sink; their places are counted from 1.

    Raises:
        LogError: the file is no JSON array as a whole, or larger than an array may be.
    """
    with source.open(options.max_bytes) as stream:
        data = stream.read(MAX_ARRAY + 1)
    if len(data) > MAX_ARRAY:
        raise LogError(f"{source.label}: a JSON array of more than {MAX_ARRAY:,} bytes. Write it as one object a line.")
    try:
        text = data.removeprefix(_BOM).decode("utf-8")
    except UnicodeDecodeError as error:
        if kind := seems_to_be_no_log(data):
            raise LogError(f"{source.label}: {kind}") from None
        raise LogError(f"{source.label}: not UTF-8 at byte {error.start + 1:,}. Is it a JSON file?") from None
    try:
        for number, record in enumerate(_elements(text), 1):
            _add(record, number, sink)
            if number % _STEP == 0:
                progress.advance(_STEP)
    except json.JSONDecodeError as error:
        raise LogError(f"{source.label}:{error.lineno}: not JSON ({error.msg}). Is the file whole?") from None
    except (ValueError, RecursionError):
        raise LogError(f"{source.label}: JSON nested too deeply, or with a number too long to read.") from None


def _elements(text: str) -> Iterator[object]:
    """The elements of an array one by one, so that they are never all in memory; a text that is no array is one element.

    Raises:
        JSONDecodeError: the text is not JSON.
    """
    decode, place = json.JSONDecoder().raw_decode, _beyond_space(text, 0)
    if text[place : place + 1] != "[":
        yield json.loads(text)
        return
    place = _beyond_space(text, place + 1)
    expected = "]" if text[place : place + 1] == "]" else ""
    while not expected:
        element, place = decode(text, place)
        yield element
        place = _beyond_space(text, place)
        expected = text[place : place + 1]
        if expected not in (",", "]"):
            raise json.JSONDecodeError("Expecting ',' delimiter", text, place)
        if expected == ",":
            place, expected = _beyond_space(text, place + 1), ""
    if _beyond_space(text, place + 1) < len(text):
        raise json.JSONDecodeError("Extra data", text, place + 1)


def _beyond_space(text: str, place: int) -> int:
    space = _SPACE.match(text, place)
    return space.end() if space else place
