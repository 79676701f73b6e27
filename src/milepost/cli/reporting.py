"""From a loaded log to a report in the form that its file's name ends in."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Final, cast

from milepost.audit.cautions import require_used
from milepost.cleaning.anonymous import Pseudonyms
from milepost.cli import terminal
from milepost.cli.comparing import compared
from milepost.cli.folder_defaults import settings_of
from milepost.cli.folder_tables import answers_of, notes_of, recordings_of, targets_of
from milepost.cli.loading import players_of_folder
from milepost.cli.report_metadata import form_of, made_of
from milepost.cli.run_measure import paper, write
from milepost.output import write_file, write_text
from milepost.reports.course_strip import course_strip
from milepost.reports.full_report import ReportExtras, whole_report
from milepost.reports.interface import Report
from milepost.reports.json_csv_markdown import render_json
from milepost.reports.since import read_report
from milepost.reports.summary import summary_rows

if TYPE_CHECKING:
    from milepost.open_log import Loaded
    from milepost.reports.document_types import CompareDocument, ReportDocument


def gathered(args: argparse.Namespace, loaded: Loaded) -> ReportDocument:
    """The whole report's document."""
    hidden = pseudonyms_of(args, loaded) if args.anonymous else None
    if hidden is not None:
        loaded = loaded.without_names()
    beside = ReportExtras(
        _compared(args, loaded),
        answers_of(args, hidden),
        targets_of(args),
        notes_of(args, loaded.course, hidden),
        recordings_of(args, hidden),
        (args.since, read_report(args.since)) if args.since else None,
    )
    with terminal.progress() as progress:
        play = loaded.last_play()
        require_used(play)
        report = whole_report(play, args.min_players, made_of(args), beside, progress)
    settings = settings_of(args)
    if settings is not None:
        report["settings"] = settings
    return report if hidden is None else cast("ReportDocument", hidden.in_document(report))


def pseudonyms_of(args: argparse.Namespace, loaded: Loaded) -> Pseudonyms:
    """Pseudonyms for whoever the log, or the folder's table of players, names."""
    table = players_of_folder(args)
    return Pseudonyms.of(loaded.sessions, {} if table is None else table.tags)


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
