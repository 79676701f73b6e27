"""Streams of YAML and CBOR (PyYAML and cbor2, an extra): each mapping is a record, and each one in an array of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date, datetime, time
from typing import BinaryIO, Final

from milepost.errors import LogError
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.sources.files import Source
from milepost.logs.sources.remote import first_line
from milepost.progress import Progress

_STEP: Final = 5000
_DEEPEST: Final = 40  # of values within values
_MOST_VALUES: Final = 1_000_000  # of a document; more come of one that refers to its own parts again and again
_EXTRA: Final = "read with an extra: pip install 'milepost[nested]'"


def read_yaml(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the documents of a YAML stream to the sink; places are the lines on which they begin.

    Raises:
        LogError: the library is not installed, or the file is no YAML.
    """
    try:
        import yaml
    except ImportError:
        raise LogError(f"{source.label}: YAML is {_EXTRA}.") from None
    try:
        with source.open(options.max_bytes) as stream:
            loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)(stream)
            while loader.check_data():
                node = loader.get_node()
                assert node is not None
                _give(loader.construct_document(node), node.start_mark.line + 1, source, sink, progress)
    except yaml.MarkedYAMLError as error:
        line = error.problem_mark.line + 1 if error.problem_mark else 1
        raise LogError(f"{source.label}:{line}: not YAML from here on ({error.problem}). Is the file whole?") from None
    except (yaml.YAMLError, ValueError, RecursionError) as error:
        raise LogError(f"{source.label}: not YAML ({first_line(error)}). Is the file whole?") from None


def read_cbor(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the items of a CBOR sequence to the sink; places are the numbers of the items.

    Raises:
        LogError: the library is not installed, or the file is no CBOR.
    """
    try:
        import cbor2
    except ImportError:
        raise LogError(f"{source.label}: CBOR is {_EXTRA}.") from None
    number = 0
    try:
        with source.open(options.max_bytes) as stream:
            for number, item in enumerate(_items(stream, cbor2.CBORDecoder(stream).decode), 1):
                _give(item, number, source, sink, progress)
    except (cbor2.CBORError, ValueError, RecursionError, OverflowError, MemoryError) as error:
        raise LogError(
            f"{source.label}:{number + 1}: no CBOR from this item on ({first_line(error)}). Is the file whole?"
        ) from None


def _items(stream: BinaryIO, decode: object) -> Iterator[object]:
    assert callable(decode)
    while stream.peek(1):  # type: ignore[attr-defined]  # what opens a source gives buffered streams
        yield decode()


def _give(document: object, place: int, source: Source, sink: Sink, progress: Progress) -> None:
    """Give a document, or each of an array of them, to the sink."""
    if document is None:
        return
    plain = _plain(document, 0, [_MOST_VALUES], f"{source.label}:{place}")
    for number, record in enumerate(plain if isinstance(plain, list) else [plain], 1):
        if isinstance(record, Mapping):
            sink.add(record, place)
        else:
            sink.refuse(place, "no mapping of names to values")
        if number % _STEP == 0:
            progress.advance(_STEP)


def _plain(value: object, depth: int, left: list[int], where: str) -> object:
    """A value as JSON would have it; ``left`` holds how many more there may be."""
    left[0] -= 1
    if depth > _DEEPEST or left[0] < 0:
        raise LogError(f"{where}: holds values within values without end, or refers to itself. Write plain records.")
    if isinstance(value, Mapping):
        return {str(name): _plain(item, depth + 1, left, where) for name, item in value.items()}
    if isinstance(value, list | tuple | set | frozenset):
        return [_plain(item, depth + 1, left, where) for item in value]
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    return value if value is None or isinstance(value, bool | int | float | str) else str(value)
