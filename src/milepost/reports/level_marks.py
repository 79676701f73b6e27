"""Marks of a level in the report's list: a mark and a word for its verdict, bars for its shares."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final, TypedDict

from milepost.reports.summary import summary_rows
from milepost.wording import safe

if TYPE_CHECKING:
    from milepost.reports.document_types import ReportDocument

_MARKS: Final = {"spike": "▲", "step": "▶", "dip": "▼"}


class LevelMark(TypedDict):
    """A level of the list: what it can be found by, and what marks it.

    ``shares`` are bars by the place of their column.
    """

    mark: str
    kind: str
    chapter: str
    shares: dict[int, int]


def level_marks(report: ReportDocument) -> list[LevelMark]:
    """Per level of the course."""
    chapters = {row["level"]: row["chapter"] for row in report["plan"]}
    found = []
    for row in summary_rows(report):
        kind = "too_few" if row["evidence"] == "too_few" else row["kind"]
        bars = ((4, row["retention"]), (5, row["try_clear"]))
        shares = {place: round(100 * share) for place, share in bars if share is not None}
        chapter = safe(chapters.get(row["level"]) or "")
        found.append(LevelMark(mark=_MARKS.get(kind, ""), kind=kind, chapter=chapter, shares=shares))
    return found


def chapters_of(report: ReportDocument) -> list[str]:
    """The chapters in the order of their levels."""
    return list(dict.fromkeys(safe(row["chapter"]) for row in report["plan"] if row["chapter"]))
