"""Every measure of one replay, as one document: what the report is made from, and its JSON form."""

from __future__ import annotations

from typing import cast

import numpy as np

from milepost.course.course import Course, Level
from milepost.difficulty.whatif import as_difficulty, planned_retention
from milepost.errors import UsageError
from milepost.measures.attributes import attributes_by_level
from milepost.measures.builds import build_names, tries_by_build
from milepost.measures.interface import Measure
from milepost.measures.trace import watch_by_level
from milepost.playback.play import Play
from milepost.progress import SILENT, Progress
from milepost.reports.document import described, document, head
from milepost.reports.documents import Builds, CompareDocument, Head, Made, PlanRow, ReportDocument, SpikesDocument
from milepost.reports.registry import MEASURES


def whole_report(
    play: Play, least: int, made: Made, compare: CompareDocument | None = None, progress: Progress = SILENT
) -> ReportDocument:  # fmt: skip
    """The document of the whole report.

    Under the name of each measuring command it has that command's own document; ``layouts`` and ``ratings`` are null
    where the log or the course has none.

    Args:
        play: the replayed log.
        least: of fewer players, nothing is claimed.
        made: how the report was made: the command, versions and files.
        compare: the comparison of the two newest builds, where there are two.
        progress: told of each step.
    """
    course = play.course
    parts: dict[str, Head | None] = {}
    for entry in MEASURES.values():
        if entry.reported is not None:
            progress.step(f"measuring: {entry.name}")
            parts[entry.name] = _measured(entry.name, entry.reported(least), play, least)
    top = head("report", play)
    top["course"]["name"] = course.name if course else None
    spikes = cast(SpikesDocument, parts["spikes"])
    return cast(ReportDocument, {
        **described(top, course, least), **parts,
        "plan": [_plan(level) for level in course.levels] if course else [],
        "planned_retention": _planned_retention(course, spikes),
        "builds": Builds(names=build_names(play), levels=tries_by_build(play)),
        "watch": watch_by_level(play), "attributes": attributes_by_level(play), "made": made, "compare": compare,
    })  # fmt: skip


def _measured(name: str, measure: Measure, play: Play, least: int) -> Head | None:
    """A command's document; None where the log or the course has nothing for it."""
    try:
        report = document(name, play, measure(play))
    except UsageError:
        return None
    return report if name == "check" else described(report, play.course, least)


def _plan(level: Level) -> PlanRow:
    low, high = level.target_range or (None, None)
    return PlanRow(
        level=level.name, chapter=level.chapter, target_clear=level.target_clear, target_low=low, target_high=high,
        par_seconds=level.par_seconds, knobs=level.knobs,
    )  # fmt: skip


def _planned_retention(course: Course | None, spikes: SpikesDocument) -> list[float]:
    """Who would still be there, were each level that has a target as hard as planned; empty without a target or a model."""
    model, rows = spikes["model"], spikes["levels"]
    if course is None or model is None or spikes["basis"] != "tries":
        return []
    targets = [level.target_clear for level in course.levels]
    if not any(targets) or any(row["difficulty"] is None and not target for row, target in zip(rows, targets, strict=True)):
        return []
    planned = [as_difficulty(target) if target else row["difficulty"] or 0.0 for row, target in zip(rows, targets, strict=True)]
    return planned_retention(model, np.array(planned))
