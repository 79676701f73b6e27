"""The measures, one record each: whatever a command, the report, groups, figures and a notebook need to know of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

from milepost.audit.audit import audit
from milepost.comparing.within import CompareWithin
from milepost.difficulty.spikes import Spikes
from milepost.difficulty.whatif import WhatIf
from milepost.measures.answers import Answers
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.coverage import Coverage
from milepost.measures.deaths import Deaths
from milepost.measures.funnel import Funnel
from milepost.measures.interface import Measure
from milepost.measures.layouts import Layouts
from milepost.measures.level import LevelPage
from milepost.measures.moves import Moves
from milepost.measures.ratings import Ratings
from milepost.measures.runs import RunsMeasure, RunsReported
from milepost.measures.times import TimeInLevel
from milepost.measures.trace import Trace
from milepost.planning.targets import Targets
from milepost.reports import answer_views, check_views, level_views, run_views, target_views, trace_views, views
from milepost.reports.compared import compare_views
from milepost.reports.documents import (
    AnswersDocument,
    AttemptsDocument,
    CheckDocument,
    CompareDocument,
    CoverageDocument,
    DeathsDocument,
    FunnelDocument,
    LayoutsDocument,
    LevelDocument,
    MovesDocument,
    RatingsDocument,
    RunsDocument,
    SpikesDocument,
    TargetsDocument,
    TimesDocument,
    TraceDocument,
    WhatIfDocument,
)
from milepost.reports.interface import AnyView
from milepost.wording import number, percent, rate, seconds


@dataclass(frozen=True)
class InGroups:
    """What a table of groups side by side shows of a measure.

    Attributes:
        count: the key of the count behind its figures.
        figures: heading, key and wording of each.
    """

    count: str
    figures: tuple[tuple[str, str, Callable[[float | None], str]], ...]


@dataclass(frozen=True)
class Entry:
    """A measure.

    Attributes:
        name: the command's, the call's and the figure's name, and the document's key in the report.
        measure: the class of its settings, or a call on a play.
        views: what people see of its document.
        document: its document's type, from which its schema is made.
        rows: the key of the rows that a plain table has.
        in_groups: what is shown of it side by side; None where it is not for groups.
        picture: the heading of its figure in the report; None where it has none there.
        drawn: whether it has a figure.
        reported: with the least number of players, the measure as the report has it; None where it is no part of the report.
        beside: whether the report has it only where there is something to compare with beside the log.
    """

    name: str
    measure: Callable[..., Any]
    views: Callable[[Any], list[AnyView]]
    document: type
    rows: str = "levels"
    in_groups: InGroups | None = None
    picture: str | None = None
    drawn: bool = False
    reported: Callable[[int], Measure] | None = None
    beside: bool = False


_ENTRIES: Final = (
    Entry("check", audit, check_views.check_views, CheckDocument, rows="details", reported=lambda least: audit),
    Entry(
        "funnel", Funnel, views.funnel_view, FunnelDocument, picture="Funnel", drawn=True, reported=lambda least: Funnel(),
        in_groups=InGroups("reached", (("clear", "clear_rate", percent), ("lost", "drop_off", percent))),
    ),
    Entry(
        "attempts", AttemptsToClear, views.attempts_view, AttemptsDocument, picture="Attempts to clear", drawn=True,
        reported=lambda least: AttemptsToClear(),
        in_groups=InGroups("players", (("try clears", "try_clear", percent), ("50 %", "p50", number))),
    ),
    Entry(
        "times", TimeInLevel, views.times_view, TimesDocument, picture="Time in level", drawn=True,
        reported=lambda least: TimeInLevel(),
        in_groups=InGroups("timed", (("50 %", "p50", seconds), ("clearing", "run_p50", seconds))),
    ),
    Entry(
        "deaths", Deaths, level_views.deaths_view, DeathsDocument, picture="Deaths", drawn=True, reported=lambda least: Deaths(),
        in_groups=InGroups("reached", (("deaths", "deaths", number), ("per player", "per_player_reached", rate))),
    ),
    Entry(
        "moves", Moves, level_views.moves_view, MovesDocument, rows="moves", picture="Moves", drawn=True,
        reported=lambda least: Moves(),
        in_groups=InGroups("advance", (("setbacks", "setback", number), ("skips", "skip", number))),
    ),
    Entry(
        "spikes", Spikes, views.spikes_view, SpikesDocument, picture="Difficulty", drawn=True, reported=Spikes,
        in_groups=InGroups("players", (("try clears", "try_clear", percent), ("verdict", "kind", str))),
    ),
    Entry(
        "coverage", Coverage, level_views.coverage_view, CoverageDocument, reported=Coverage,
        in_groups=InGroups("players", (("minutes", "minutes", rate),)),
    ),
    Entry(
        "layouts", Layouts, level_views.layouts_view, LayoutsDocument, reported=lambda least: Layouts(),
        in_groups=InGroups("players", (("try clears", "try_clear", percent),)),
    ),
    Entry(
        "ratings", Ratings, level_views.ratings_view, RatingsDocument, reported=lambda least: Ratings(),
        in_groups=InGroups("rated", (("no band", "no_band", number),)),
    ),
    Entry(
        "runs", RunsMeasure, run_views.runs_view, RunsDocument, picture="Runs", drawn=True, reported=lambda least: RunsReported(),
        in_groups=InGroups("reached", (("gets here", "share", percent), ("cleared", "cleared", number))),
    ),
    Entry(
        "answers", Answers, answer_views.answers_view, AnswersDocument, picture="What players said", drawn=True, beside=True,
    ),
    Entry("targets", Targets, target_views.targets_view, TargetsDocument, rows="targets", beside=True),
    Entry("compare", CompareWithin, compare_views, CompareDocument, picture="Two builds", drawn=True),
    Entry("level", LevelPage, level_views.level_view, LevelDocument, drawn=True),
    Entry("trace", Trace, trace_views.trace_view, TraceDocument, drawn=True),
    Entry("whatif", WhatIf, views.whatif_view, WhatIfDocument, drawn=True),
)  # fmt: skip
MEASURES: Final = {entry.name: entry for entry in _ENTRIES}
