"""Every measure of one replay, as one document: what the report is made from, and its JSON form."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from milepost.course.course import Course, Level
from milepost.difficulty.whatif import as_difficulty, planned_retention
from milepost.errors import UsageError
from milepost.measures.builds import build_names, tries_by_build
from milepost.measures.interface import Row, Table
from milepost.measures.trace import watch_by_level
from milepost.playback.play import Play
from milepost.progress import SILENT, Progress
from milepost.reports.document import described, document
from milepost.reports.registry import MEASURES

Document = dict[str, Any]


def whole_report(play: Play, least: int, made: Row, progress: Progress = SILENT) -> Document:
    """The document of the whole report.

    Under the name of each measuring command it has that command's own document; ``layouts`` and ``ratings`` are null
    where the log or the course has none.

    Args:
        play: the replayed log.
        least: of fewer players, nothing is claimed.
        made: how the report was made: the command, versions and files.
        progress: told of each step.
    """
    course = play.course
    parts: dict[str, Document | None] = {}
    for entry in MEASURES.values():
        if entry.reported is not None:
            progress.step(f"measuring: {entry.name}")
            parts[entry.name] = _measured(entry.name, entry.reported(least), play, least)
    spikes = parts["spikes"] or {}
    top = document("report", play, Table([]))
    del top["levels"]
    top["course"] = top["course"] | {"name": course.name if course else None}
    builds, watch = tries_by_build(play), watch_by_level(play)
    return described(top, course, least) | parts | {
        "plan": [_plan(level) for level in course.levels] if course else [],
        "planned_retention": _planned_retention(course, spikes),
        "builds": {"names": build_names(play), "levels": builds},
        "watch": watch, "made": made,
    }  # fmt: skip


def _measured(name: str, measure: Callable[[Play], Table], play: Play, least: int) -> Document | None:
    """A command's document; None where the log or the course has nothing for it."""
    try:
        report = document(name, play, measure(play))
    except UsageError:
        return None
    return report if name == "check" else described(report, play.course, least)


def _plan(level: Level) -> Row:
    low, high = level.target_range or (None, None)
    return {
        "level": level.name, "chapter": level.chapter, "target_clear": level.target_clear, "target_low": low, "target_high": high,
        "par_seconds": level.par_seconds, "knobs": level.knobs,
    }  # fmt: skip


def _planned_retention(course: Course | None, spikes: Document) -> list[float]:
    """Who would still be there, were each level that has a target as hard as planned; empty without a target or a model."""
    model, rows = spikes.get("model"), spikes.get("levels", [])
    if course is None or model is None or spikes["basis"] != "tries":
        return []
    targets = [level.target_clear for level in course.levels]
    if not any(targets) or any(row["difficulty"] is None and not target for row, target in zip(rows, targets, strict=True)):
        return []
    planned = [as_difficulty(target) if target else row["difficulty"] for row, target in zip(rows, targets, strict=True)]
    return planned_retention(model, np.array(planned))
