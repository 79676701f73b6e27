"""From a measure to the place and form asked for: whole or by groups, with its figure."""

from __future__ import annotations

import itertools
import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, cast

from milepost import engine
from milepost.cli import terminal
from milepost.cli.folder_defaults import with_settings
from milepost.cli.folder_tables import join
from milepost.cli.loading import load
from milepost.cli.messages import Exit, tell
from milepost.errors import UsageError
from milepost.output import write_text
from milepost.playback.attributes import is_attribute
from milepost.playback.counted_play import count_per
from milepost.reports.build_document import add_descriptions, rows_of
from milepost.reports.interface import Report
from milepost.reports.registry import MEASURES
from milepost.reports.since import flagged_levels, read_report
from milepost.wording import listed, safe

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.figures.draw import Paper
    from milepost.measures.interface import AnyMeasure
    from milepost.open_log import Loaded
    from milepost.playback.play import Play
    from milepost.reports.document_types import FunnelPerRunDocument
    from milepost.reports.head_types import Head


def run_measure(
    args: Arguments,
    measure: AnyMeasure,
    loaded: Loaded | None = None,
    look: Callable[[Sequence[Mapping[str, object]]], None] | None = None,
) -> Exit:
    """Load, measure, draw and show, as the arguments ask; rows are looked at before they are shown."""
    loaded = loaded or load(args)
    if args.by:
        return _run_by_groups(args, args.by, measure, loaded, look)
    document = engine.document_of(loaded, args.command, measure, args.per)
    report = add_descriptions(document, loaded.course, args.min_players)
    if look is not None:
        look(rows_of(report, "levels"))
    join(args, report, loaded.course)
    draw(args, report)
    entry = MEASURES[args.command]
    write(args, Report(report, entry.views(report), rows_of(report, entry.rows_in(report))))
    return Exit.DONE


def measure_runs(args: Arguments, loaded: Loaded) -> Exit:
    """A funnel of runs, which has rows of its own.

    Raises:
        UsageError: groups are asked for, a figure, or what goes by players.
    """
    from milepost.measures.run_lengths import FunnelPerRun
    from milepost.reports.run_views import per_run_view

    for option, why in (("by", "milepost runs --by"), ("figure", "milepost runs --figure"), ("raw", "the funnel of players")):
        if getattr(args, option):
            raise UsageError(f"--{option} does not go with --per run; that is for {why}.")
    play = count_per(loaded.play(), "run")
    report = add_descriptions(engine.measured_document(play, args.command, FunnelPerRun()), loaded.course, args.min_players)
    write(args, Report(report, per_run_view(cast("FunnelPerRunDocument", report)), rows_of(report, "levels")))
    return Exit.DONE


def _run_by_groups(
    args: Arguments, key: str, measure: AnyMeasure, loaded: Loaded, look: Callable[[Sequence[Mapping[str, object]]], None] | None
) -> Exit:
    from milepost.reports.grouped import grouped_document, grouped_rows, grouped_view

    documents, counted, plays = [], Counter[str](), []
    attributes = _attribute_groups(loaded, key) if is_attribute(key) else None
    for value, group in attributes[1] if attributes else loaded.replay_groups(key):
        play = count_per(group, args.per)
        if args.command == "spikes" and not attributes:
            plays.append((value, play))
        own_document = add_descriptions(engine.measured_document(play, args.command, measure), loaded.course, args.min_players)
        if look is not None:
            look(rows_of(own_document, "levels"))
        documents.append((value, own_document))
        counted.update(itertools.compress(play.gated.players, play.counts))
    several = sum(groups > 1 for groups in counted.values())
    report = grouped_document(args.command, key, documents, 0 if attributes else several)
    if attributes:
        report["cuts"] = attributes[0]
    if plays:
        from milepost.comparison.groups import compare_groups

        report["compared"] = compare_groups(key, plays, args.min_players)
    _draw_groups(args, documents)
    write(args, Report(report, [grouped_view(report)], grouped_rows(report, MEASURES[args.command].rows)))
    return Exit.DONE


