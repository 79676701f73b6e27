"""Writes the JSON Schema of each command's document into the package, from the types of documents.

python scripts/make_schemas.py
"""

from __future__ import annotations

import json
from inspect import cleandoc
from pathlib import Path
from typing import Any

import msgspec

from milepost.reports.document_types import FunnelPerRunDocument, GroupedDocument, ReportDocument, SelectedDocument, WatchDocument
from milepost.reports.power_views import PowerDocument
from milepost.reports.registry import MEASURES

TARGET = Path(__file__).parents[1] / "src/milepost/schemas"


def schemas() -> dict[str, dict[str, Any]]:
    """The schema of each command's document; `grouped` is that of any command with groups."""
    kinds: dict[str, Any] = {entry.name: entry.document for entry in MEASURES.values()}
    kinds |= {
        "report": ReportDocument,
        "report-only": SelectedDocument,
        "watch": WatchDocument,
        "grouped": GroupedDocument,
        "power": PowerDocument,
        "funnel-per-run": FunnelPerRunDocument,
    }
    return {name: _closed(msgspec.json.schema(kind, schema_hook=_of_anything)) for name, kind in kinds.items()}


def _of_anything(kind: type) -> dict[str, Any]:
    """The schema of a value that may be anything."""
    return {"title": "any value"}


def _closed(schema: dict[str, Any]) -> dict[str, Any]:
    """The schema, by which a key that is not declared is a mistake."""
    for one in schema["$defs"].values():
        if "properties" in one:
            one["additionalProperties"] = False
        if "description" in one:
            one["description"] = cleandoc(one["description"])  # as newer versions of Python give it by themselves
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}


def written(schema: dict[str, Any]) -> str:
    """The schema as it stands in its file."""
    return json.dumps(schema, indent=1, sort_keys=True) + "\n"


if __name__ == "__main__":
    TARGET.mkdir(exist_ok=True)
    for name, schema in schemas().items():
        (TARGET / f"{name}.json").write_text(written(schema), encoding="utf-8")
