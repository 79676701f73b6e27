"""OpenTelemetry's log records in JSON (OTLP, an open standard): recognised, and unpacked into records of ours."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import UTC, datetime, timedelta
from typing import Final

from milepost.vocabulary import EVENT_CODES

_NAMES: Final = ("event", "event.name", "name")  # attributes that may say which event it is
_SHORT: Final = {"session.id": "session", "user.id": "player", "service.version": "build"}  # of the standard's own conventions

EXPORT: Final = "resourceLogs"  # the field that makes a record one


def is_export(record: Mapping[str, object]) -> bool:
    """Return whether a record is an export of log records."""
    return isinstance(record.get(EXPORT), list)


def log_records(export: Mapping[str, object]) -> Iterator[dict[str, object] | str]:
    """The records of an export; a sentence for what is none.

    Attributes are fields by their names, those of the record before those of its scope and its resource; `session.id`, `user.id`
    and `service.version` are session, player and build where these are not given. The event is the record's event name, an
    attribute of that name, or its body where that is a text.
    """
    for resource in _list(export.get(EXPORT)):
        outer = _attributes(_mapping(resource.get("resource")).get("attributes"))
        for scope in _list(resource.get("scopeLogs")):
            around = outer | _attributes(_mapping(scope.get("scope")).get("attributes"))
            for record in _list(scope.get("logRecords")):
                yield _record(record, around)


def _record(record: Mapping[str, object], around: Mapping[str, object]) -> dict[str, object] | str:
    fields = {**around, **_attributes(record.get("attributes"))}
    time = _stamp(record.get("timeUnixNano")) or _stamp(record.get("observedTimeUnixNano"))
    if "time" not in fields:
        if time is None:
            return "a log record without a time"
        fields["time"] = time
    body = _value(_mapping(record.get("body")))
    named = next((fields.pop(name) for name in _NAMES if name in fields), None)
    event = record.get("eventName") or named or (body if isinstance(body, str) else None)
    if isinstance(event, str):
        last = event.rpartition(".")[2]
        fields["event"] = last if last in EVENT_CODES else event
    if isinstance(body, Mapping):
        fields = {**body, **fields}
    for theirs, ours in _SHORT.items():
        if theirs in fields:
            fields.setdefault(ours, fields[theirs])
    return fields


def _stamp(nanos: object) -> str | None:
    """Nanoseconds since 1970, a text as the standard has it, as a time stamp."""
    try:
        count = int(nanos) if isinstance(nanos, str | int) else 0
        moment = datetime(1970, 1, 1, tzinfo=UTC) + timedelta(microseconds=count // 1000)
    except (ValueError, OverflowError):
        return None
    return moment.isoformat() if count else None


def _list(value: object) -> list[Mapping[str, object]]:
    return [item for item in value if isinstance(item, Mapping)] if isinstance(value, list) else []


def _mapping(value: object) -> Mapping[str, object]:
    return value if isinstance(value, Mapping) else {}


def _attributes(given: object) -> dict[str, object]:
    return {
        str(attribute.get("key")): _value(_mapping(attribute.get("value"))) for attribute in _list(given) if "key" in attribute
    }


def _value(given: Mapping[str, object]) -> object:
    """A value of the standard's, as JSON has it; whole numbers are texts there."""
    for kind, value in given.items():
        if kind == "intValue":
            return int(value) if isinstance(value, str) and value.lstrip("-").isdecimal() else value
        if kind == "kvlistValue":
            return _attributes(_mapping(value).get("values"))
        if kind == "arrayValue":
            return [_value(item) for item in _list(_mapping(value).get("values"))]
        if kind in ("stringValue", "boolValue", "doubleValue", "bytesValue"):
            return value
    return None


_ENVELOPE = frozenset({"specversion", "type", "source", "id", "time", "subject", "data", "datacontenttype", "dataschema"})


def is_envelope(record: Mapping[str, object]) -> bool:
    """Return whether a record is a CloudEvent."""
    return "specversion" in record and "type" in record and "source" in record


def unpack_envelope(record: Mapping[str, object]) -> dict[str, object]:
    """The record inside: the fields of `data`, completed from the envelope.

    What `data` does not say comes from the envelope: `event` from `type` (the part after its last dot where that is an
    event word), `session` from `subject`, `time` and `id` from those. `source` and extension attributes are tags.
    """
    inner = record.get("data")
    fields = dict(inner) if isinstance(inner, Mapping) else {}
    kind = record["type"]
    last = kind.rpartition(".")[2] if isinstance(kind, str) else kind
    fields.setdefault("event", last if last in EVENT_CODES else kind)
    for ours, theirs in (("session", "subject"), ("time", "time"), ("id", "id"), ("source", "source")):
        if theirs in record:
            fields.setdefault(ours, record[theirs])
    for name, value in record.items():
        if name not in _ENVELOPE:
            fields.setdefault(name, value)
    return fields
