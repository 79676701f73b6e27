"""XES (IEEE 1849), the open standard for event logs in XML: a trace is a session, an event a record."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import BinaryIO
from xml.etree.ElementTree import Element

from milepost.errors import LogError, UnknownLogError
from milepost.logs.formats.other_kinds import kind_of_file
from milepost.logs.interface import ReadOptions, Sink
from milepost.logs.sources.files import Source
from milepost.progress import Progress

_VALUES = ("string", "date", "int", "float", "boolean", "id")
_STEP = 5000


def read_xes(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the events of one file to the sink; places are event numbers.

    The trace's `concept:name` is the session, an event's the event word, `time:timestamp` the time where no attribute
    `time` is given; other attributes keep their keys, and a trace's attributes hold for its events.

    Raises:
        LogError: the file is no XML, or uses entities, which a log has no need of.
    """
    with reading_xml(source), source.open(options.max_bytes) as stream:
        found = _give(_events(stream), sink, progress)
    if not found:
        raise UnknownLogError(
            f"{source.label}: no event of XES. Other XML is read through a log map; milepost map LOG drafts one."
        )


@contextmanager
def reading_xml(source: Source) -> Iterator[None]:
    """Say in a line what is wrong with XML that is read within.

    Raises:
        LogError: the file is no XML, or uses entities, which a log has no need of.
    """
    from xml.etree.ElementTree import ParseError

    from defusedxml.common import DefusedXmlException

    kind = kind_of_file(source.path) if source.path is not None else None
    try:
        yield
    except ParseError as error:
        if kind:
            raise LogError(f"{source.label}: {kind}") from None
        raise LogError(f"{source.label}:{error.position[0]}: not XML from here on ({error}). Is the file whole?") from None
    except LookupError as error:
        raise LogError(f"{source.label}: declares an encoding that cannot be read ({error}). Write it in UTF-8.") from None
    except DefusedXmlException as error:
        if kind:
            raise LogError(f"{source.label}: {kind}") from None
        raise LogError(f"{source.label}: declares XML entities ({type(error).__name__}), which a log must not.") from None


def _give(events: Iterable[dict[str, object]], sink: Sink, progress: Progress) -> int:
    """Give the events to the sink; how many they are."""
    number = 0
    for number, record in enumerate(events, 1):
        sink.add(record, number)
        if number % _STEP == 0:
            progress.advance(_STEP)
    return number


def _events(stream: BinaryIO) -> Iterator[dict[str, object]]:
    from defusedxml.ElementTree import iterparse

    path: list[Element] = []
    trace: dict[str, object] = {}
    for action, element in iterparse(stream, events=("start", "end"), forbid_dtd=True):
        tag = local_name(element.tag)
        if action == "start":
            path.append(element)
            trace = {} if tag == "trace" else trace
            continue
        path.pop()
        if tag in _VALUES and path and local_name(path[-1].tag) == "trace":
            trace |= _named([element], {"concept:name": "session"})
        elif tag == "event":
            yield trace | _named(element, {"concept:name": "event", "time:timestamp": "time"})
        if tag in ("event", "trace") and path:
            path[-1].remove(element)


def _named(attributes: Iterable[Element], standard: dict[str, str]) -> dict[str, object]:
    """Attributes by our names; one that has our name itself goes before one of the standard's."""
    found: dict[str, object] = {}
    for element in attributes:
        kind, key = local_name(element.tag), element.get("key", "")
        if kind in _VALUES and key in standard:
            found.setdefault(standard[key], _typed(kind, element.get("value", "")))
        elif kind in _VALUES:
            found[key] = _typed(kind, element.get("value", ""))
    return found


def local_name(tag: str) -> str:
    """Return an element's name without its namespace."""
    return tag.rpartition("}")[2]


def _typed(kind: str, text: str) -> object:
    try:
        if kind == "int":
            return int(text)
        if kind == "float":
            return float(text)
    except ValueError:
        return text
    if kind == "boolean":
        return {"true": True, "false": False}.get(text.strip().lower(), text)
    return text
