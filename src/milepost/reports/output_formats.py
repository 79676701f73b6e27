"""The output formats by name."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from milepost.reports.interface import Report

FORMATS = ("table", "json", "csv", "markdown")


def render(report: Report, form: str, width: int, colour: bool) -> str:
    """The report in one of the formats; width and colour matter for tables only."""
    if form == "table":
        from milepost.reports.text import render as render_table

        return render_table(report, width, colour)
    from milepost.reports.json_csv_markdown import render_csv, render_json, render_markdown

    return {"json": render_json, "csv": render_csv, "markdown": render_markdown}[form](report)
