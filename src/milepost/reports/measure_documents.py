"""The documents of single measures of one replay."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, cast

from milepost.errors import UsageError
from milepost.measures.interface import CountingMeasure, table_of
from milepost.memory import give_back_now
from milepost.playback.play import with_attempts
from milepost.reports.build_document import described, document, head, name_of_document
from milepost.reports.registry import MEASURES

if TYPE_CHECKING:
    from milepost.measures.interface import AnyMeasure, AnyTable, P
    from milepost.playback.play import Summed
    from milepost.reports.document_types import Made, SelectedDocument
    from milepost.reports.head_types import Head


def some_measures(play: Summed, names: Sequence[str], least: int, made: Made) -> SelectedDocument:
    """The documents of some of the report's measures by name; null where the log or the course has nothing for one."""
    parts: dict[str, Head | None] = {}
    for name in names:
        reported = MEASURES[name].reported
        parts[name] = _measured(name, reported(least), play, least) if reported is not None else None
    top = described(head("report", play), play.course, least)
    return cast("SelectedDocument", {**top, "only": list(names), **parts, "made": made})


def _measured(name: str, measure: AnyMeasure, play: Summed, least: int) -> Head | None:
    if isinstance(measure, CountingMeasure):
        counting: CountingMeasure = measure
        return measured_document(name, counting, play, least)
    return measured_document(name, measure, with_attempts(play), least)


def measured_document(name: str, measure: Callable[[P], AnyTable], play: P, least: int) -> Head | None:
    """A command's document; None where the log or the course has nothing for it."""
    kept = name_of_document(name, measure)

    def make(play: P) -> Head:
        return document(name, play, table_of(play, measure))

    try:
        report = make(play) if kept is None else play.lasting(kept, make)
    except UsageError:
        return None
    finally:
        give_back_now()  # of each measure's columns, which come and go, so that they do not add up
    return report if name == "check" else described(report, play.course, least)
