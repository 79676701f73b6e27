"""From a loaded log to a report in the form that its file's name ends in."""

from __future__ import annotations

import argparse
import re
import shlex
from collections.abc import Callable
from pathlib import Path
from typing import Any, Final

from milepost.cli import terminal
from milepost.cli.showing import paper, write
from milepost.errors import UsageError
from milepost.gate.anonymous import anonymous_file
from milepost.logs.sources.files import expand
from milepost.logs.sources.remote import is_address, without_secrets
from milepost.measures.interface import Row
from milepost.opening import Loaded
from milepost.output import write_file, write_text
from milepost.reports.forms import render_json, render_markdown
from milepost.reports.interface import Report, View
from milepost.reports.made import how_made
from milepost.reports.registry import MEASURES
from milepost.reports.story import story
from milepost.reports.strips import course_strip
from milepost.reports.summary import summary_rows, summary_view
from milepost.reports.whole import whole_report
from milepost.wording import plural

Document = dict[str, Any]
PICTURES: Final = {entry.name: entry.picture for entry in MEASURES.values() if entry.picture}
_WHOM: Final = re.compile(r"^((?:--where=)?\s*(?:player|session)\s*[!=<>]+).*", re.DOTALL)
OVERVIEW_SHAPE, SHAPE = (1280, 1000), (1280, 800)


def gathered(args: argparse.Namespace, loaded: Loaded) -> Document:
    """The whole report's document."""
    if args.anonymous:
        loaded = loaded.without_names()
    with terminal.progress() as progress:
        return whole_report(loaded.play(), args.min_players, _made(args), progress)


def write_report(args: argparse.Namespace, report: Document) -> None:
    """Write the report as its file's name asks, or to standard output as text.

    Raises:
        UsageError: the name's ending says no form that a report can have.
        OutputError: a file cannot be written.
    """
    form = form_of(args.output)
    if form is None:
        *told, table = text_views(report)
        strip = course_strip(report) if args.format == "table" else []
        write(args, Report(report, [*told, *strip, table], summary_rows(report)))
        return
    _FORMS[form](args, report)


def form_of(output: str | None) -> str | None:
    """The form that a report's file has by its name's ending; None for standard output.

    Raises:
        UsageError: the name's ending says no form that a report can have.
    """
    if output in (None, "-"):
        return None
    form = Path(str(output)).suffix.lower()
    if form not in _FORMS:
        raise UsageError(f"{output}: a report's name ends in .html, .md, .json or .pdf.")
    return form


def text_views(report: Document) -> list[View]:
    """The report as it is read in a terminal."""
    told = [View(chapter.heading, (), [], _marked(chapter.sentences, chapter.ordered)) for chapter in story(report)]
    return [*told, summary_view(report)]


def _marked(sentences: list[str], ordered: bool) -> list[str]:
    return [f"{n}. {said}" if ordered and len(sentences) > 1 else said for n, said in enumerate(sentences, 1)]


def _made(args: argparse.Namespace) -> Row:
    """How the report is made; without the names of logs where names are to be left out."""
    sources = expand(args.logs)
    labels = [anonymous_file(s.label, n) if args.anonymous else s.label for n, s in enumerate(sources)]
    words = [_shown(word, args.anonymous) for word in args.words if not (args.anonymous and word in args.logs)]
    inputs = [(label, source.path) for label, source in zip(labels, sources, strict=True)]
    inputs += [(name, Path(name)) for name in (args.course, args.map) if name]
    return how_made(shlex.join(["milepost", *words, *(["LOG"] if args.anonymous else [])]), inputs)


def _shown(word: str, anonymous: bool) -> str:
    """A word of the command line without the secrets of an address, and without whom it names where nobody is to be named."""
    if is_address(word):
        word = without_secrets(word)
    return _WHOM.sub(r"\1…", word) if anonymous else word


def _write_html(args: argparse.Namespace, report: Document) -> None:
    from milepost.figures.draw import finding
    from milepost.figures.inline import colours, inline_svg
    from milepost.reports.webpage import Look, Picture, render_page

    def picture(name: str, heading: str, document: Document, shape: tuple[int, int]) -> Picture:
        said = finding(name, document)
        return Picture(name, heading, said, inline_svg(name, document, said, shape))

    with terminal.progress() as progress:
        progress.step("drawing")
        overview = picture("overview", "The course at a glance", report, OVERVIEW_SHAPE)
        pictures = [picture(name, heading, report[name], SHAPE) for name, heading in PICTURES.items()]
        page = render_page(report, overview, pictures, Look(*colours()))
    write_text(page, args.output)


def _write_markdown(args: argparse.Namespace, report: Document) -> None:
    """Markdown, with its pictures beside it."""
    from milepost.figures.draw import draw_to, finding

    target = Path(args.output)
    parts = ["# " + plural(report["players"], "player") + f", {plural(len(report['course']['levels']), 'level')}\n"]
    for name, heading in {"overview": "The course at a glance", **PICTURES}.items():
        document = report if name == "overview" else report[name]
        beside = target.with_name(f"{target.stem}-{name}.png")
        draw_to(str(beside), name, document, paper(args))
        parts.append(f"## {heading}\n\n![{_alternative(finding(name, document))}]({_address(beside.name)})\n")
    parts.insert(1, render_markdown(Report(report, text_views(report), [])))
    made = report["made"]
    files = "".join(f"- {_alternative(one['file'])}: {one['sha256'] or 'standard input'}\n" for one in made["files"])
    parts.append(f"## How it was made\n\n    {made['command']}\n\n{made['versions']}. Input files with their SHA-256:\n\n{files}")
    write_text("\n".join(parts), args.output)


def _alternative(text: str) -> str:
    return "".join(f"\\{char}" if char in "\\`*_[]<>|#" else char for char in text)


def _address(name: str) -> str:
    from urllib.parse import quote

    return quote(name)


def _write_json(args: argparse.Namespace, report: Document) -> None:
    write_text(render_json(Report(report, [], [])), args.output)


def _write_pdf(args: argparse.Namespace, report: Document) -> None:
    from milepost.figures.booklet import write_booklet

    chapters = [(chapter.heading, _marked(chapter.sentences, chapter.ordered)) for chapter in story(report)]
    made = report["made"]
    files = [f"{one['file']}: SHA-256 {one['sha256'] or 'unknown, standard input'}" for one in made["files"]]
    chapters.append(("How it was made", [made["command"], made["versions"], *files]))
    figures = [("overview", report), *((name, report[name]) for name in PICTURES)]
    title = f"{plural(report['players'], 'player')} in {plural(len(report['course']['levels']), 'level')}"
    write_file(args.output, lambda stream: write_booklet(stream, title, chapters, figures, paper(args)))


_FORMS: Final[dict[str, Callable[[argparse.Namespace, Document], None]]] = {
    ".html": _write_html, ".htm": _write_html, ".md": _write_markdown, ".json": _write_json, ".pdf": _write_pdf,
}  # fmt: skip
