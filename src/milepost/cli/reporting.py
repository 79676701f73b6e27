"""From a loaded log to a report in the form that its file's name ends in."""

from __future__ import annotations

import os
import re
import shlex
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Final, cast

from milepost.audit.cautions import require_used
from milepost.cleaning.anonymous import Pseudonyms, number_file
from milepost.cli import terminal
from milepost.cli.folder_defaults import files_of_folder, settings_of, with_settings
from milepost.cli.folder_tables import answers_of, notes_of, recordings_of, targets_of
from milepost.cli.loading import compare_with_answers, players_of_folder
from milepost.cli.messages import Exit, tell
from milepost.cli.run_measure import paper, write
from milepost.errors import UsageError
from milepost.logs.sources.files import expand
from milepost.logs.sources.remote import is_address, without_secrets
from milepost.logs.store.manifest import take_checksums_ahead
from milepost.measures.interface import CountingMeasure
from milepost.output import write_file, write_text
from milepost.reports.build_document import needs_of, rows_of
from milepost.reports.full_report import ReportExtras, some_measures, whole_report
from milepost.reports.interface import Report
from milepost.reports.json_csv_markdown import render_json, render_markdown
from milepost.reports.provenance import build_provenance
from milepost.reports.registry import MEASURES
from milepost.reports.since import read_report
from milepost.reports.summary import course_strip, summary_rows
from milepost.wording import listed

if TYPE_CHECKING:
    from collections.abc import Sequence

    from milepost.cli.arguments import Arguments
    from milepost.comparison.trend_steps import TrendSteps
    from milepost.open_log import Loaded
    from milepost.playback.play import Summed
    from milepost.reports.document_types import CompareDocument, Made, ReportDocument, SelectedDocument


def gather_report(args: Arguments, loaded: Loaded) -> ReportDocument:
    """The whole report's document."""
    hidden = pseudonyms_of(args, loaded) if args.anonymous else None
    if hidden is not None:
        loaded = loaded.without_names()
    builds = _compare_in_a_row(args, loaded)
    beside = ReportExtras(
        None if builds is not None else _compared(args, loaded, hidden),
        builds,
        answers_of(args, hidden),
        targets_of(args),
        notes_of(args, loaded.course, hidden),
        recordings_of(args, hidden),
        (args.since, read_report(args.since)) if args.since else None,
    )
    with terminal.progress() as progress:
        play = loaded.last_play()
        require_used(play)
        report = whole_report(play, args.min_players, provenance_of(args), beside, progress)
    settings = settings_of(args)
    if settings is not None:
        report["settings"] = settings
    return report if hidden is None else cast("ReportDocument", hidden.in_document(report))


def pseudonyms_of(args: Arguments, loaded: Loaded) -> Pseudonyms:
    """Pseudonyms for whoever the log, or the folder's table of players, names."""
    table = players_of_folder(args)
    return Pseudonyms.of(loaded.sessions, {} if table is None else table.tags)


_IN_A_ROW: Final = 3  # builds from which they are a trend


def _compare_in_a_row(args: Arguments, loaded: Loaded) -> TrendSteps | None:
    """Builds in a row, each replayed by itself, where there are several pairs of them and none is named."""
    named = {build for build in loaded.sessions.sessions.build if build is not None}
    if len(named) < _IN_A_ROW or args.before or args.after:
        return None
    from milepost.comparison.trend_steps import groups_in_order, steps_from_plays

    return steps_from_plays(groups_in_order(loaded.sessions, "build", loaded.replay_groups("build")), "build", args.min_players)


def _compared(args: Arguments, loaded: Loaded, hidden: Pseudonyms | None) -> CompareDocument | None:
    """The comparison of two builds, where the log has two, or some are named."""
    builds = {build for build in loaded.sessions.sessions.build if build is not None}
    return compare_with_answers(args, loaded, hidden) if len(builds) > 1 or args.before or args.after else None


def write_report(args: Arguments, report: ReportDocument) -> None:
    """Write the report as its file's name asks, or to standard output as text.

    Raises:
        UsageError: the name's ending says no form that a report can have.
        OutputError: a file cannot be written.
    """
    form = form_of(args.output)
    if form is None:
        from milepost.publishing import text_views

        *views, table = text_views(report)
        strip = course_strip(report) if args.format == "table" else []
        write(args, Report(report, [*views, *strip, table], summary_rows(report)))
        return
    _FORMS[form](args, report)


def _write_html(args: Arguments, report: ReportDocument) -> None:
    from milepost.publishing import as_page

    with terminal.progress() as progress:
        progress.step("drawing")
        page = as_page(report)
    write_text(page, args.output)


def _write_markdown(args: Arguments, report: ReportDocument) -> None:
    from milepost.publishing import as_markdown

    write_text(as_markdown(report, Path(args.target), paper(args)), args.output)


def _write_json(args: Arguments, report: ReportDocument) -> None:
    write_text(render_json(Report(report, [], [])), args.output)


def _write_pdf(args: Arguments, report: ReportDocument) -> None:
    from milepost.publishing import write_pdf

    write_file(args.target, lambda stream: write_pdf(report, stream, paper(args)))


