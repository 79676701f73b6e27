"""Views of runs: how far they get, how they end, and the effect of playing again."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, cast

from milepost.playback.runs import RUN_CAUSES
from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.views import count_column, share_columns, small_note
from milepost.wording import NOTHING, bar, number, percent, plural, safe, seconds, words

if TYPE_CHECKING:
    from milepost.measures.run_lengths import PerRunRow, RunNumberRow, RunsRow
    from milepost.reports.document_types import FunnelPerRunDocument, RunsDocument
    from milepost.reports.interface import AnyView

_BAR = 10


def runs_view(report: RunsDocument) -> list[AnyView]:
    """How far runs get, then the first runs, the second ones, and so on."""
    columns: tuple[Column[RunsRow], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True),
        count_column("reached", "reached"),
        count_column("cleared", "cleared"),
        *share_columns("gets here", "share", 0, 2),
        Column("ended here", lambda row: _ends(row["ended"]), left=True, rank=1),
        Column("", lambda row: bar(row["share"], _BAR) if row["share"] is not None else "", True, 3, True),
    )
    numbers: tuple[Column[RunNumberRow], ...] = (
        count_column("run", "number"),
        count_column("runs", "runs"),
        Column("furthest", _furthest, full_title="furthest level, median"),
        count_column("won", "won"),
        Column("played", lambda row: seconds(row["seconds_p50"]), rank=1),
        Column("again after failing", lambda row: NOTHING if row["again"] is None else percent(row["again"]), rank=0),
    )
    return [
        View(
            "Runs: how far they get",
            columns,
            report["levels"],
            [
                *_unmarked(report),
                f"{_word_counted(report)} They ended: {_ends(report['ends'])}.",
                *_reading(),
                *source_notes(report),
            ],
        ),
        View("Run by run", numbers, report["by_number"][:_MOST_NUMBERS], _list_number_notes(report)),
    ]


_MOST_NUMBERS = 12


def _furthest(row: RunNumberRow) -> str:
    return NOTHING if row["furthest_p50"] is None else f"{row['furthest_p50']:g}"


def _unmarked(report: RunsDocument) -> list[str]:
    """Return the sentence that the log does not mark where runs begin, so that sessions count as runs."""
    if report["marked"]:
        return []
    how = "run_start and run_end in the log, or run_starts_at in the course, mark runs"
    return [f"No run is marked, so each session is told as a run: this may be a game without runs ({how})."]


def _word_counted(report: RunsDocument | FunnelPerRunDocument) -> str:
    return f"{plural(report['runs'], 'run')} by {plural(report['players'], 'player')}."


def _reading() -> list[str]:
    return [
        "Gets here: the share of runs that reach a level, had none been cut short by the time, a crash or the log's end; its "
        "interval knows that players play several runs."
    ]


def _ends(counts: dict[str, int]) -> str:
    return ", ".join(f"{count:,} {words(cause)}" for cause, count in counts.items() if count)


def _list_number_notes(report: RunsDocument) -> list[str]:
    wins = report["to_first_win"]
    half = (
        "not yet half of the players have won one"
        if wins["p50"] is None
        else f"half of the players win one within {plural(wins['p50'], 'run')}"
    )
    rest = len(report["by_number"]) - _MOST_NUMBERS
    more = [f"{plural(rest, 'further row')} in --format json."] if rest > 0 else []
    return [f"Furthest: the median of the furthest level, counted from 1. Runs to the first win: {half}.", *more]


def per_run_view(report: FunnelPerRunDocument) -> list[AnyView]:
    """The funnel of runs."""
    causes = [cause for cause in RUN_CAUSES if any(_count(row, cause) for row in report["levels"])]
    columns: list[Column[PerRunRow]] = [
        Column("level", lambda row: safe(row["level"]), left=True),
        count_column("reached", "reached"),
        count_column("cleared", "cleared"),
        *share_columns("gets here", "share", 0, 2),
        *(Column(words(cause), _format_cause(cause), rank=1) for cause in causes),
    ]
    notes = [_word_counted(report), *_reading(), *small_note(report, report["levels"], "reached"), *source_notes(report)]
    return [View("Funnel of runs: how many got how far, and how they ended", tuple(columns), report["levels"], notes)]


def _count(row: PerRunRow, cause: str) -> int:
    return cast("Mapping[str, int]", row)[f"ended_{cause}"]


def _format_cause(cause: str) -> Callable[[PerRunRow], str]:
    return lambda row: number(_count(row, cause)) if _count(row, cause) else ""
