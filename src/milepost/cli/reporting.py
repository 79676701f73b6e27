"""From a loaded log to a report in the form that its file's name ends in."""

from __future__ import annotations

import argparse
import os
import re
import shlex
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Final

from milepost.cli import terminal
from milepost.cli.beside import answers_of, notes_of, recordings_of, targets_of
from milepost.cli.comparing import compared
from milepost.cli.settling import files_of_folder, settings_of
from milepost.cli.showing import paper, write
from milepost.errors import UsageError
from milepost.gate.anonymous import Pseudonyms, anonymous_file
from milepost.logs.sources.files import expand
from milepost.logs.sources.remote import is_address, without_secrets
from milepost.output import write_file, write_text
from milepost.reports.forms import render_json
from milepost.reports.interface import Report
from milepost.reports.made import how_made
from milepost.reports.since import read_report
from milepost.reports.strips import course_strip
from milepost.reports.summary import summary_rows
from milepost.reports.whole import Beside, whole_report
from milepost.store.checksums import taken_ahead

if TYPE_CHECKING:
    from milepost.opening import Loaded
    from milepost.reports.documents import CompareDocument, Made, ReportDocument

_WHOM: Final = re.compile(r"^((?:--where=)?\s*(?:player|session)\s*[!=<>]+).*", re.DOTALL)


def gathered(args: argparse.Namespace, loaded: Loaded) -> ReportDocument:
    """The whole report's document."""
    hidden = Pseudonyms.of(loaded.sessions) if args.anonymous else None
    if hidden is not None:
        loaded = loaded.without_names()
    beside = Beside(
        _compared(args, loaded),
        answers_of(args, hidden),
        targets_of(args),
        notes_of(args, loaded.course, hidden),
        recordings_of(args, hidden),
        (args.since, read_report(args.since)) if args.since else None,
    )
    with terminal.progress() as progress:
        report = whole_report(loaded.last_play(), args.min_players, made_of(args), beside, progress)
    settings = settings_of(args)
    if settings is not None:
        report["settings"] = settings
    return report


def _compared(args: argparse.Namespace, loaded: Loaded) -> CompareDocument | None:
    """The comparison of two builds, where the log has two, or some are named."""
    builds = {build for build in loaded.sessions.sessions.build if build is not None}
    return compared(args, loaded) if len(builds) > 1 or args.before or args.after else None


def write_report(args: argparse.Namespace, report: ReportDocument) -> None:
    """Write the report as its file's name asks, or to standard output as text.

    Raises:
        UsageError: the name's ending says no form that a report can have.
        OutputError: a file cannot be written.
    """
    form = form_of(args.output)
    if form is None:
        from milepost.publishing import text_views

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


def made_of(args: argparse.Namespace) -> Made:
    """How the report is made; without the names of logs where names are to be left out."""
    sources = expand(args.logs)
    labels = [anonymous_file(s.label, n) if args.anonymous else s.label for n, s in enumerate(sources)]
    words = [_shown(word, args.anonymous) for word in args.words if not (args.anonymous and word in args.logs)]
    inputs = [(label, source.path) for label, source in zip(labels, sources, strict=True)]
    inputs += [(name, Path(name)) for name in (args.course, args.map) if name]
    inputs += [(os.path.relpath(path), path) for path in files_of_folder(args) if path not in {one for _, one in inputs}]
    return how_made(shlex.join(["milepost", *words, *(["LOG"] if args.anonymous else [])]), inputs)


def begin_checksums(args: argparse.Namespace) -> None:
    """Take the checksums of large logs, which the report is to name, while these are read; of what lies here already."""
    if not any(is_address(name) for name in args.logs):
        taken_ahead(source.path for source in expand(args.logs) if source.path is not None)


def _shown(word: str, anonymous: bool) -> str:
    """A word of the command line without the secrets of an address, and without whom it names where nobody is to be named."""
    if is_address(word):
        word = without_secrets(word)
    return _WHOM.sub(r"\1…", word) if anonymous else word


def _write_html(args: argparse.Namespace, report: ReportDocument) -> None:
    from milepost.publishing import as_page

    with terminal.progress() as progress:
        progress.step("drawing")
        page = as_page(report)
    write_text(page, args.output)


def _write_markdown(args: argparse.Namespace, report: ReportDocument) -> None:
    from milepost.publishing import as_markdown

    write_text(as_markdown(report, Path(args.output), paper(args)), args.output)


def _write_json(args: argparse.Namespace, report: ReportDocument) -> None:
    write_text(render_json(Report(report, [], [])), args.output)


def _write_pdf(args: argparse.Namespace, report: ReportDocument) -> None:
    from milepost.publishing import write_pdf

    write_file(args.output, lambda stream: write_pdf(report, stream, paper(args)))


_FORMS: Final[dict[str, Callable[[argparse.Namespace, ReportDocument], None]]] = {
    ".html": _write_html,
    ".htm": _write_html,
    ".md": _write_markdown,
    ".json": _write_json,
    ".pdf": _write_pdf,
}
