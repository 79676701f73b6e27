"""The report in its forms: a page, Markdown with its pictures beside it, a PDF, or text for a terminal."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any, BinaryIO, Final, cast
from urllib.parse import quote

from milepost.figures.draw import Paper, draw_to, finding
from milepost.figures.inline import NO_LINKS, colours, inline_svg
from milepost.figures.pdf import write_booklet
from milepost.figures.style import shorten
from milepost.reports.document_types import ReportDocument
from milepost.reports.findings_text import story
from milepost.reports.interface import AnyView, Report, View
from milepost.reports.json_csv_markdown import escaped, render_markdown
from milepost.reports.registry import MEASURES
from milepost.reports.summary import summary_view
from milepost.reports.webpage import Look, Picture, render_page
from milepost.wording import plural

OVERVIEW: Final = "overview"
_HEADINGS: Final = {OVERVIEW: "The course at a glance"} | {
    entry.name: entry.picture for entry in MEASURES.values() if entry.picture
}
THUMBNAIL: Final = "thumbnail"
_OVERVIEW_SHAPE, _SHAPE, _GLANCE_SHAPE = (1280, 1000), (1280, 800), (560, 455)


def _list_drawn_documents(report: ReportDocument) -> dict[str, Any]:
    """The document that each figure of the report is drawn from."""
    parts = cast("Mapping[str, Any]", report)
    return {name: report if name == OVERVIEW else parts[name] for name in _HEADINGS if name == OVERVIEW or parts[name]}


def text_views(report: ReportDocument) -> list[AnyView]:
    """The report as it is read in a terminal."""
    views: list[AnyView] = [
        View(chapter.heading, (), [], _numbered(chapter.sentences, chapter.ordered)) for chapter in story(report)
    ]
    return [*views, summary_view(report)]


def _numbered(sentences: list[str], ordered: bool) -> list[str]:
    return [f"{n}. {sentence}" if ordered and len(sentences) > 1 else sentence for n, sentence in enumerate(sentences, 1)]


def as_page(report: ReportDocument) -> str:
    """The report as a page that needs nothing beside it."""
    levels = list(enumerate(report["course"]["levels"], 1))
    links = {shorten(name, long): f"#level-{place}" for place, name in levels for long in (16, 18)}
    caption = finding(THUMBNAIL, report)
    first = Picture(THUMBNAIL, "", caption, inline_svg(THUMBNAIL, report, caption, _GLANCE_SHAPE, links))
    pictures = []
    for name, document in _list_drawn_documents(report).items():
        caption, shape = finding(name, document), _OVERVIEW_SHAPE if name == OVERVIEW else _SHAPE
        led = links if name == OVERVIEW else NO_LINKS
        pictures.append(Picture(name, _HEADINGS[name], caption, inline_svg(name, document, caption, shape, led)))
    return render_page(report, first, pictures, Look(*colours()))


def as_markdown(report: ReportDocument, target: Path, paper: Paper) -> str:
    """The report as Markdown; its pictures are drawn beside the file.

    Raises:
        OutputError: a picture cannot be written.
    """
    parts = ["# " + plural(report["players"], "player") + f", {plural(len(report['course']['levels']), 'level')}\n"]
    parts.append(render_markdown(Report(report, text_views(report), [])))
    for name, document in _list_drawn_documents(report).items():
        beside = target.with_name(f"{target.stem}-{name}.png")
        draw_to(str(beside), name, document, paper)
        parts.append(f"## {_HEADINGS[name]}\n\n![{escaped(finding(name, document))}]({quote(beside.name)})\n")
    provenance = report["made"]
    files = "".join(f"- {escaped(file['file'])}: {file['sha256'] or 'standard input'}\n" for file in provenance["files"])
    files_line = f"{provenance['versions']}. Input files with their SHA-256:"
    parts.append(f"## How it was made\n\n    {provenance['command']}\n\n{files_line}\n\n{files}")
    return "\n".join(parts)


def write_pdf(report: ReportDocument, stream: BinaryIO, paper: Paper) -> None:
    """Write the report as a PDF: its sentences, then a figure on each page."""
    chapters = [(chapter.heading, _numbered(chapter.sentences, chapter.ordered)) for chapter in story(report)]
    provenance = report["made"]
    files = [f"{file['file']}: SHA-256 {file['sha256'] or 'unknown, standard input'}" for file in provenance["files"]]
    chapters.append(("How it was made", [provenance["command"], provenance["versions"], *files]))
    title = f"{plural(report['players'], 'player')} in {plural(len(report['course']['levels']), 'level')}"
    write_booklet(stream, title, chapters, list(_list_drawn_documents(report).items()), paper)
