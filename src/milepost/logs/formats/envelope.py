"""CloudEvents in JSON, the open event envelope of the CNCF: recognised and unpacked."""

from __future__ import annotations

from collections.abc import Mapping

from milepost.vocabulary import EVENT_CODES

_ENVELOPE = frozenset({"specversion", "type", "source", "id", "time", "subject", "data", "datacontenttype", "dataschema"})


def is_envelope(record: Mapping[str, object]) -> bool:
    """Return whether a record is a CloudEvent."""
    return "specversion" in record and "type" in record and "source" in record


def unpacked(record: Mapping[str, object]) -> dict[str, object]:
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