def _attribute_groups(loaded: Loaded, key: str) -> tuple[list[float], list[tuple[str | None, Play]]]:
    """Return the values at which an attribute is cut, and its groups, each a view of the same play."""
    from milepost.playback.attempt_filters import group_attempts

    play = loaded.play()
    groups = group_attempts(play, key)
    return groups.cuts, list(groups.plays(play, key))


def _draw_groups(args: Arguments, documents: list[tuple[str | None, Head]]) -> None:
    """Draw a figure for each group, named after it, if figures are asked for."""
    if not args.figure:
        return
    from milepost.figures.draw import draw_to

    asked, taken = Path(args.figure), set[str]()
    for number, (value, document) in enumerate(documents, 1):
        slug = re.sub(r"[^\w.]+", "-", value or "not-given").strip("-.")[:40] or f"group-{number}"
        slug = f"{slug}-{number}" if slug in taken else slug
        taken.add(slug)
        _say_missing(draw_to(str(asked.with_name(f"{asked.stem}-{slug}{asked.suffix}")), args.command, document, paper(args)))


def write(args: Arguments, report: Report) -> None:
    """Write a finished report as the arguments ask."""
    report = with_settings(args, report)
    if args.columns is not None:
        if args.format in ("json", "csv"):
            raise UsageError(f"--columns is for tables that people read; --format {args.format} has every column.")
        from milepost.reports.text import choose_columns  # which loads what draws tables

        report = choose_columns(report, args.columns)
    if args.format in ("csv", "junit"):  # which have no place for it
        for sentence in report.before_all:
            tell(f"milepost {args.command}: {sentence}")
    text = render(report, args.format, terminal.width(), terminal.has_colour(args.output))
    if args.output not in (None, "-") or args.format != "table" or not terminal.page(text):
        write_text(text, args.output)


def draw(args: Arguments, report: Mapping[str, object]) -> None:
    """Draw the measure's figure if one is asked for."""
    if args.figure:
        from milepost.figures.draw import draw_to

        _say_missing(draw_to(args.figure, args.command, report, paper(args)))


def _say_missing(characters: str) -> None:
    """Say which characters could not be drawn."""
    if characters:
        shown = " ".join(characters[:20]) + (" …" if len(characters) > 20 else "")
        tell(f"milepost: no font on this machine has {shown}: in the figure they are boxes. Install a font that has them.")


def paper(args: Arguments) -> Paper:
    """Return the size and look of figures that the arguments ask for."""
    from milepost.figures.draw import Paper
    from milepost.figures.style import DARK, LIGHT, SIZE

    return Paper(args.size or SIZE, DARK if args.dark else LIGHT)


def strict_spikes(args: Arguments) -> Exit:
    """Run `spikes`, and say which levels stand out on such evidence, but for those of an earlier report.

    Raises:
        UsageError: an earlier report without the strength of evidence that is asked about, or one that is none.
    """
    from milepost.difficulty.spikes import Spikes

    if args.since and not args.strict:
        raise UsageError("--since goes with --strict: which strength of evidence is too much?")
    strict, flagged = args.strict or "", dict[str, None]()
    before = flagged_levels(read_report(args.since)["spikes"]["levels"], strict) if args.since else set()

    def look(levels: Sequence[Mapping[str, object]]) -> None:
        if strict:
            rows = [cast("dict[str, object]", row) for row in levels]
            flagged.update(dict.fromkeys(sorted(flagged_levels(rows, strict) - before)))

    status = run_measure(args, Spikes(args.min_players), look=look)
    if not flagged:
        return status
    news = "and did not before " if args.since else ""
    tell(f"milepost spikes: on {args.strict} evidence {news}there stands out: {listed([safe(level) for level in flagged])}.")
    return Exit.GATE_HIT


def render(report: Report, form: str, width: int, colour: bool) -> str:
    """The report in one of the formats; width and colour matter for tables only."""
    if form == "table":
        from milepost.reports.text import render as render_table

        return render_table(report, width, colour)
    from milepost.reports.json_csv_markdown import render_csv, render_json, render_markdown

    return {"json": render_json, "csv": render_csv, "markdown": render_markdown}[form](report)
