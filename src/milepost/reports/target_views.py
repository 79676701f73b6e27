"""Views of targets, and the targets as JUnit XML for a build server."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Final
from xml.etree import ElementTree

from milepost.measures.interface import EXPECTED_FIGURES
from milepost.planning.targets import MEANINGS
from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.wording import NOTHING, listed, number, percent, plural, safe, seconds

if TYPE_CHECKING:
    from milepost.planning.hypotheses import HypothesisRow
    from milepost.planning.targets import TargetsRow
    from milepost.reports.document_types import TargetsDocument
    from milepost.reports.interface import AnyView

_VERDICTS: Final = {"met": "met", "missed": "missed", "no_telling": "undecided"}
_HYPOTHESIS_VERDICTS: Final = {"held": "✓ held", "not_held": "✗ not held", "no_telling": "? undecided"}
_SIGNS: Final = {"met": "✓", "missed": "✗", "no_telling": "?"}
_ORDER: Final = ("missed", "no_telling", "met")  # in which a page is read; a terminal ends with what matters
_WORDED: Final[dict[str, Callable[[float | None], str]]] = {
    "target_clear": percent,
    "target_kept": percent,
    "kept_at_end": percent,
    "par_seconds": seconds,
    "total_minutes": number,
}


def targets_view(report: TargetsDocument) -> list[AnyView]:
    """The plan against the play, target by target."""
    rows = report["targets"]
    if not rows:
        return [
            View(
                "No targets",
                (),
                [],
                [
                    "Neither the course nor the playtest folder plans anything: give a level target_clear, "
                    "par_seconds, target_tries or target_kept, or the folder [targets]."
                ],
            )
        ]
    columns: tuple[Column[TargetsRow], ...] = (
        Column("level", lambda row: safe(row["level"]) if row["level"] else "whole course", left=True),
        Column("target", lambda row: MEANINGS[row["target"]], left=True),
        Column("planned", word_plan),
        Column("measured", lambda row: word_value(row, row["measured"])),
        Column("95 %", _interval, rank=2),
        Column("players", lambda row: number(row["players"]), rank=1),
        Column("verdict", lambda row: f"{_SIGNS[row['verdict']]} {_VERDICTS[row['verdict']]}", left=True),
        Column("players to tell", lambda row: number(row["players_needed"]) if row["players_needed"] else "", rank=3),
    )
    lines = [
        f"{report['met']} met, {report['missed']} missed, {report['no_telling']} undecided.",
        "Met: the measured value fulfils the plan. Missed: neither it nor any of its 95 % interval does. Undecided: in between.",
    ]
    first = sorted(rows, key=lambda row: _ORDER.index(row["verdict"]))
    return [View("The plan against the play", columns, first, [*lines, *source_notes(report)])]


def hypotheses_view(report: TargetsDocument) -> list[AnyView]:
    """Return the view of what was expected of builds; none where nothing was."""
    rows = report.get("hypotheses", [])
    if not rows:
        return []
    columns: tuple[Column[HypothesisRow], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True),
        Column("expected", _expected, left=True),
        Column("from build", lambda row: f"{safe(row['from'])} to {safe(row['build'])}", left=True, rank=2),
        Column("came", lambda row: f"{percent(row['before'])} to {percent(row['after'])}"),
        Column("change, 95 %", _change, rank=1),
        Column("verdict", lambda row: _HYPOTHESIS_VERDICTS[row["verdict"]], left=True),
        Column("players to tell", lambda row: number(row["players_needed"]) if row["players_needed"] else "", rank=3),
    )
    late = [safe(row["level"]) for row in rows if row["found_in_data"]]
    notes = ["Held: as much as was expected, and told from nothing. Not held: less than that, as far as the interval goes."]
    notes += [f"Said after the log's first day, so found in the data and not tested by it: {listed(late)}."] if late else []
    undated = [safe(row["level"]) for row in rows if row["found_in_data"] is None]
    notes += [f"Nothing says whether it was said before the test: {listed(undated)}."] if undated else []
    return [View("What was expected", columns, rows, notes)]


def _expected(row: HypothesisRow) -> str:
    least = f" by {percent(row['at_least'])} or more" if row["at_least"] else ""
    return f"{EXPECTED_FIGURES[row['figure']]}: {row['expect']}{least}"


def _change(row: HypothesisRow) -> str:
    if row["change"] is None or row["low"] is None or row["high"] is None:
        return NOTHING
    value, low, high = (f"{100 * share:+.0f}".replace("-", "−") for share in (row["change"], row["low"], row["high"]))
    return f"{value} points ({low} to {high})"


def targets_on_terminal(report: TargetsDocument, every: bool) -> list[AnyView]:
    """Return the same table with what matters at its end; targets that are met are one line, unless every row is wanted."""
    (view,) = targets_view(report)
    last = [row for row in view.rows if every or row["verdict"] != "met"]
    last.sort(key=lambda row: -_ORDER.index(row["verdict"]))
    if len(last) == len(view.rows):
        return [replace(view, rows=last)]
    met = f"{report['met']} met (--columns all lists them), {report['missed']} missed, {report['no_telling']} undecided."
    return [replace(view, columns=view.columns if last else (), rows=last, notes=[met, *view.notes[1:]])]


def word_value(row: TargetsRow, value: float | None) -> str:
    """A value of a target in its unit."""
    return _WORDED.get(row["target"], number)(value) if value is not None else NOTHING


def word_plan(row: TargetsRow) -> str:
    """Return the planned value, in words."""
    low, high = row["planned_low"], row["planned_high"]
    if low is not None and high is not None:
        return f"{word_value(row, low).removesuffix(' %')}–{word_value(row, high)}"
    return f"at most {word_value(row, row['planned'])}" if low is None else f"at least {word_value(row, row['planned'])}"


def _interval(row: TargetsRow) -> str:
    low, high = row["low"], row["high"]
    if low is None and high is None:
        return ""
    if high is None:
        return f"from {word_value(row, low)}"
    return f"{word_value(row, low).removesuffix(' %')}–{word_value(row, high)}"


def target_sentence(row: TargetsRow) -> str:
    """A target as a sentence."""
    measured = word_value(row, row["measured"]) if row["measured"] is not None else "not known"
    interval = f" (95 % interval {_interval(row)})" if _interval(row) else ""
    need = f"; about {plural(row['players_needed'], 'player')} would tell" if row["players_needed"] else ""
    where = f"{safe(row['level'])}: " if row["level"] else ""
    comparison = f"{MEANINGS[row['target']]}: {word_plan(row)} planned, {measured} measured{interval}"
    sentence = f"{where}{comparison}, {_VERDICTS[row['verdict']]}{need}."
    return f"{sentence[0].upper()}{sentence[1:]}"


def junit(report: TargetsDocument) -> str:
    """The targets as JUnit XML: a test case each, missed ones as failures, undecided ones as skipped."""
    rows = report["targets"]
    suite = ElementTree.Element(
        "testsuite",
        name="milepost targets",
        tests=str(len(rows)),
        failures=str(report["missed"]),
        errors="0",
        skipped=str(report["no_telling"]),
    )
    for row in rows:
        case = ElementTree.SubElement(suite, "testcase", classname=safe(row["level"] or "whole course"), name=row["target"])
        if row["verdict"] == "missed":
            ElementTree.SubElement(case, "failure", message=target_sentence(row))
        elif row["verdict"] == "no_telling":
            ElementTree.SubElement(case, "skipped", message=target_sentence(row))
    suites = ElementTree.Element("testsuites")
    suites.append(suite)
    ElementTree.indent(suites)
    return '<?xml version="1.0" encoding="utf-8"?>\n' + ElementTree.tostring(suites, encoding="unicode") + "\n"
