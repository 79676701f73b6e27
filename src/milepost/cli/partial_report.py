"""A report of some measures only: what several commands would say, from one replay."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Final, cast

from milepost.cli.folder_defaults import with_settings
from milepost.cli.messages import Exit, tell
from milepost.cli.reporting import form_of, made_of, pseudonyms_of
from milepost.cli.run_measure import write
from milepost.errors import UsageError
from milepost.measures.interface import CountingMeasure
from milepost.output import write_text
from milepost.reports.build_document import needs_of, rows_of
from milepost.reports.interface import Report
from milepost.reports.json_csv_markdown import render_json, render_markdown
from milepost.reports.measure_documents import some_measures
from milepost.reports.registry import MEASURES
from milepost.wording import listed

if TYPE_CHECKING:
    from collections.abc import Sequence

    from milepost.open_log import Loaded
    from milepost.playback.play import Summed
    from milepost.reports.document_types import SelectedDocument

_FORMS: Final = {None: None, ".json": render_json, ".md": render_markdown}


def measures_named(text: str) -> tuple[str, ...]:
    """The measures of a list of names, in the order of the report.

    Raises:
        UsageError: one is no measure of the report.
    """
    asked = [name.strip() for name in text.split(",")]
    for name in asked:
        if name not in MEASURES or MEASURES[name].reported is None:
            there = [name for name, entry in MEASURES.items() if entry.reported is not None]
            raise UsageError(f"--only {name}: the report has no such measure. It has {listed(there)}.")
    return tuple(name for name in MEASURES if name in asked)  # of the others nothing is loaded


def _document_of(args: argparse.Namespace, names: Sequence[str], loaded: Loaded) -> SelectedDocument:
    """The measures' documents; where all of them need nothing but counts, no more is asked for."""

    def made(play: Summed) -> SelectedDocument:
        return some_measures(play, names, args.min_players, made_of(args))

    measures = [reported(args.min_players) for name in names if (reported := MEASURES[name].reported) is not None]
    counting = [measure for measure in measures if isinstance(measure, CountingMeasure)]
    if len(counting) < len(measures):
        return made(loaded.last_play())
    return loaded.counted(None, made, needs_of(counting))


def report_only(args: argparse.Namespace, loaded: Loaded) -> Exit:
    """Write the measures that are named, each as its command does.

    Raises:
        UsageError: it cannot be had in the form that is asked for.
    """
    names = measures_named(args.only)
    form = form_of(args.output)
    if form not in _FORMS:
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
    render = _FORMS[form]
    if render is None:
        write(args, report)
    else:
        write_text(render(with_settings(args, report)), args.output)
    return Exit.DONE
