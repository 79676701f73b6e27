"""Views on the sections of levels, and on leaving."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

from milepost.measures.leaving import FEW_LEAVINGS, makes_a_curve
from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.views import count_column, level_column, share_columns
from milepost.wording import NOTHING, number, percent, plural, safe, seconds

if TYPE_CHECKING:
    from collections.abc import Callable

    from milepost.measures.leaving import LeavingFigures, LeavingRow, MinutesRow, StreakRow
    from milepost.measures.sections import SectionRow
    from milepost.reports.document_types import LeavingDocument, SectionsDocument
    from milepost.reports.interface import AnyView


def leaving_view(report: LeavingDocument) -> list[AnyView]:
    """Return the views of who left after which tries: by streak, by minutes, and by level."""
    notes = [
        "Left: the player's last try of all, and the session ended by quitting or nobody knows how; left during: in mid try.",
        "Cut off: the session was ended by something else, or the player was through; these say nothing of leaving.",
    ]
    views: list[AnyView] = []
    if makes_a_curve(report["streaks"]):
        streaks = [row for row in report["streaks"] if row["tries"] or row["left_mid"]]
        views.append(View("Leaving: by failures in a row at a level", _columns(_streak), streaks, notes))
        minutes = [row for row in report["minutes"] if row["tries"] or row["left_mid"]]
        views.append(View("By active minutes of the session so far", _columns(_minutes), minutes, []))
    else:
        left = plural(report["leavings"], "player")
        notes.insert(0, f"{left} left for good: fewer than {FEW_LEAVINGS} make no curve by failures or by minutes.")
    level = cast("Column[LeavingRow]", level_column(report, "tries"))
    figures = cast("tuple[Column[LeavingRow], ...]", _figures())
    of_level: tuple[Column[LeavingRow], ...] = (
        count_column("after a failure", "after_failure", 5),
        count_column("after a clear", "after_clear", 6),
    )
    columns: tuple[Column[LeavingRow], ...] = (level, *figures, *of_level)
    rows = [row for row in report["levels"] if row["tries"] or row["left_mid"]]
    views.append(View("By level", columns, rows, [*([] if views else notes), *source_notes(report)]))
    return views


def _columns(text: Callable[[LeavingFigures], str]) -> tuple[Column[LeavingFigures], ...]:
    return (Column("after", text, left=True), *_figures())


def _figures() -> tuple[Column[LeavingFigures], ...]:
    return (
        count_column("tries", "tries"),
        count_column("cut off", "cut_off", 4),
        count_column("breaks", "breaks", 3),
        count_column("left", "left"),
        count_column("left during", "left_mid", 2),
        *share_columns("chance to leave", "left_share", 0, 1),
        Column("then stayed", lambda row: NOTHING if row["seconds_p50"] is None else seconds(row["seconds_p50"]), rank=7),
    )


def _streak(row: LeavingFigures) -> str:
    streak = cast("StreakRow", row)["streak"]
    return "a clear" if not streak else f"failure {streak}" + (" or more" if streak == 5 else "")


def _minutes(row: LeavingFigures) -> str:
    minutes = cast("MinutesRow", row)
    return f"{minutes['from']} min on" if minutes["to"] is None else f"{minutes['from']} to {minutes['to']} min"


def sections_view(report: SectionsDocument) -> list[AnyView]:
    """Return the view of all sections, level by level."""
    hardest = {row["level"]: row["hardest"] for row in report["levels"]}
    several = [row for row in report["sections"] if len(_list_sections(report, row["level"])) > 1]
    columns: tuple[Column[SectionRow], ...] = (
        Column("level", lambda row: safe(row["level"]) if not row["section"] else "", left=True),
        *_columns_of_sections(),
        Column("", lambda row: "hardest" if hardest.get(row["level"]) == row["section"] else "", left=True),
    )
    whole = len({row["level"] for row in report["sections"]}) - len({row["level"] for row in several})
    notes = ["Sections: from the opening of a try to the first mark, from mark to mark, and from the last one to the clear."]
    if whole:
        notes.append(
            f"{plural(whole, 'level')} without marks or progress on checkpoints are one section each, and are not shown."
        )
    return [View("Sections: which part of a level players fail in", columns, several, [*notes, *source_notes(report)])]


def sections_of_level(rows: list[SectionRow]) -> View[SectionRow]:
    """Return the view of one level's sections, in fewer columns."""
    columns = tuple(column for column in _columns_of_sections() if column.title not in ("passed", "ended", "tries"))
    return View("Section by section", columns, rows, [])


def _columns_of_sections() -> tuple[Column[SectionRow], ...]:
    return (
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
    )


def _list_sections(report: SectionsDocument, level: str) -> list[SectionRow]:
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
