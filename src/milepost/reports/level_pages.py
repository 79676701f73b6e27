"""The report's levels: marks in its list (a word for the verdict, bars for shares), and a page for each."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final, TypedDict, cast

from milepost.measures.funnel import FunnelRow
from milepost.measures.level import SIDE, Planned, beside_builds
from milepost.reports.document_types import LevelPageFigures
from milepost.reports.interface import Column, View
from milepost.reports.level_views import level_view
from milepost.reports.notes_and_recordings import notes_of_level
from milepost.reports.summary import summary_rows
from milepost.reports.views import count_column
from milepost.wording import percent, rate, safe

if TYPE_CHECKING:
    from milepost.measures.attempts import Step
    from milepost.reports.document_types import ReportDocument
    from milepost.reports.interface import AnyView

_MOST_CAUSES, _MOST_TRIES = 8, 12


def level_pages(report: ReportDocument) -> list[list[AnyView]]:
    """Per level of the course, its views: in words, its neighbours and builds, causes, tries, and sessions to watch."""
    return [_page(report, place) for place in range(len(report["course"]["levels"]))]


def _page(report: ReportDocument, place: int) -> list[AnyView]:
    one = _of_level(report, place)
    own = [view for view in level_view(one) if view.rows or view.notes]
    views: list[AnyView] = [own[0], _causes(one), _tries(one), *own[1:]]
    return [view for view in views if view.rows or view.notes]


def _of_level(report: ReportDocument, place: int) -> LevelPageFigures:
    """Return the document that `level` would give."""
    tries, builds, level = report["attempts"]["levels"], report["builds"], report["course"]["levels"][place]
    plan = report["plan"][place] if report["plan"] else None
    near = range(max(0, place - SIDE), min(len(report["course"]["levels"]), place + SIDE + 1))
    planned = Planned()
    if plan:
        planned = Planned(target_clear=plan["target_clear"], par_seconds=plan["par_seconds"], knobs=plan["knobs"])
    return LevelPageFigures(
        course=report["course"],
        players=report["players"],
        min_players=report.get("min_players", 0),
        level=level,
        place=place + 1,
        plan=planned,
        funnel=cast(FunnelRow, report["funnel"]["levels"][place]),
        attempts=tries[place],
        times=report["times"]["levels"][place],
        deaths=report["deaths"]["levels"][place],
        note=report.get("notes", {}).get(level),
        first_level=None,
        builds=sorted(builds["names"]),
        watch=report["watch"][place],
        attributes=report["attributes"][place],
        noted=notes_of_level(report.get("noted", []), level),
        neighbours=[beside_builds(tries[n], builds["levels"][n]) for n in near],
    )


class _Cause(TypedDict):
    """Deaths of one cause, or without one."""

    cause: str | None
    deaths: int
    players: int | None
    per_player_reached: float | None


def _causes(one: LevelPageFigures) -> View[_Cause]:
    """Deaths by cause."""
    deaths = one["deaths"]
    rows = [
        _Cause(cause=cause, deaths=own["deaths"], players=own["players"], per_player_reached=own["per_player_reached"])
        for cause, own in list(deaths["causes"].items())[:_MOST_CAUSES]
    ]
    if deaths["without_cause"]:
        rows.append(_Cause(cause=None, deaths=deaths["without_cause"], players=None, per_player_reached=None))
    columns: tuple[Column[_Cause], ...] = (
        Column("cause", lambda row: "none given" if row["cause"] is None else safe(row["cause"]), left=True),
        count_column("deaths", "deaths"),
        count_column("players", "players"),
        Column("per player", lambda row: rate(row["per_player_reached"])),
    )
    return View("Causes of death", columns, rows)


def _tries(one: LevelPageFigures) -> View[Step]:
    """Return the table of players still trying, try by try."""
    columns: tuple[Column[Step], ...] = (
        count_column("try", "k"),
        count_column("tried", "at_risk"),
        count_column("cleared", "cleared"),
        Column("not cleared after it", lambda row: percent(row["survival"])),
    )
    steps = one["attempts"]["distribution"]
    return View("Try by try", columns, [step for step in steps if step["cleared"] or step["k"] <= 2][:_MOST_TRIES])


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
