"""Every measure of one replay, or some of them, as one document: what the report is made from, and its JSON form."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final, cast

import numpy as np

from milepost import engine
from milepost.cleaning.anonymous import session_mark
from milepost.difficulty.spikes import places_of_legs
from milepost.difficulty.whatif import difficulty_for_chance, project_retention
from milepost.errors import UsageError
from milepost.measures.attribute_effects import attributes_by_level
from milepost.measures.cells import WatchOfLevels
from milepost.measures.interface import CountingMeasure
from milepost.measures.level import after_failures, build_names, tries_by_build
from milepost.memory import give_back_now
from milepost.planning.knob_changes import is_to_fix, values_as_surroundings
from milepost.playback.play import with_attempts
from milepost.progress import SILENT
from milepost.reports.build_document import add_descriptions, build_document, build_head, name_of_document
from milepost.reports.document_types import Builds, PlanRow, ReportDocument, SpikesDocument
from milepost.reports.notes_and_recordings import report_in_recordings
from milepost.reports.registry import MEASURES
from milepost.reports.since import Earlier, find_news

if TYPE_CHECKING:
    from milepost.comparison.trend_steps import TrendSteps
    from milepost.course.course import Course, Level
    from milepost.folder.notes import Noted, Recordings
    from milepost.measures.answers import Answers
    from milepost.measures.interface import AnyMeasure, AnyTable, P
    from milepost.planning.knob_changes import KnobReach
    from milepost.planning.targets import Targets
    from milepost.playback.play import Play, Summed
    from milepost.progress import Progress
    from milepost.reports.document_types import CompareDocument, Made, SelectedDocument
    from milepost.reports.head_types import Head

_MOST_MARKS: Final = 100_000


@dataclass(frozen=True)
class ReportExtras:
    """The report's parts beside the measures of one replay, each only if there is something.

    Attributes:
        compare: the comparison of the two newest builds.
        builds: three builds or more in a row, to tell of in place of that.
        answers, targets: measures that need a table or a plan.
        notes: the analyst's.
        recordings: of sessions.
        since: an earlier report, and its file.
    """

    compare: CompareDocument | None = None
    builds: TrendSteps | None = None
    answers: Answers | None = None
    targets: Targets | None = None
    notes: Sequence[Noted] = ()
    recordings: Recordings = field(default_factory=dict)
    since: tuple[str, Earlier] | None = None


def whole_report(
    play: Play, least: int, provenance: Made, beside: ReportExtras = ReportExtras(), progress: Progress = SILENT
) -> ReportDocument:
    """The document of the whole report.

    Under the name of each measuring command it has that command's own document; ``layouts`` and ``ratings`` are null
    where the log or the course has none.

    Args:
        play: the replayed log.
        least: of fewer players, nothing is claimed.
        provenance: how the report was made: the command, versions and files.
        beside: what the report has beside the measures.
        progress: told of each step.
    """
    course = play.course
    parts: dict[str, Head | None] = {}
    reported = [entry for entry in MEASURES.values() if entry.reported]
    progress.step("measuring", len(reported))
    for entry in reported:
        parts[entry.name] = reported_document(entry.name, entry.in_report(least), play, least)
        progress.advance(1)
    top = build_head("report", play)
    top["course"]["name"] = course.name if course else None
    spikes = cast(SpikesDocument, parts["spikes"])
    report = cast(
        ReportDocument,
        {
            **add_descriptions(top, course, least),
            **parts,
            "plan": [_plan(level) for level in course.levels] if course else [],
            "planned_retention": _planned_retention(course, spikes),
            "builds": Builds(names=build_names(play), levels=tries_by_build(play)),
            "watch": [play.sums(WatchOfLevels).of_level(level) for level in range(play.n_levels)],
            "attributes": attributes_by_level(play),
            "after_failure": after_failures(play),
            "made": provenance,
            "compare": beside.compare,
            "trend": _trend(play, beside.builds, least),
            "reach": _find_values_that_would_do(play, spikes),
            **_documents_beside(play, least, beside),
            "noted": list(beside.notes),
            "session_marks": _marks(play),
            "since": None,
        },
    )
    report_in_recordings(report, beside.recordings)
    if beside.since is not None:
        report["since"] = find_news(beside.since[0], beside.since[1], cast(Earlier, report))
    return report


def _trend(play: Play, builds: TrendSteps | None, least: int) -> Head | None:
    if builds is None:
        return None
    from milepost.comparison.trend import build_trend

    return add_descriptions(build_document("trend", play, build_trend(play, builds)), play.course, least)


def _find_values_that_would_do(play: Play, spikes: SpikesDocument) -> list[KnobReach]:
    """Per level to fix and knob of the course, the value that would make it as its surroundings lead one to expect."""
    course = play.course
    if course is None or spikes["basis"] != "tries" or not any(map(is_to_fix, spikes["levels"])):
        return []
    from milepost.planning.knob_effects import effects_by_levels

    knobs = [level.knobs for level in course.levels]
    difficulty = np.array([np.nan if row["difficulty"] is None else row["difficulty"] for row in spikes["levels"]])
    effects = effects_by_levels(knobs, difficulty, places_of_legs(play)) if len(knobs) == len(difficulty) else []
    return values_as_surroundings(spikes["levels"], knobs, effects)


def _documents_beside(play: Play, least: int, beside: ReportExtras) -> dict[str, Head | None]:
    """Answers and targets, each with something in it."""
    documents: dict[str, Head | None] = {"answers": None, "targets": None}
    if beside.answers is not None and (table := beside.answers(play)).rows:
        documents["answers"] = add_descriptions(build_document("answers", play, table), play.course, least)
    if beside.targets is not None and (planned := beside.targets(play)).rows:
        documents["targets"] = add_descriptions(build_document("targets", play, planned), play.course, least)
    return documents


def _marks(play: Play) -> list[str] | None:
    """A mark of each session, so that a later report can tell which are new; none where there are too many."""
    names = play.gated.log.sessions.name
    return sorted(map(session_mark, names)) if len(names) <= _MOST_MARKS else None


def _plan(level: Level) -> PlanRow:
    low, high = level.target_range or (None, None)
    return PlanRow(
        level=level.name,
        chapter=level.chapter,
        target_clear=level.target_clear,
        target_low=low,
        target_high=high,
        par_seconds=level.par_seconds,
        knobs=level.knobs,
    )


def _planned_retention(course: Course | None, spikes: SpikesDocument) -> list[float]:
    """Return the players still playing, were each level with a target as hard as planned; empty without a target or a model."""
    model, rows = spikes["model"], spikes["levels"]
    if course is None or model is None or spikes["basis"] != "tries":
        return []
    targets = [level.target_clear for level in course.levels]
    if not any(targets) or any(row["difficulty"] is None and not target for row, target in zip(rows, targets, strict=True)):
        return []
    planned = [
        difficulty_for_chance(target) if target else row["difficulty"] or 0.0 for row, target in zip(rows, targets, strict=True)
    ]
    return project_retention(model, np.array(planned))


def some_measures(play: Summed, names: Sequence[str], least: int, provenance: Made) -> SelectedDocument:
    """The documents of some of the report's measures by name; null where the log or the course has nothing for one."""
    parts: dict[str, Head | None] = {}
    for name in names:
        parts[name] = _measured(name, MEASURES[name].in_report(least), play, least)
    top = add_descriptions(build_head("report", play), play.course, least)
    return cast("SelectedDocument", {**top, "only": list(names), **parts, "made": provenance})


def _measured(name: str, measure: AnyMeasure, play: Summed, least: int) -> Head | None:
    if isinstance(measure, CountingMeasure):
        counting: CountingMeasure = measure
        return reported_document(name, counting, play, least)
    return reported_document(name, measure, with_attempts(play), least)


def reported_document(name: str, measure: Callable[[P], AnyTable], play: P, least: int) -> Head | None:
    """A command's document; None where the log or the course has nothing for it."""
    kept = name_of_document(name, measure)

    def make(play: P) -> Head:
        return engine.measured_document(play, name, measure)

    try:
        report = make(play) if kept is None else play.compute_and_keep(kept, make)
    except UsageError:
        return None
    finally:
        give_back_now()  # of each measure's columns, which come and go, so that they do not add up
    return report if name == "check" else add_descriptions(report, play.course, least)
