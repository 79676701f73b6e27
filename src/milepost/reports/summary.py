"""The report as a table: a row a level with what every measure says of it; and the course as strips in a terminal."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from milepost.measures.interface import LevelRow
from milepost.reports.interface import Column, View
from milepost.reports.views import count_column, level_column, share_columns, small_note
from milepost.wording import NOTHING, durations, number, percent, spark, words

if TYPE_CHECKING:
    from milepost.difficulty.row_types import Evidence, Kind, SpikesRow
    from milepost.measures.attempts import AttemptsRow
    from milepost.measures.deaths import DeathsRow
    from milepost.measures.times import TimesRow
    from milepost.reports.document_types import FunnelOrRawRow, ReportDocument
    from milepost.reports.interface import AnyView


class SummaryRow(LevelRow):
    """A level with the figures that a team asks for first."""

    reached: int
    cleared: int
    lost: int | None
    drop_off: float | None
    drop_off_low: float | None
    drop_off_high: float | None
    retention: float | None
    retention_low: float | None
    retention_high: float | None
    settled: int
    try_clear: float | None
    try_clear_low: float | None
    try_clear_high: float | None
    tries_p50: int | None
    time_p50: float | None
    timed: int
    deaths: int
    difficulty: float | None
    kind: Kind
    evidence: Evidence
    cost: float | None
    plan: str | None


def summary_rows(report: ReportDocument) -> list[SummaryRow]:
    """Per level of the course: who reached it, was lost, how often a try clears, how long it takes, and the verdict."""
    tries, times, deaths = report["attempts"]["levels"], report["times"]["levels"], report["deaths"]["levels"]
    rows = zip(report["funnel"]["levels"], tries, times, deaths, report["spikes"]["levels"], strict=False)
    return [_row(*parts) for parts in rows]


def _row(funnel: FunnelOrRawRow, tries: AttemptsRow, times: TimesRow, deaths: DeathsRow, judged: SpikesRow) -> SummaryRow:
    return SummaryRow(
        level=funnel["level"],
        reached=funnel["reached"],
        cleared=funnel["cleared"],
        lost=funnel["lost"],
        drop_off=funnel["drop_off"],
        drop_off_low=funnel["drop_off_low"],
        drop_off_high=funnel["drop_off_high"],
        retention=funnel["retention"],
        retention_low=funnel["retention_low"],
        retention_high=funnel["retention_high"],
        settled=tries["settled"],
        try_clear=tries["try_clear"],
        try_clear_low=tries["try_clear_low"],
        try_clear_high=tries["try_clear_high"],
        tries_p50=tries["p50"],
        time_p50=times["p50"],
        timed=times["timed"],
        deaths=deaths["deaths"],
        difficulty=judged["difficulty"],
        kind=judged["kind"],
        evidence=judged["evidence"],
        cost=judged["cost"],
        plan=judged["plan"],
    )


def summary_view(report: ReportDocument) -> View[SummaryRow]:
    """The table of the whole course."""
    rows = summary_rows(report)
    worded = durations(row["time_p50"] for row in rows)
    columns: tuple[Column[SummaryRow], ...] = (
        level_column(report, "reached"),
        count_column("reached", "reached"),
        count_column("lost", "lost"),
        *share_columns("still there", "retention", 3),
        *share_columns("a try clears", "try_clear", 0, 5),
        Column("half need", _tries_of_half, rank=4, full_title="tries that half need"),
        Column("half take", _time_of_half(worded), rank=2, full_title="time that half take"),
        Column("verdict", word_verdict, left=True),
        Column("plan", lambda row: row["plan"] or "", left=True, rank=6),
    )
    return View("Level by level", columns, rows, small_note(report, rows, "reached"))


def _tries_of_half(row: SummaryRow) -> str:
    if not row["settled"]:
        return NOTHING
    return number(row["tries_p50"]) if row["tries_p50"] else "not yet"


def _time_of_half(worded: Callable[[float | None], str]) -> Callable[[SummaryRow], str]:
    def text(row: SummaryRow) -> str:
        if row["time_p50"]:
            return worded(row["time_p50"])
        return "not yet" if row["timed"] else NOTHING

    return text


def word_verdict(row: SummaryRow) -> str:
    """The verdict with how sure it is; nothing where a level does not stand out."""
    if row["evidence"] == "too_few":
        return "too few to tell"
    if row["kind"] == "none":
        return ""
    return f"may be a {row['kind']}" if row["evidence"] == "weak" else f"{row['kind']}, {words(row['evidence'])}"


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


def _line(name: str, cells: str, text: str) -> str:
    wide = cells if len(cells) > _WIDE else "".join(cell * 2 if cell not in _MARKS.values() else f"{cell} " for cell in cells)
    return f"{name:<{_NAME}}{wide}  {text}".rstrip()
