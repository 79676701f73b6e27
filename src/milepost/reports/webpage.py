"""The report as one page of HTML that needs nothing beside it."""

from __future__ import annotations

import re
import tomllib
from base64 import b64encode
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from importlib.resources import files
from typing import TYPE_CHECKING, Final, TypedDict, cast

from milepost.measures.funnel import FunnelRow
from milepost.measures.level import SIDE, Planned, beside_builds, sections_of
from milepost.reports.check_views import check_views
from milepost.reports.document_types import LevelPageFigures
from milepost.reports.exclusion_text import said_of
from milepost.reports.findings_text import cautions_of_report, chapters
from milepost.reports.interface import Column, View
from milepost.reports.level_views import level_view
from milepost.reports.notes_and_recordings import notes_of_level
from milepost.reports.provenance import made_view
from milepost.reports.registry import MEASURES
from milepost.reports.summary import summary_rows, summary_view
from milepost.reports.views import count_column
from milepost.wording import percent, plural, rate, safe

if TYPE_CHECKING:
    from milepost.measures.attempts import Step
    from milepost.measures.deaths import DeathsRow
    from milepost.reports.document_types import ReportDocument
    from milepost.reports.interface import AnyView

_PAGE: Final = files("milepost.reports").joinpath("page")


@dataclass(frozen=True)
class Picture:
    """A picture of the page: its name, the finding that it shows, and the drawing as an ``<svg>`` element."""

    name: str
    heading: str
    finding: str
    svg: str


@dataclass(frozen=True)
class Look:
    """The page's colours as CSS variables."""

    light: str
    dark: str


_OF_BUILDS: Final = ("compare", "trend")


def render_page(report: ReportDocument, first: Picture, pictures: list[Picture], look: Look) -> str:
    """The page.

    Args:
        report: the whole report's document.
        first: the picture of the first screen.
        pictures: that of the whole course, then one for each measure that has one, named as the measure.
        look: the colours.
    """
    from jinja2 import Environment
    from markupsafe import Markup

    page = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(_text("page.html"))
    script = _text("page.js")
    style = _text("page.css").replace("%LIGHT%", look.light).replace("%DARK%", look.dark)
    return page.render(
        title=_title(report),
        subtitle=_subtitle(report),
        style=Markup(style),
        script=Markup(script),
        script_hash=b64encode(sha256(script.encode()).digest()).decode(),
        cautions=cautions_of_report(report),
        story=_chapters(report),
        first=_add_tables(first, []),
        overview=_add_tables(pictures[0], [summary_view(report)]),
        definitions=tomllib.loads(_text("glossary.toml"))["definition"],
        is_link=_is_link,
        pictures=[_add_numbers(report, picture) for picture in pictures[1:] if picture.name not in _OF_BUILDS],
        builds=[_add_numbers(report, picture) for picture in pictures[1:] if picture.name in _OF_BUILDS],
        others=[_plain(view) for name, part in _list_tabled_measures(report) for view in MEASURES[name].views(part)],
        health=[_plain(view) for view in check_views(report["check"])],
        made=report["made"] | {"files": _plain(made_view(report["made"]))},
        settings=said_of(report["settings"]) if "settings" in report else "",
        **_levels(report),
    )


def _levels(report: ReportDocument) -> dict[str, object]:
    """Return the data of the list of levels and their pages."""
    summary = summary_view(report)
    return {
        "summary": _plain(summary),
        "levels": level_marks(report),
        "chapters": chapters_of(report),
        "verdict_column": next(place for place, column in enumerate(summary.columns, 1) if column.title == "verdict"),
        "places": {safe(name): place for place, name in enumerate(report["course"]["levels"], 1)},
        "said": [safe(row["sentence"]) if row["sentence"] else "" for row in report["spikes"]["levels"]],
        "pages": [[_plain(view) for view in views] for views in level_pages(report)],
        "bins": [_bins(row) for row in report["deaths"]["levels"]],
    }


def _add_numbers(report: ReportDocument, picture: Picture) -> dict[str, object]:
    """A measure's picture with its tables."""
    return _add_tables(picture, MEASURES[picture.name].views(_part(report, picture.name)))


def _part(report: ReportDocument, name: str) -> object:
    """A measure's document."""
    return cast("Mapping[str, object]", report)[name]


def _list_tabled_measures(report: ReportDocument) -> list[tuple[str, object]]:
    """The measures of the report that a table shows best, with their documents; how the log is, has a place of its own."""
    entries = [entry for entry in MEASURES.values() if not entry.picture and (entry.reported or entry.beside)]
    return [(entry.name, part) for entry in entries if entry.name != "check" and (part := _part(report, entry.name))]


