"""XML: XES (IEEE 1849), the open standard for event logs, where a trace is a session; and records at a path of any other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import BinaryIO, Final
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
    with guard_xml(source), source.open(options.max_bytes) as stream:
        count = _give(_events(stream), sink, progress)
    if not count:
        raise UnknownLogError(
            f"{source.label}: no event of XES. Other XML is read through a log map; milepost map LOG drafts one."
        )


@contextmanager
def guard_xml(source: Source) -> Iterator[None]:
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
            trace |= _rename_attributes([element], {"concept:name": "session"})
        elif tag == "event":
            yield trace | _rename_attributes(element, {"concept:name": "event", "time:timestamp": "time"})
        if tag in ("event", "trace") and path:
            path[-1].remove(element)


def _rename_attributes(attributes: Iterable[Element], standard: dict[str, str]) -> dict[str, object]:
    """Attributes by our names; one that has our name itself goes before one of the standard's."""
    columns: dict[str, object] = {}
    for element in attributes:
        kind, key = local_name(element.tag), element.get("key", "")
        if kind in _VALUES and key in standard:
            columns.setdefault(standard[key], _typed(kind, element.get("value", "")))
        elif kind in _VALUES:
            columns[key] = _typed(kind, element.get("value", ""))
    return columns


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


_LOOKED_AT: Final = 20_000  # elements in which a path is sought
_OF_XES: Final = "trace/event"


def read_xml_records(source: Source, sink: Sink, options: ReadOptions, progress: Progress) -> None:
    """Give the elements at the path `[input] record` to the sink as texts; places are their numbers.

    An element's attributes and the elements in it that hold text are its columns, those deeper within by dotted paths; the
    same of all elements around it, under names of their own where the inner ones have them already.

    Raises:
        LogError: no path is given or nothing lies at it, or the file is no XML.
    """
    if not options.record:
        raise LogError(f"{source.label}: records of XML are found by a path. Give [input] record in a log map.")
    path, number = tuple(options.record.split("/")), 0
    with guard_xml(source), source.open(options.max_bytes) as stream:
        for number, record in enumerate(_records(stream, path), 1):
            sink.add(record, number)
            if number % _STEP == 0:
                progress.advance(_STEP)
    if not number:
        raise LogError(f"{source.label}: no element lies at {options.record!r}. Hold the path against the file.")


def draft_path(source: Source, options: ReadOptions) -> str | None:
    """The path of the element that comes most often with two columns or more; None where the file is XES or has none.

    Raises:
        LogError: the file is no XML.
    """
    met: Counter[str] = Counter()
    with guard_xml(source), source.open(options.max_bytes) as stream:
        for number, (tags, element) in enumerate(_ended(stream)):
            if len(tags) > 1 and len(_columns(element)) > 1:
                met["/".join(tags[1:])] += 1
            if number > _LOOKED_AT:
                break
    best = met.most_common(1)
    return None if not best or best[0][0] == _OF_XES else best[0][0]


def _records(stream: BinaryIO, path: tuple[str, ...]) -> Iterator[dict[str, object]]:
    """Yield the columns of each element at the end of a path, which may leave out the outermost ones."""
    from defusedxml.ElementTree import iterparse

    around: list[Element] = []
    for action, element in iterparse(stream, events=("start", "end"), forbid_dtd=True):
        if action == "start":
            around.append(element)
            continue
        around.pop()
        tags = tuple(local_name(outer.tag) for outer in (*around, element))
        if tags[-len(path) :] == path:
            yield _add_outer_attributes(_columns(element), around)
            if around:
                around[-1].remove(element)


def _add_outer_attributes(record: dict[str, str], around: list[Element]) -> dict[str, object]:
    """A record with the attributes and the plain texts of all elements around it, the innermost first."""
    columns: dict[str, object] = {**record}
    for outer in reversed(around):
        texts = {
            local_name(inner.tag): inner.text.strip() for inner in outer if not len(inner) and inner.text and not inner.attrib
        }
        for name, value in {**texts, **outer.attrib}.items():
            if value:
                column = local_name(name)
                columns[f"{local_name(outer.tag)}.{column}" if column in columns else column] = value
    return columns


def _ended(stream: BinaryIO) -> Iterator[tuple[tuple[str, ...], Element]]:
    """Yield each element when it ends, with the names from the outermost to its own."""
    from defusedxml.ElementTree import iterparse

    around: list[str] = []
    for action, element in iterparse(stream, events=("start", "end"), forbid_dtd=True):
        if action == "start":
            around.append(local_name(element.tag))
        else:
            yield tuple(around), element
            around.pop()


def _columns(element: Element, depth: int = 0) -> dict[str, str]:
    """The attributes of an element, and the texts of the elements in it."""
    columns = dict(element.attrib)
    for inner in element if depth < 3 else ():
        name, text = local_name(inner.tag), (inner.text or "").strip()
        if text:
            columns.setdefault(name, text)
        columns |= {f"{name}.{key}": value for key, value in _columns(inner, depth + 1).items() if f"{name}.{key}" not in columns}
    return {local_name(name): value for name, value in columns.items() if value}
