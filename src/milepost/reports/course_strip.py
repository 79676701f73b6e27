"""The whole course as a strip of characters: who is still there, how often a try clears, and what stands out."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.reports.interface import View
from milepost.wording import percent, spark

if TYPE_CHECKING:
    from milepost.difficulty.row_types import SpikesRow
    from milepost.reports.document_types import ReportDocument
    from milepost.reports.interface import AnyView

_MARKS = {"spike": "▲", "dip": "▼", "step": "►", "none": " "}
_WIDE, _MOST = 30, 120  # levels up to which a level is two characters wide, and up to which there is a strip
_NAME = 13


def course_strip(report: ReportDocument) -> list[AnyView]:
    """The strip of a whole report; nothing for a course that is too long for a line.

    Args:
        report: a document with those of ``funnel``, ``attempts`` and ``spikes`` in it.
    """
    rows, judged = report["funnel"]["levels"], report["spikes"]["levels"]
    if not 0 < len(rows) <= _MOST:
        return []
    tries = [row["try_clear"] for row in report["attempts"]["levels"][: len(rows)]]
    lines = [
        _line("still there", spark([row["retention"] for row in rows]), f"{percent(rows[-1]['retention'])} at the end"),
        _line("a try clears", spark(tries), ""),
        strip_of_verdicts(judged),
    ]
    return [View("The course from its first level to its last", (), [], lines)]


def strip_of_verdicts(rows: list[SpikesRow]) -> str:
    """Return a strip with a mark at each level that stands out."""
    marks = "".join(_MARKS[row["kind"]] for row in rows)
    key = "  ".join(f"{_MARKS[kind]} {kind}" for kind in _MARKS if kind != "none" and _MARKS[kind] in marks)
    return _line("stands out", marks, key or "nothing")


def _line(name: str, cells: str, told: str) -> str:
    wide = cells if len(cells) > _WIDE else "".join(cell * 2 if cell not in _MARKS.values() else f"{cell} " for cell in cells)
    return f"{name:<{_NAME}}{wide}  {told}".rstrip()
