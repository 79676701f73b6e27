"""The forms of a report for other programs: JSON, CSV and Markdown."""

from __future__ import annotations

import csv
import io
import json
from typing import TYPE_CHECKING

from milepost.logs.formats.delimited import guard_cell
from milepost.wording import safe

if TYPE_CHECKING:
    from milepost.reports.interface import AnyColumn, AnyView, Report


def render_json(report: Report) -> str:
    """The document, and nothing else."""
    return json.dumps(report.document, indent=2, ensure_ascii=False, allow_nan=False) + "\n"


def render_csv(report: Report) -> str:
    """The report's rows, one line each; what is a list in JSON is left out.

    Text that a spreadsheet would take for a formula gets an apostrophe before it.
    """
    rows = report.rows
    keys = [key for key, value in rows[0].items() if not isinstance(value, list | dict)] if rows else ["level"]
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(keys)
    for row in rows:
        writer.writerow(_csv_cell(row[key]) for key in keys)
    return stream.getvalue()


def _csv_cell(value: object) -> object:
    if isinstance(value, bool):
        return "true" if value else "false"
    if not isinstance(value, str):
        return value
    return guard_cell(safe(value))


def render_markdown(report: Report) -> str:
    """The views as Markdown tables with their headings and notes."""
    return "\n".join(_view(view) for view in report.shown)


def _view(view: AnyView) -> str:
    columns = [column for column in view.columns if not column.drawn]
    lines = [f"## {escaped(view.heading)}", ""]
    if view.rows:
        lines += _table(view, columns)
    for note in [*view.notes, *([view.last] if view.last else [])]:
        lines += ["", escaped(note)]
    return "\n".join(lines) + "\n"


def _table(view: AnyView, columns: list[AnyColumn]) -> list[str]:
    lines = []
    lines.append("| " + " | ".join(escaped(column.full_title or column.title) for column in columns) + " |")
    lines.append("|" + "|".join(":---" if column.left else "---:" for column in columns) + "|")
    for row in view.rows:
        lines.append("| " + " | ".join(escaped(column.text(row)) for column in columns) + " |")
    return lines


def escaped(text: str) -> str:
    """Text as it stands in Markdown."""
    for special in "\\`*_[]<>|#":
        text = text.replace(special, "\\" + special)
    return text