_FORMS: Final[dict[str, Callable[[Arguments, ReportDocument], None]]] = {
    ".html": _write_html,
    ".htm": _write_html,
    ".md": _write_markdown,
    ".json": _write_json,
    ".pdf": _write_pdf,
}


FORMS: Final = frozenset({".html", ".htm", ".md", ".json", ".pdf"})
_NAMELESS: Final = re.compile(r"report|[\d.,:]+")  # words of a command line that name nobody, beside options


def form_of(output: str | None) -> str | None:
    """The form that a report's file has by its name's ending; None for standard output.

    Raises:
        UsageError: the name's ending says no form that a report can have.
    """
    if output in (None, "-"):
        return None
    form = Path(str(output)).suffix.lower()
    if form not in FORMS:
        raise UsageError(f"{output}: a report's name ends in .html, .md, .json or .pdf.")
    return form


def provenance_of(args: Arguments) -> Made:
    """How the report is made; without the names of logs where names are to be left out."""
    sources = expand(args.logs)
    labels = [number_file(s.label, n) if args.anonymous else s.label for n, s in enumerate(sources)]
    words = [_hide_names(word, args.anonymous) for word in args.words if not (args.anonymous and word in args.logs)]
    inputs = [(label, source.path) for label, source in zip(labels, sources, strict=True)]
    others = [(name, Path(name)) for name in (args.course, args.map) if name]
    others += [
        (os.path.relpath(path), path) for path in files_of_folder(args) if path not in {known for _, known in [*inputs, *others]}
    ]
    first = len(inputs)
    inputs += [(number_file(name, first + n) if args.anonymous else name, path) for n, (name, path) in enumerate(others)]
    return build_provenance(shlex.join(["milepost", *words, *(["LOG"] if args.anonymous else [])]), inputs)


def begin_checksums(args: Arguments) -> None:
    """Take the checksums of large logs, which the report is to name, while these are read; of what lies here already."""
    if not any(is_address(name) for name in args.logs):
        take_checksums_ahead(source.path for source in expand(args.logs) if source.path is not None)


def _hide_names(word: str, anonymous: bool) -> str:
    """A word of the command line without the secrets of an address, and without whom it names where nobody is to be named."""
    if is_address(word):
        word = without_secrets(word)
    if not anonymous:
        return word
    option, equals, _ = word.partition("=")
    if word.startswith("-"):
        return f"{option}=…" if equals else word
    return word if _NAMELESS.fullmatch(word) else "…"


_FORMS_OF_PARTS: Final = {None: None, ".json": render_json, ".md": render_markdown}


def resolve_measures(text: str) -> tuple[str, ...]:
    """The measures of a list of names, in the order of the report.

    Raises:
        UsageError: one is no measure of the report.
    """
    asked = [name.strip() for name in text.split(",")]
    for name in asked:
        if name not in MEASURES or not MEASURES[name].reported:
            reported = [name for name, entry in MEASURES.items() if entry.reported]
            raise UsageError(f"--only {name}: the report has no such measure. It has {listed(reported)}.")
    return tuple(name for name in MEASURES if name in asked)  # of the others nothing is loaded


def _document_of(args: Arguments, names: Sequence[str], loaded: Loaded) -> SelectedDocument:
    """The measures' documents; where all of them need nothing but counts, no more is asked for."""

    def made(play: Summed) -> SelectedDocument:
        return some_measures(play, names, args.min_players, provenance_of(args))

    measures = [MEASURES[name].in_report(args.min_players) for name in names]
    counting = [measure for measure in measures if isinstance(measure, CountingMeasure)]
    if len(counting) < len(measures):
        return made(loaded.last_play())
    return loaded.compute_from_counts(None, made, needs_of(counting))


def report_only(args: Arguments, loaded: Loaded) -> Exit:
    """Write the measures that are named, each as its command does.

    Raises:
        UsageError: it cannot be had in the form that is asked for.
    """
    names = resolve_measures(args.only or "")
    form = form_of(args.output)
    if form not in _FORMS_OF_PARTS:
        raise UsageError(f"{args.output}: --only goes with .json and .md, and with what is read in the terminal.")
    if args.format == "csv" and form is None and len(names) > 1:
        raise UsageError(f"--format csv holds one table, and {listed(list(names))} are several. Name one of them.")
    if args.since or args.before or args.after:
        raise UsageError("--since, --from and --to are for the whole report. Leave them out, or leave --only out.")
    hidden = pseudonyms_of(args, loaded) if args.anonymous else None
    document = _document_of(args, names, loaded if hidden is None else loaded.without_names())
    if hidden is not None:
        document = cast("SelectedDocument", hidden.in_document(document))
    views = [view for name in names if document[name] for view in MEASURES[name].views(document[name])]  # type: ignore[literal-required]
    missing = [name for name in names if not document[name]]  # type: ignore[literal-required]
    if len(missing) == len(names):
        raise UsageError(f"--only {args.only}: the log or the course has nothing for that.")
    if missing:
        tell(f"milepost: the log or the course has nothing for {listed(missing)}.")
    first = document[names[0]]  # type: ignore[literal-required]
    report = Report(document, views, rows_of(first, MEASURES[names[0]].rows) if first else [])
    render = _FORMS_OF_PARTS[form]
    if render is None:
        write(args, report)
    else:
        write_text(render(with_settings(args, report)), args.output)
    return Exit.DONE
