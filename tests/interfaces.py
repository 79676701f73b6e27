"""Each measure, command, format and figure is what its interface says: mypy looks at all of them, and a test that none is missing."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from milepost.audit.audit import audit
from milepost.cli.commands import (
    answers,
    check,
    compare,
    completion,
    convert,
    course,
    demo,
    funnel,
    init,
    map,
    note,
    pack,
    power,
    report,
    simulate,
    spikes,
    targets,
    times,
    trend,
    watch,
    whatif,
)
from milepost.comparison.compare_in_play import CompareWithin
from milepost.comparison.trend import Trend
from milepost.difficulty.players import Players
from milepost.difficulty.spikes import Spikes
from milepost.difficulty.whatif import WhatIf
from milepost.figures.answers import draw_answers
from milepost.figures.attempts import draw_attempts
from milepost.figures.compare import draw_compare
from milepost.figures.deaths import draw_deaths
from milepost.figures.funnel import draw_funnel
from milepost.figures.knobs import draw_knobs
from milepost.figures.leaving import draw_leaving
from milepost.figures.level import draw_level
from milepost.figures.moves import draw_moves
from milepost.figures.overview import draw_overview
from milepost.figures.power import draw_power
from milepost.figures.runs import draw_runs
from milepost.figures.sections import draw_sections
from milepost.figures.spikes import draw_spikes
from milepost.figures.thumbnail import draw_thumbnail
from milepost.figures.times import draw_times
from milepost.figures.trace import draw_trace
from milepost.figures.trend import draw_trend
from milepost.figures.whatif import draw_whatif
from milepost.logs.formats.database import read_database
from milepost.logs.formats.delimited import read_delimited
from milepost.logs.formats.jsonlines import read_array, read_lines
from milepost.logs.formats.nested import read_cbor, read_yaml
from milepost.logs.formats.parquet import read_parquet
from milepost.logs.formats.text_lines import read_pattern_lines
from milepost.logs.formats.workbook import read_workbook
from milepost.logs.formats.writers import write_csv, write_json_lines, write_parquet, write_xes
from milepost.logs.formats.xes import read_xes, read_xml_records
from milepost.measures.answers import Answers
from milepost.measures.attempts import AttemptsToClear
from milepost.measures.coverage import Coverage
from milepost.measures.deaths import Deaths
from milepost.measures.funnel import Funnel
from milepost.measures.layouts import Layouts
from milepost.measures.leaving import Leaving
from milepost.measures.level import LevelPage
from milepost.measures.moves import Moves
from milepost.measures.ratings import Ratings
from milepost.measures.run_lengths import RunsMeasure
from milepost.measures.sections import Sections
from milepost.measures.times import TimeInLevel
from milepost.measures.trace import Trace
from milepost.planning.knob_table import Knobs
from milepost.planning.targets import Targets

if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import BinaryIO

    from milepost.cli.interface import Command
    from milepost.figures.draw import Drawing
    from milepost.logs.formats.writers import Spool
    from milepost.logs.interface import ReadOptions, Sink
    from milepost.logs.sources.files import Source
    from milepost.measures.interface import AnyMeasure
    from milepost.progress import Progress
    from milepost.reports.document_types import (
        AnswersDocument,
        AttemptsDocument,
        CompareDocument,
        DeathsDocument,
        FunnelDocument,
        KnobsDocument,
        LeavingDocument,
        LevelDocument,
        MovesDocument,
        ReportDocument,
        RunsDocument,
        SectionsDocument,
        SpikesDocument,
        TimesDocument,
        TraceDocument,
        TrendDocument,
        WhatIfDocument,
    )
    from milepost.reports.power_views import PowerDocument

COMMANDS: Final[tuple[Command, ...]] = (
    answers,
    check,
    compare,
    completion,
    convert,
    course,
    demo,
    funnel,
    init,
    map,
    note,
    pack,
    power,
    report,
    simulate,
    spikes,
    targets,
    times,
    trend,
    watch,
    whatif,
)
MEASURES: Final[dict[str, AnyMeasure]] = {
    "check": audit,
    "funnel": Funnel(),
    "attempts": AttemptsToClear(),
    "times": TimeInLevel(),
    "deaths": Deaths(),
    "moves": Moves(),
    "spikes": Spikes(),
    "coverage": Coverage(),
    "players": Players(),
    "leaving": Leaving(),
    "sections": Sections(),
    "layouts": Layouts(),
    "ratings": Ratings(),
    "runs": RunsMeasure(),
    "answers": Answers(()),
    "targets": Targets({}),
    "compare": CompareWithin(),
    "knobs": Knobs(),
    "trend": Trend(),
    "level": LevelPage(""),
    "trace": Trace(),
    "whatif": WhatIf(()),
}
READERS: Final[tuple[Callable[[Source, Sink, ReadOptions, Progress], None], ...]] = (
    read_database,
    read_delimited,
    read_array,
    read_lines,
    read_cbor,
    read_yaml,
    read_parquet,
    read_pattern_lines,
    read_workbook,
    read_xes,
    read_xml_records,
)
WRITERS: Final[tuple[Callable[[Spool, BinaryIO], None], ...]] = (write_csv, write_json_lines, write_parquet, write_xes)
_answers: Drawing[AnswersDocument] = draw_answers
_attempts: Drawing[AttemptsDocument] = draw_attempts
_compare: Drawing[CompareDocument] = draw_compare
_deaths: Drawing[DeathsDocument] = draw_deaths
_funnel: Drawing[FunnelDocument] = draw_funnel
_knobs: Drawing[KnobsDocument] = draw_knobs
_leaving: Drawing[LeavingDocument] = draw_leaving
_level: Drawing[LevelDocument] = draw_level
_moves: Drawing[MovesDocument] = draw_moves
_overview: Drawing[ReportDocument] = draw_overview
_power: Drawing[PowerDocument] = draw_power
_runs: Drawing[RunsDocument] = draw_runs
_sections: Drawing[SectionsDocument] = draw_sections
_spikes: Drawing[SpikesDocument] = draw_spikes
_thumbnail: Drawing[ReportDocument] = draw_thumbnail
_times: Drawing[TimesDocument] = draw_times
_trace: Drawing[TraceDocument] = draw_trace
_trend: Drawing[TrendDocument] = draw_trend
_whatif: Drawing[WhatIfDocument] = draw_whatif
FIGURES: Final = (
    draw_answers,
    draw_attempts,
    draw_compare,
    draw_deaths,
    draw_funnel,
    draw_knobs,
    draw_leaving,
    draw_level,
    draw_moves,
    draw_overview,
    draw_power,
    draw_runs,
    draw_sections,
    draw_spikes,
    draw_thumbnail,
    draw_times,
    draw_trace,
    draw_trend,
    draw_whatif,
)
