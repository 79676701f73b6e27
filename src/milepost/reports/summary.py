"""The report's own table: a row for each level with the figures that a team asks for first."""

from __future__ import annotations

from typing import Any

from milepost.measures.interface import Row
from milepost.reports.interface import Column, View
from milepost.reports.views import count_column, level_column, share_columns, small_note
from milepost.wording import NOTHING, durations, number, words


def summary_rows(report: dict[str, Any]) -> list[Row]:
    """Per level of the course: who reached it, was lost, how often a try clears, how long it takes, and the verdict."""
    parts = [report[name]["levels"] for name in ("funnel", "attempts", "times", "deaths", "spikes")]
    return [_row(*rows) for rows in zip(*parts, strict=False)]


def _row(funnel: Row, tries: Row, times: Row, deaths: Row, judged: Row) -> Row:
    shares = ("drop_off", "retention")
    return {
        "level": funnel["level"], "reached": funnel["reached"], "cleared": funnel["cleared"], "lost": funnel["lost"],
        **{f"{key}{end}": funnel[f"{key}{end}"] for key in shares for end in ("", "_low", "_high")},
        "settled": tries["settled"], **{f"try_clear{end}": tries[f"try_clear{end}"] for end in ("", "_low", "_high")},
        "tries_p50": tries["p50"], "time_p50": times["p50"], "timed": times["timed"], "deaths": deaths["deaths"],
        "difficulty": judged["difficulty"], "kind": judged["kind"], "evidence": judged["evidence"], "cost": judged["cost"],
        "plan": judged["plan"],
    }  # fmt: skip


def summary_view(report: dict[str, Any]) -> View:
    """The table of the whole course."""
    rows = summary_rows(report)
    worded = durations(row["time_p50"] for row in rows)
    columns = (
        level_column(report, "reached"), count_column("reached", "reached"), count_column("lost", "lost"),
        *share_columns("still there", "retention", 3), *share_columns("a try clears", "try_clear", 0, 5),
        Column("half need", lambda row: NOTHING if not row["settled"] else number(row["tries_p50"]) if row["tries_p50"] else "not yet", rank=4, said="tries that half need"),  # noqa: E501
        Column("half take", lambda row: worded(row["time_p50"]) if row["time_p50"] else "not yet" if row["timed"] else NOTHING, rank=2, said="time that half take"),  # noqa: E501
        Column("verdict", verdict, left=True),
        Column("plan", lambda row: row["plan"] or "", left=True, rank=6),
    )  # fmt: skip
    return View("Level by level", columns, rows, small_note(report, rows, "reached"))


def verdict(row: Row) -> str:
    """The verdict with how sure it is; nothing where a level does not stand out."""
    if row["evidence"] == "too_few":
        return "too few to tell"
    return "" if row["kind"] == "none" else f"{row['kind']}, {words(row['evidence'])}"
