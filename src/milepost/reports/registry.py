"""The measures, one record each: whatever a command, the report, groups, figures and a notebook need to know of it.

A record is made when it is first asked for, so that a command loads its own measure, and not all the others.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from milepost.reports.registry_entry import Entry, InGroups, Registry
from milepost.wording import number, percent, rate, seconds

if TYPE_CHECKING:
    from types import ModuleType


MEASURES: Final = Registry()
_measure = MEASURES.add


def _documents() -> ModuleType:
    """The types of all documents."""
    from milepost.reports import document_types

    return document_types


@_measure
def check() -> Entry:
    """Return the entry of `check`."""
    from milepost.audit.audit import audit
    from milepost.reports.check_views import check_views

    return Entry("check", audit, check_views, lambda: _documents().CheckDocument, rows="details", reported=lambda least: audit)


@_measure
def funnel() -> Entry:
    """Return the entry of `funnel`."""
    from milepost.measures.funnel import Funnel
    from milepost.reports.views import funnel_view

    return Entry(
        "funnel",
        Funnel,
        funnel_view,
        lambda: _documents().FunnelDocument,
        picture="Funnel",
        drawn=True,
        reported=lambda least: Funnel(),
        in_groups=InGroups("reached", (("clear", "clear_rate", percent), ("lost", "drop_off", percent))),
    )


@_measure
def attempts() -> Entry:
    """Return the entry of `attempts`."""
    from milepost.measures.attempts import AttemptsToClear
    from milepost.reports.views import attempts_view

    return Entry(
        "attempts",
        AttemptsToClear,
        attempts_view,
        lambda: _documents().AttemptsDocument,
        picture="Attempts to clear",
        drawn=True,
        reported=lambda least: AttemptsToClear(),
        in_groups=InGroups("players", (("try clears", "try_clear", percent), ("50 %", "p50", number))),
    )


@_measure
def times() -> Entry:
    """Return the entry of `times`."""
    from milepost.measures.times import TimeInLevel
    from milepost.reports.views import times_view

    return Entry(
        "times",
        TimeInLevel,
        times_view,
        lambda: _documents().TimesDocument,
        picture="Time in level",
        drawn=True,
        reported=lambda least: TimeInLevel(),
        in_groups=InGroups("timed", (("50 %", "p50", seconds), ("clearing", "run_p50", seconds))),
    )


@_measure
def deaths() -> Entry:
    """Return the entry of `deaths`."""
    from milepost.measures.deaths import Deaths
    from milepost.reports.level_views import deaths_view

    return Entry(
        "deaths",
        Deaths,
        deaths_view,
        lambda: _documents().DeathsDocument,
        picture="Deaths",
        drawn=True,
        reported=lambda least: Deaths(),
        in_groups=InGroups("reached", (("deaths", "deaths", number), ("per player", "per_player_reached", rate))),
    )


@_measure
def moves() -> Entry:
    """Return the entry of `moves`."""
    from milepost.measures.moves import Moves
    from milepost.reports.level_views import moves_view

    return Entry(
        "moves",
        Moves,
        moves_view,
        lambda: _documents().MovesDocument,
        rows="moves",
        picture="Moves",
        drawn=True,
        reported=lambda least: Moves(),
        in_groups=InGroups("advance", (("setbacks", "setback", number), ("skips", "skip", number))),
    )


@_measure
def spikes() -> Entry:
    """Return the entry of `spikes`."""
    from milepost.difficulty.spikes import Spikes
    from milepost.reports.difficulty_views import spikes_view

    return Entry(
        "spikes",
        Spikes,
        spikes_view,
        lambda: _documents().SpikesDocument,
        picture="Difficulty",
        drawn=True,
        reported=Spikes,
        in_groups=InGroups("players", (("try clears", "try_clear", percent), ("verdict", "kind", str))),
    )


@_measure
def coverage() -> Entry:
    """Return the entry of `coverage`."""
    from milepost.measures.coverage import Coverage
    from milepost.reports.level_views import coverage_view

    return Entry(
        "coverage",
        Coverage,
        coverage_view,
        lambda: _documents().CoverageDocument,
        reported=Coverage,
        in_groups=InGroups("players", (("minutes", "minutes", rate),)),
    )


@_measure
def players() -> Entry:
    """Return the entry of `players`."""
    from milepost.difficulty.players import Players
    from milepost.reports.trace_views import players_view

    return Entry("players", Players, players_view, lambda: _documents().PlayersDocument, rows="roster")


@_measure
def leaving() -> Entry:
    """Return the entry of `leaving`."""
    from milepost.measures.leaving import Leaving
    from milepost.reports.leaving_views import leaving_view

    return Entry(
        "leaving",
        Leaving,
        leaving_view,
        lambda: _documents().LeavingDocument,
        picture="Leaving",
        drawn=True,
        reported=lambda least: Leaving(),
    )


@_measure
def sections() -> Entry:
    """Return the entry of `sections`."""
    from milepost.measures.sections import Sections
    from milepost.reports.leaving_views import sections_view

    return Entry(
        "sections",
        Sections,
        sections_view,
        lambda: _documents().SectionsDocument,
        rows="sections",
        reported=lambda least: Sections(),
        drawn=True,
    )


@_measure
def layouts() -> Entry:
    """Return the entry of `layouts`."""
    from milepost.measures.layouts import Layouts
    from milepost.reports.attribute_views import layouts_view

    return Entry(
        "layouts",
        Layouts,
        layouts_view,
        lambda: _documents().LayoutsDocument,
        reported=lambda least: Layouts(),
        in_groups=InGroups("players", (("try clears", "try_clear", percent),)),
    )


@_measure
def ratings() -> Entry:
    """Return the entry of `ratings`."""
    from milepost.measures.ratings import Ratings
    from milepost.reports.answer_views import ratings_view

    return Entry(
        "ratings",
        Ratings,
        ratings_view,
        lambda: _documents().RatingsDocument,
        reported=lambda least: Ratings(),
        in_groups=InGroups("rated", (("no band", "no_band", number),)),
    )


@_measure
def runs() -> Entry:
    """Return the entry of `runs`."""
    from milepost.measures.run_lengths import RunsMeasure, RunsReported
    from milepost.reports.run_views import runs_view

    return Entry(
        "runs",
        RunsMeasure,
        runs_view,
        lambda: _documents().RunsDocument,
        picture="Runs",
        drawn=True,
        reported=lambda least: RunsReported(),
        in_groups=InGroups("reached", (("gets here", "share", percent), ("cleared", "cleared", number))),
    )


@_measure
def answers() -> Entry:
    """Return the entry of `answers`."""
    from milepost.measures.answers import Answers
    from milepost.reports.answer_views import answers_view

    return Entry(
        "answers",
        Answers,
        answers_view,
        lambda: _documents().AnswersDocument,
        in_groups=InGroups("n", (("mean", "mean", rate),)),
        picture="What players said",
        drawn=True,
        beside=True,
    )


@_measure
def targets() -> Entry:
    """Return the entry of `targets`."""
    from milepost.planning.targets import Targets
    from milepost.reports.target_views import targets_view

    return Entry("targets", Targets, targets_view, lambda: _documents().TargetsDocument, rows="targets", beside=True)


@_measure
def compare() -> Entry:
    """Return the entry of `compare`."""
    from milepost.comparison.compare_in_play import CompareWithin
    from milepost.reports.compared import compare_views

    return Entry("compare", CompareWithin, compare_views, lambda: _documents().CompareDocument, picture="Two builds", drawn=True)


@_measure
def knobs() -> Entry:
    """Return the entry of `knobs`."""
    from milepost.planning.knob_table import Knobs
    from milepost.reports.knob_views import knobs_view

    return Entry("knobs", Knobs, knobs_view, lambda: _documents().KnobsDocument, drawn=True)


@_measure
def trend() -> Entry:
    """Return the entry of `trend`."""
    from milepost.comparison.trend import Trend
    from milepost.reports.trend_views import trend_view

    return Entry("trend", Trend, trend_view, lambda: _documents().TrendDocument, picture="Builds in a row", drawn=True)


@_measure
def level() -> Entry:
    """Return the entry of `level`."""
    from milepost.measures.level import LevelPage
    from milepost.reports.level_views import level_view

    return Entry("level", LevelPage, level_view, lambda: _documents().LevelDocument, drawn=True)


@_measure
def trace() -> Entry:
    """Return the entry of `trace`."""
    from milepost.measures.trace import Trace
    from milepost.reports.trace_views import trace_view

    return Entry("trace", Trace, trace_view, lambda: _documents().TraceDocument, drawn=True, finer="records")


@_measure
def whatif() -> Entry:
    """Return the entry of `whatif`."""
    from milepost.difficulty.whatif import WhatIf
    from milepost.reports.difficulty_views import whatif_view

    return Entry("whatif", WhatIf, whatif_view, lambda: _documents().WhatIfDocument, drawn=True)
