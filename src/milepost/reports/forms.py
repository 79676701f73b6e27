"""The forms of a report for other programs: JSON, CSV and Markdown."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

from milepost.reports.interface import Report
from milepost.reports.wording import safe

_FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


def render_json(report: Report) -> str:
    """The document, and nothing else."""
    return json.dumps(report.document, indent=2, ensure_ascii=False, allow_nan=False) + "\n"


def render_csv(report: Report) -> str:
    """The document's rows, one line each; what is a list in JSON is left out.

    Text that a spreadsheet would take for a formula gets an apostrophe before it.
    """
    rows = report.document["levels"]
    keys = [key for key, value in rows[0].items() if not isinstance(value, list | dict)] if rows else ["level"]
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(keys)
    for row in rows:
        writer.writerow(_csv_cell(row[key]) for key in keys)
    return stream.getvalue()


def _csv_cell(value: Any) -> Any:
    if isinstance(value, bool):
        return "true" if value else "false"
    if not isinstance(value, str):
        return value
    text = safe(value)
    return f"'{text}" if text.startswith(_FORMULA_STARTS) else text


def render_markdown(report: Report) -> str:
    """The view as a Markdown table with its heading and notes."""
    view = report.view
    columns = [column for column in view.columns if not column.drawn]
    lines = [f"## {_markdown(view.heading)}", ""]
    lines.append("| " + " | ".join(_markdown(column.said or column.title) for column in columns) + " |")
    lines.append("|" + "|".join(":---" if column.left else "---:" for column in columns) + "|")
    for row in view.rows:
        lines.append("| " + " | ".join(_markdown(column.text(row)) for column in columns) + " |")
    for note in view.notes:
        lines += ["", _markdown(note)]
    return "\n".join(lines) + "\n"


def _markdown(text: str) -> str:
    for special in "\\`*_[]<>|#":
        text = text.replace(special, "\\" + special)
    return text
