"""The documents: what every command gives as JSON, key by key; each has the head, the measure's totals and its rows."""

from __future__ import annotations

from typing import Any, NotRequired, TypedDict

from milepost.audit.audit import AuditTotals
from milepost.audit.cleaning_effects import RawBesideClean
from milepost.comparison.groups import Compared
from milepost.comparison.row_types import CompareRow, CompareTotals, TrendRow, TrendTotals
from milepost.difficulty.players import FurthestRow, PlayersTotals
from milepost.difficulty.row_types import SpikesRow, SpikesTotals, WhatIfRow, WhatIfTotals
from milepost.folder.notes import Noted
from milepost.measures.answer_changes import AnswerChange
from milepost.measures.answers import AnswersRow, AnswersTotals
from milepost.measures.attempts import AttemptsRow, AttemptsTotals
from milepost.measures.attribute_effects import AttributeRow
from milepost.measures.coverage import CoverageRow, CoverageTotals
from milepost.measures.deaths import DeathsRow
from milepost.measures.funnel import FunnelTotals, Reach
from milepost.measures.interface import LevelRow
from milepost.measures.layouts import LayoutRow, LayoutsTotals
from milepost.measures.leaving import LeavingRow, LeavingTotals
from milepost.measures.level import AfterFailure, BuildTries, LevelFigures, LevelTotals
from milepost.measures.moves import MovesRow, MovesTotals
from milepost.measures.ratings import RatingsRow, RatingsTotals
from milepost.measures.run_lengths import PerRunRow, RunsCounted, RunsRow, RunsTotals
from milepost.measures.sections import HardestSection, SectionTotals
from milepost.measures.sessions_to_watch import Watched
from milepost.measures.times import TimesRow, TimesTotals
from milepost.measures.trace import TraceRow, TraceTotals
from milepost.planning.hypotheses import HypothesisRow
from milepost.planning.knob_changes import KnobReach
from milepost.planning.knob_table import KnobsRow, KnobsTotals
from milepost.planning.targets import TargetsRow, TargetsTotals
from milepost.reports.head_types import CourseHead, Head, Settings
from milepost.reports.since import Since


class FunnelOrRawRow(Reach):
    """A level of the funnel, with what a naive count says where that is asked for.

    A course without an end has no stops and loses nobody: those keys are null, and ``ended_here`` says whose furthest it is.
    """

    stopped: int | None
    stopped_finished: int | None
    stopped_quit: int | None
    stopped_time_up: int | None
    stopped_crash: int | None
    stopped_skip: int | None
    stopped_unknown: int | None
    stopped_fault: int | None
    stopped_open: int | None
    stopped_after_clear: int | None
    stopped_mid_attempt: int | None
    stopped_after_failure: int | None
    stopped_between: int | None
    stopped_elsewhere: int | None
    lost: int | None
    drop_off: float | None
    drop_off_low: float | None
    drop_off_high: float | None
    retention: float | None
    retention_low: float | None
    retention_high: float | None
    ended_here: NotRequired[int]
    raw_reached: NotRequired[int]
    raw_cleared: NotRequired[int]
    raw_tries: NotRequired[int]


class CheckDocument(Head, AuditTotals):
    """The document of `check`."""

    levels: list[RawBesideClean]


class FunnelDocument(Head, FunnelTotals):
    """The document of `funnel`."""

    levels: list[FunnelOrRawRow]


class AttemptsDocument(Head, AttemptsTotals):
    """The document of `attempts`."""

    levels: list[AttemptsRow]


class TimesDocument(Head, TimesTotals):
    """The document of `times`."""

    levels: list[TimesRow]


class DeathsDocument(Head):
    """The document of `deaths`."""

    levels: list[DeathsRow]


class MovesDocument(Head, MovesTotals):
    """The document of `moves`."""

    levels: list[MovesRow]


class SpikesDocument(Head, SpikesTotals):
    """The document of `spikes`."""

    levels: list[SpikesRow]


class SectionsDocument(Head, SectionTotals):
    """The document of `sections`."""

    levels: list[HardestSection]


class PlayersDocument(Head, PlayersTotals):
    """The document of `players`; ``roster`` has a row a player, ``players`` says how many there are."""

    levels: list[FurthestRow]


class LeavingDocument(Head, LeavingTotals):
    """The document of `leaving`."""

    levels: list[LeavingRow]


class CoverageDocument(Head, CoverageTotals):
    """The document of `coverage`."""

    levels: list[CoverageRow]


class LayoutsDocument(Head, LayoutsTotals):
    """The document of `layouts`."""

    levels: list[LayoutRow]


