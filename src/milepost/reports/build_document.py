"""The document that every measuring command gives: the course, counted players, findings, and the rows."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Final, TypeVar, cast

from milepost.audit.cautions import NEEDED, list_cautions
from milepost.measures.cells import Attendance
from milepost.measures.funnel import legs_in
from milepost.measures.interface import name_of
from milepost.playback.play import with_attempts
from milepost.playback.tallies import finding_counts
from milepost.reports.exclusion_text import count_suspected, word_exclusion
from milepost.reports.head_types import CourseHead, Head, LeftOut, LegHead
from milepost.wording import listed, plural

if TYPE_CHECKING:
    from milepost.course.course import Course
    from milepost.measures.interface import CountingMeasure, Table
    from milepost.playback.play import Kinds, Summary, Summed

FORMAT: Final = 1  # of documents; it rises when a key changes its meaning or goes. 1: the first one that is numbered
D = TypeVar("D", bound=Head)


def build_head(command: str, play: Summed) -> Head:
    """Return the head of every document."""
    attendance = play.sums(Attendance)
    begin = Head(
        format=FORMAT,
        command=command,
        course=_course_head(play),
        players=attendance.players,
        sessions=attendance.sessions,
        left_out=LeftOut(debug_sessions=play.about.debug_sessions, players_without_attempt=attendance.without_attempt),
        findings=finding_counts(play),
        cautions=list_cautions(play, command),
    )
    if play.about.exclusion is not None:
        begin["excluded"] = count_suspected(with_attempts(play), play.about.exclusion)
        begin["left_out"]["excluded_sessions"] = begin["excluded"]["sessions"]
    if play.per_run:
        begin["per"] = "run"
    if play.conditions:
        begin["asked"] = list(play.conditions)
    return begin


def build_document(command: str, play: Summed, table: Table[Mapping[str, object], Mapping[str, object]]) -> Head:
    """The JSON document of a measure: the head, the totals, and the rows; `reports.documents` has the keys of each."""
    rows = [drop_end(row) for row in table.rows] if play.course and play.course.runs.endless else table.rows
    return cast(Head, {**build_head(command, play), **table.totals, "levels": rows})


def needs_of(measures: Iterable[CountingMeasure]) -> Kinds:
    """Return the counts that the documents of some measures need."""
    kinds: list[type[Summary]] = [*NEEDED, *(kind for measure in measures for kind in measure.SUMS)]
    return tuple(dict.fromkeys(kinds))


def _course_head(play: Summed) -> CourseHead:
    """The levels, and the legs of a course that is no line."""
    head = CourseHead(levels=play.stops[: play.n_levels], inferred=play.about.inferred)
    course, legs = play.course, legs_in(play)
    if course is None or all(len(leg.levels) == 1 and not leg.passed_over for leg in legs):
        return head
    levels = course.levels
    head["legs"] = [
        LegHead(
            leg=leg.name,
            levels=[levels[place].name for place in leg.levels],
            needs=leg.needs,
            routes={levels[place].name: route for place in leg.levels if (route := levels[place].route) is not None},
            optional=[levels[place].name for place in leg.levels if levels[place].optional],
        )
        for leg in legs
    ]
    return head


def name_of_document(command: str, measure: object, per: str = "player") -> str | None:
    """Return a key of a command's document among those of a play; None if it has none."""
    name = name_of(measure)
    return None if name is None else f"document-{command}-{per}-{name}"


def drop_end(row: Mapping[str, object]) -> Mapping[str, object]:
    """A row of a course that has no end, at which nobody stops and nobody is lost; a row of any other table as it is."""
    if "retention" not in row or "stopped" not in row:
        return row
    gone = {key: None for key in row if key.startswith(("stopped", "lost", "drop_off", "retention"))}
    return {**row, **gone, "ended_here": row["stopped"]}


def add_descriptions(report: D, course: Course | None, least: int) -> D:
    """The document with what its readers need beside the figures: notes of the course, and the least number of players."""
    levels = course.levels if course else ()
    notes = {level.name: level.note for level in levels if level.note}
    still_open = [level.name for level in levels if level.open]
    more = {"min_players": least} | ({"notes": notes} if notes else {}) | ({"open_levels": still_open} if still_open else {})
    return cast(D, {**report, **more})


def rows_of(report: Head, key: str) -> list[Mapping[str, object]]:
    """The rows under a key of a document; none where it has none."""
    return cast("Mapping[str, list[Mapping[str, object]]]", report).get(key, [])


def source_notes(report: Head) -> list[str]:
    """The lines under a table: counted players, players left out, and the heavy findings of the log."""
    return [
        word_counted(report),
        *word_exclusion(report),
        *(caution["sentence"] for caution in report["cautions"] if not caution["first"]),
    ]


def word_counted(report: Head) -> str:
    """Return the sentences on counted players, and on those left out."""
    left_out = report["left_out"]
    sentence = f"{plural(report['players'], 'player')} in {plural(report['sessions'], 'session')}."
    sentence = sentence if report["players"] else "No player has an attempt in a level of the course."
    absent = left_out["players_without_attempt"]
    gone = [plural(left_out["debug_sessions"], "debug session")] if left_out["debug_sessions"] else []
    gone += [f"{plural(absent, 'player')} without an attempt"] if absent else []
    beside = left_out.get("other_builds", 0) + left_out.get("no_build", 0)  # which a comparison tells by itself
    sentence += f" Left out: {listed(gone)}." if gone else "" if beside else " Nobody was left out."
    if report["course"]["inferred"]:
        sentence += " No course was given: the order of the levels is inferred from who was where first."
    return sentence
