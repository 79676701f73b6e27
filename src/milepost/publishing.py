"""The report in its forms: a page, Markdown with its pictures beside it, a PDF, or text for a terminal."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any, BinaryIO, Final, cast
from urllib.parse import quote

from milepost.figures.draw import Paper, draw_to, finding
from milepost.figures.inline import NO_LINKS, colours, inline_svg
from milepost.figures.pdf import write_booklet
from milepost.figures.style import shortened
from milepost.reports.document_types import ReportDocument
from milepost.reports.findings_text import story
from milepost.reports.interface import AnyView, Report, View
from milepost.reports.json_csv_markdown import escaped, render_markdown
from milepost.reports.registry import MEASURES
from milepost.reports.summary import summary_view
from milepost.reports.webpage import Look, Picture, render_page
from milepost.wording import plural

OVERVIEW: Final = "overview"
_HEADINGS: Final = {OVERVIEW: "The course at a glance"} | {one.name: one.picture for one in MEASURES.values() if one.picture}
THUMBNAIL: Final = "thumbnail"
_OVERVIEW_SHAPE, _SHAPE, _GLANCE_SHAPE = (1280, 1000), (1280, 800), (560, 455)


def _drawn_from(report: ReportDocument) -> dict[str, Any]:
    """The document that each figure of the report is drawn from."""
    parts = cast("Mapping[str, Any]", report)
    return {name: report if name == OVERVIEW else parts[name] for name in _HEADINGS if name == OVERVIEW or parts[name]}


def text_views(report: ReportDocument) -> list[AnyView]:
    """The report as it is read in a terminal."""
    told: list[AnyView] = [View(one.heading, (), [], _numbered(one.sentences, one.ordered)) for one in story(report)]
    return [*told, summary_view(report)]


def _numbered(sentences: list[str], ordered: bool) -> list[str]:
    return [f"{n}. {said}" if ordered and len(sentences) > 1 else said for n, said in enumerate(sentences, 1)]


def as_page(report: ReportDocument) -> str:
    """The report as a page that needs nothing beside it."""
    levels = list(enumerate(report["course"]["levels"], 1))
    links = {shortened(name, long): f"#level-{place}" for place, name in levels for long in (16, 18)}
    said = finding(THUMBNAIL, report)
    first = Picture(THUMBNAIL, "", said, inline_svg(THUMBNAIL, report, said, _GLANCE_SHAPE, links))
    pictures = []
    for name, document in _drawn_from(report).items():
        said, shape = finding(name, document), _OVERVIEW_SHAPE if name == OVERVIEW else _SHAPE
        led = links if name == OVERVIEW else NO_LINKS
        pictures.append(Picture(name, _HEADINGS[name], said, inline_svg(name, document, said, shape, led)))
    return render_page(report, first, pictures, Look(*colours()))


def as_markdown(report: ReportDocument, target: Path, paper: Paper) -> str:
    """The report as Markdown; its pictures are drawn beside the file.

    Raises:
        OutputError: a picture cannot be written.
    """
    parts = ["# " + plural(report["players"], "player") + f", {plural(len(report['course']['levels']), 'level')}\n"]
    parts.append(render_markdown(Report(report, text_views(report), [])))
    for name, document in _drawn_from(report).items():
        beside = target.with_name(f"{target.stem}-{name}.png")
        draw_to(str(beside), name, document, paper)
        parts.append(f"## {_HEADINGS[name]}\n\n![{escaped(finding(name, document))}]({quote(beside.name)})\n")
    made = report["made"]
    files = "".join(f"- {escaped(one['file'])}: {one['sha256'] or 'standard input'}\n" for one in made["files"])
    parts.append(f"## How it was made\n\n    {made['command']}\n\n{made['versions']}. Input files with their SHA-256:\n\n{files}")
    return "\n".join(parts)


def write_pdf(report: ReportDocument, stream: BinaryIO, paper: Paper) -> None:
    """Write the report as a PDF: its sentences, then a figure on each page."""
    chapters = [(chapter.heading, _numbered(chapter.sentences, chapter.ordered)) for chapter in story(report)]
    made = report["made"]
    files = [f"{one['file']}: SHA-256 {one['sha256'] or 'unknown, standard input'}" for one in made["files"]]
    chapters.append(("How it was made", [made["command"], made["versions"], *files]))
    title = f"{plural(report['players'], 'player')} in {plural(len(report['course']['levels']), 'level')}"
    write_booklet(stream, title, chapters, list(_drawn_from(report).items()), paper)
