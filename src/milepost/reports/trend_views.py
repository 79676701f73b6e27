"""Views on a trend."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.views import count_column, share_columns
from milepost.wording import NOTHING, listed, logits, percent, safe, words

if TYPE_CHECKING:
    from milepost.comparison.row_types import TrendRow, TrendShift, TrendStep, TrendWhole
    from milepost.reports.document_types import TrendDocument
    from milepost.reports.interface import AnyView


def trend_view(report: TrendDocument) -> list[AnyView]:
    """Return the views of the levels, of the steps, and of the shifts between these."""
    steps = [step["step"] for step in report["steps"]]
    levels: tuple[Column[TrendRow], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True),
        *(_difficulty(step, max(0, len(steps) - place - 2)) for place, step in enumerate(steps)),
        Column("changed", _changed, left=True),
        Column("first to last", lambda row: _word_change(row["whole"]), left=True, rank=1),
    )
    notes = [
        "Difficulty in logits, higher is harder, each fitted on its step alone: +1 is about a quarter of the first tries.",
        "Changed: beyond what all levels did together, judged over all changes at once.",
        *source_notes(report),
    ]
    of_steps: tuple[Column[TrendStep], ...] = (
        Column("step", lambda row: safe(row["step"]), left=True),
        count_column("players", "players"),
        count_column("new", "new_players"),
        count_column("sessions", "sessions", 3),
        *share_columns("kept at the end", "kept_at_end", 0, 1),
        Column("stand out in it", lambda row: _list_names(row["stand_out"]), left=True),
    )
    of_shifts: tuple[Column[TrendShift], ...] = (
        Column("from", lambda row: safe(row["from"]), left=True),
        Column("to", lambda row: safe(row["to"]), left=True),
        Column("all levels", lambda row: NOTHING if row["size"] is None else logits(row["size"], True)),
        Column("95 %", _interval),
        count_column("came back", "players_back"),
        Column("may be", lambda row: words(row["reading"]).replace(" or ", ", "), left=True),
    )
    return [
        View("Trend: each level, step by step", levels, report["levels"], notes),
        View("Steps", of_steps, report["steps"], []),
        View("All levels together, by logits", of_shifts, report["shifts"], []),
    ]


def trend_sentences(report: TrendDocument) -> list[str]:
    """Return what a report says of builds in a row: levels that changed, and who was still playing at the end."""
    sentences = []
    for row in report["levels"]:
        if changed := _changed(row):
            sentences.append(f"{safe(row['level'])}: {changed}, beyond what all levels did together.")
        elif row["whole"] is not None and row["whole"]["verdict"] in ("harder", "easier"):
            sentences.append(
                f"{safe(row['level'])}: {_word_change(row['whole'])} from first to last, and told at no single step."
            )
    if not sentences:
        sentences.append("No level is told to have changed beyond what all levels did together.")
    kept = [
        f"{percent(step['kept_at_end'])} of {step['players']} in {safe(step['step'])}"
        for step in report["steps"]
        if step["kept_at_end"] is not None
    ]
    return [*sentences, *([f"Still playing at the end: {listed(kept)}."] if kept else [])]


def _list_names(levels: list[str]) -> str:
    return listed([safe(level) for level in levels]) if levels else ""


def _difficulty(step: str, rank: int) -> Column[TrendRow]:
    def text(row: TrendRow) -> str:
        point = next((point for point in row["points"] if point["step"] == step), None)
        return NOTHING if point is None or point["difficulty"] is None else logits(point["difficulty"])

    return Column(safe(step), text, rank=min(rank, 6))


def _changed(row: TrendRow) -> str:
    changed = [change for change in row["changes"] if change["verdict"] in ("harder", "easier")]
    parts = [f"{_word_change(change)} at {safe(change['to'])}" for change in changed]
    odd = any(change["one_step"] for change in changed)
    return ", ".join(parts) + (" (one odd step?)" if odd else "")


def _word_change(change: TrendWhole | None) -> str:
    if change is None or change["verdict"] is None:
        return ""
    size = "" if change["delta"] is None else f" {logits(change['delta'], True)}"
    return f"{'undecided' if change['verdict'] == 'no_telling' else change['verdict']}{size}"


def _interval(row: TrendShift) -> str:
    return NOTHING if row["low"] is None or row["high"] is None else f"{logits(row['low'], True)} to {logits(row['high'], True)}"