def _chapters(report: ReportDocument) -> list[dict[str, object]]:
    """The story, with the level's name set apart where a sentence begins with one."""
    names = sorted((safe(name) for name in report["course"]["levels"]), key=len, reverse=True)

    def parted(sentence: str) -> tuple[str, str]:
        lead = next((name for name in names if sentence.startswith(name)), "")
        return lead, sentence[len(lead) :]

    return [vars(chapter) | {"sentences": [parted(sentence) for sentence in chapter.sentences]} for chapter in chapters(report)]


def _is_link(cell: str) -> bool:
    """Return whether a cell is an address that a reader may follow."""
    return re.fullmatch(r"https?://[^\s\"'<>]+", cell) is not None


def _text(name: str) -> str:
    return _PAGE.joinpath(name).read_text(encoding="utf-8")


def _title(report: ReportDocument) -> str:
    return safe(report["course"].get("name") or "The course") + f": {plural(report['players'], 'player')} played it"


def _subtitle(report: ReportDocument) -> str:
    order = (
        "the order of the levels is inferred from who was where first"
        if report["course"]["inferred"]
        else "in the order of the course file"
    )
    return f"{plural(len(report['course']['levels']), 'level')}, {order}; {plural(report['sessions'], 'session')}."


def _add_tables(picture: Picture, views: Sequence[AnyView]) -> dict[str, object]:
    """A picture with its numbers in tables."""
    from markupsafe import Markup

    return vars(picture) | {"svg": Markup(picture.svg), "views": [_plain(view) for view in views]}


def _plain(view: AnyView) -> dict[str, object]:
    """A view as texts."""
    columns = [column for column in view.columns if not column.drawn]
    return {
        "heading": view.heading,
        "notes": view.notes,
        "columns": [{"title": column.full_title or column.title, "left": column.left} for column in columns],
        "rows": [[column.text(row) for column in columns] for row in view.rows],
    }


class _Bins(TypedDict):
    """Bars, and the same as text."""

    bars: list[float]
    text: str


def _bins(row: DeathsRow) -> _Bins | None:
    """Bars of up to 24 for deaths by tenths of a level; nothing where no death has a place."""
    most = max(row["progress"], default=0)
    if not most:
        return None
    bars = [round(23 * count / most, 1) for count in row["progress"]]
    return _Bins(bars=bars, text=", ".join(str(count) for count in row["progress"]))


_MOST_CAUSES, _MOST_TRIES = 8, 12


def level_pages(report: ReportDocument) -> list[list[AnyView]]:
    """Per level of the course, its views: in words, its neighbours and builds, causes, tries, and sessions to watch."""
    return [_page(report, place) for place in range(len(report["course"]["levels"]))]


def _page(report: ReportDocument, place: int) -> list[AnyView]:
    page = _build_level_page(report, place)
    of_level = [view for view in level_view(page) if view.rows or view.notes]
    views: list[AnyView] = [of_level[0], _causes(page), _tries(page), *of_level[1:]]
    return [view for view in views if view.rows or view.notes]


def _build_level_page(report: ReportDocument, place: int) -> LevelPageFigures:
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
        sections=sections_of(report["sections"]["sections"], level),
        after_failure=report["after_failure"][place],
        noted=notes_of_level(report.get("noted", []), level),
        neighbours=[beside_builds(tries[n], builds["levels"][n]) for n in near],
    )


class _Cause(TypedDict):
    """Deaths of one cause, or without one."""

    cause: str | None
    deaths: int
    players: int | None
    per_player_reached: float | None


def _causes(page: LevelPageFigures) -> View[_Cause]:
    """Deaths by cause."""
    deaths = page["deaths"]
    rows = [
        _Cause(
            cause=cause, deaths=figures["deaths"], players=figures["players"], per_player_reached=figures["per_player_reached"]
        )
        for cause, figures in list(deaths["causes"].items())[:_MOST_CAUSES]
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


def _tries(page: LevelPageFigures) -> View[Step]:
    """Return the table of players still trying, try by try."""
    columns: tuple[Column[Step], ...] = (
        count_column("try", "k"),
        count_column("tried", "at_risk"),
        count_column("cleared", "cleared"),
        Column("not cleared after it", lambda row: percent(row["survival"])),
    )
    steps = page["attempts"]["distribution"]
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
    marks = []
    for row in summary_rows(report):
        kind = "too_few" if row["evidence"] == "too_few" else row["kind"]
        bars = ((4, row["retention"]), (5, row["try_clear"]))
        shares = {place: round(100 * share) for place, share in bars if share is not None}
        chapter = safe(chapters.get(row["level"]) or "")
        marks.append(LevelMark(mark=_MARKS.get(kind, ""), kind=kind, chapter=chapter, shares=shares))
    return marks


def chapters_of(report: ReportDocument) -> list[str]:
    """The chapters in the order of their levels."""
    return list(dict.fromkeys(safe(row["chapter"]) for row in report["plan"] if row["chapter"]))
