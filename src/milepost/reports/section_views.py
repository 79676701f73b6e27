"""Views on sections of levels."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.views import count_column, share_columns
from milepost.wording import NOTHING, number, percent, plural, safe, seconds

if TYPE_CHECKING:
    from milepost.measures.sections import SectionRow
    from milepost.reports.document_types import SectionsDocument
    from milepost.reports.interface import AnyView


def sections_view(report: SectionsDocument) -> list[AnyView]:
    """Return the view of all sections, level by level."""
    hardest = {row["level"]: row["hardest"] for row in report["levels"]}
    several = [row for row in report["sections"] if len(_of_level(report, row["level"])) > 1]
    columns: tuple[Column[SectionRow], ...] = (
        Column("level", lambda row: safe(row["level"]) if not row["section"] else "", left=True),
        Column("section", lambda row: _stretch(row), left=True),
        count_column("entered", "entered"),
        count_column("passed", "passed"),
        count_column("failed", "failed"),
        count_column("ended", "ended", 6),
        *share_columns("a try passes", "pass_rate", 0, 2),
        count_column("players", "players", 3),
        Column(
            "tries",
            lambda row: "" if not row["players"] else "not yet" if row["tries_p50"] is None else number(row["tries_p50"]),
            rank=4,
        ),
        Column("seconds", lambda row: NOTHING if row["seconds_p50"] is None else seconds(row["seconds_p50"]), rank=5),
        Column("of failing time", lambda row: percent(row["failing_share"]), rank=1),
        count_column("stopped", "stopped", 7),
        Column("", lambda row: "hardest" if hardest.get(row["level"]) == row["section"] else "", left=True),
    )
    whole = len({row["level"] for row in report["sections"]}) - len({row["level"] for row in several})
    notes = ["Sections: from the opening of a try to the first mark, from mark to mark, and from the last one to the clear."]
    if whole:
        notes.append(
            f"{plural(whole, 'level')} without marks or progress on checkpoints are one section each, and are not shown."
        )
    return [View("Sections: which part of a level players fail in", columns, several, [*notes, *source_notes(report)])]


def _of_level(report: SectionsDocument, level: str) -> list[SectionRow]:
    return [row for row in report["sections"] if row["level"] == level]


def _stretch(row: SectionRow) -> str:
    """A section in words: from where to where."""
    begin, end = (
        (_mark(row["from"]) if row["from"] is not None else "start"),
        (_mark(row["to"]) if row["to"] is not None else "clear"),
    )
    return f"{begin} → {end}"


def _mark(mark: str | float) -> str:
    return safe(mark) if isinstance(mark, str) else percent(mark)