class RatingsDocument(Head, RatingsTotals):
    """The document of `ratings`."""

    levels: list[RatingsRow]


class LevelDocument(Head, LevelTotals):
    """The document of `level`."""

    levels: list[AttemptsRow]


class LevelPageFigures(LevelFigures):
    """The figures of a page on a level."""

    course: CourseHead
    players: int
    min_players: NotRequired[int]
    noted: NotRequired[list[Noted]]


class TraceDocument(Head, TraceTotals):
    """The document of `trace`."""

    levels: list[TraceRow]


class RunsDocument(Head, RunsTotals):
    """The document of `runs`."""

    levels: list[RunsRow]


class FunnelPerRunDocument(Head, RunsCounted):
    """The document of `funnel` with runs in the place of players."""

    levels: list[PerRunRow]


class WhatIfDocument(Head, WhatIfTotals):
    """The document of `whatif`."""

    levels: list[WhatIfRow]


class KnobsDocument(Head, KnobsTotals):
    """The document of `knobs`."""

    levels: list[KnobsRow]


class TrendDocument(Head, TrendTotals):
    """The document of `trend`."""

    levels: list[TrendRow]


class CompareDocument(Head, CompareTotals):
    """The document of `compare`."""

    answers: list[AnswerChange]
    levels: list[CompareRow]


class AnswersDocument(Head, AnswersTotals):
    """The document of `answers`."""

    levels: list[AnswersRow]


class TargetsDocument(Head, TargetsTotals):
    """The document of `targets`; with what came of hypotheses, where the folder has some."""

    hypotheses: NotRequired[list[HypothesisRow]]

    levels: list[TargetsRow]


class PlanRow(LevelRow):
    """The plan of a level."""

    chapter: str | None
    target_clear: float | None
    target_low: float | None
    target_high: float | None
    par_seconds: float | None
    knobs: dict[str, object]


class Builds(TypedDict):
    """The builds by first appearance, and per level the tries of each."""

    names: list[str]
    levels: list[dict[str, BuildTries]]


class InputFile(TypedDict):
    """A file that the report was made from."""

    file: str
    bytes: int | None
    sha256: str | None


class Made(TypedDict):
    """How a report was made."""

    command: str
    versions: str
    files: list[InputFile]


class ReportDocument(Head):
    """The document of `report`: every measure's own document under its name."""

    check: CheckDocument
    funnel: FunnelDocument
    attempts: AttemptsDocument
    times: TimesDocument
    deaths: DeathsDocument
    moves: MovesDocument
    spikes: SpikesDocument
    coverage: CoverageDocument
    leaving: LeavingDocument
    sections: SectionsDocument
    layouts: LayoutsDocument | None
    ratings: RatingsDocument | None
    compare: CompareDocument | None
    trend: TrendDocument | None
    reach: list[KnobReach]
    runs: RunsDocument | None
    answers: AnswersDocument | None
    targets: TargetsDocument | None
    since: Since | None
    session_marks: list[str] | None
    plan: list[PlanRow]
    planned_retention: list[float]
    builds: Builds
    watch: list[list[Watched]]
    attributes: list[list[AttributeRow]]
    after_failure: list[AfterFailure]
    made: Made


class SelectedDocument(Head):
    """The document of `report` with ``--only``: the documents of the measures named, in the order of the report."""

    only: list[str]
    check: NotRequired[CheckDocument]
    funnel: NotRequired[FunnelDocument]
    attempts: NotRequired[AttemptsDocument]
    times: NotRequired[TimesDocument]
    deaths: NotRequired[DeathsDocument]
    moves: NotRequired[MovesDocument]
    spikes: NotRequired[SpikesDocument]
    coverage: NotRequired[CoverageDocument]
    leaving: NotRequired[LeavingDocument]
    sections: NotRequired[SectionsDocument]
    layouts: NotRequired[LayoutsDocument | None]
    ratings: NotRequired[RatingsDocument | None]
    runs: NotRequired[RunsDocument | None]
    made: Made


class WatchDocument(FunnelDocument):
    """The document of `watch`: the funnel, and what is new since the last one."""

    new_lines: int
    new_findings: dict[str, int]


class GroupedDocument(TypedDict):
    """The document of a command with groups: its document for each value of the key, under ``value``."""

    format: int
    command: str
    by: str
    players_in_several_groups: int
    groups: list[dict[str, Any]]
    compared: NotRequired[list[Compared]]
    cuts: NotRequired[list[float]]
    settings: NotRequired[Settings]
