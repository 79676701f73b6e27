"""Notes and recordings put where they belong in finished documents: at the session, the level, the moment to watch."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, TypeVar, cast

from milepost.course.course import find_place
from milepost.folder.notes import Noted
from milepost.level_names import fold_name
from milepost.reports.interface import View
from milepost.wording import clock, safe

if TYPE_CHECKING:
    from milepost.course.course import Course
    from milepost.difficulty.row_types import SpikesRow
    from milepost.folder.notes import Recording, Recordings
    from milepost.measures.sessions_to_watch import Watched
    from milepost.measures.trace import Traced
    from milepost.reports.document_types import LevelDocument, ReportDocument, SpikesDocument, TraceDocument

R = TypeVar("R", bound=Mapping[str, object])


def place_in_recordings(watched: Iterable[Watched], recordings: Recordings) -> list[Watched]:
    """Moments to watch in the clock of the session's recording, where it has one, with a link that opens it there."""
    return [_place_in_recording(moment, recordings.get(moment["session"])) for moment in watched]


def _place_in_recording(moment: Watched, recording: Recording | None) -> Watched:
    if recording is None:
        return moment
    begins, ends = moment["from"] + recording.offset, moment["to"] + recording.offset
    link = recording.link(begins)
    more = {"from": begins, "to": ends, "recording": recording.place} | ({"link": link} if link else {})
    return cast("Watched", {**moment, **more})


def spikes_in_recordings(report: SpikesDocument, recordings: Recordings) -> None:
    """Find the sessions of levels that stand out in the recordings; the measure's own rows stay as they are."""
    rows = [cast("SpikesRow", {**row, "watch": place_in_recordings(row["watch"], recordings)}) for row in report["levels"]]
    report["levels"] = rows


def report_in_recordings(report: ReportDocument, recordings: Recordings) -> None:
    """Find all sessions of a report in the recordings."""
    spikes_in_recordings(report["spikes"], recordings)
    report["watch"] = [place_in_recordings(watched, recordings) for watched in report["watch"]]


def trace_in_recordings(report: TraceDocument, recordings: Recordings) -> None:
    """A trace in the clocks of the recordings of its sessions; the measure's own rows stay as they are."""

    def offset(session: str) -> float:
        return recordings[session].offset if session in recordings else 0.0

    def later(row: R, *names: str) -> R:
        moved = {name: cast(float, row[name]) + offset(cast(str, row["session"])) for name in names}
        return cast(R, {**row, **moved})

    report["levels"] = [later(row, "clock", "until") for row in report["levels"]]
    report["moves"] = [later(move, "clock") for move in report["moves"]]
    report["traced"] = [_recorded(session, recordings.get(session["session"])) for session in report["traced"]]


def _recorded(session: Traced, recording: Recording | None) -> Traced:
    if recording is None:
        return session
    ended = None if session["ended"] is None else session["ended"] + recording.offset
    link = recording.link(recording.offset)
    more = {"recording": recording.place, "ended": ended} | ({"link": link} if link else {})
    return cast("Traced", {**session, **more})


def by_course(notes: Iterable[Noted], course: Course | None) -> list[Noted]:
    """The notes with levels by the names that the course has for them, whatever spelling or other name was written."""

    def named(level: str | None) -> str | None:
        place = find_place(course, level) if course is not None and level is not None else None
        return level if place is None or course is None else course.levels[place].name

    return [Noted({**note, "level": named(note["level"])}) for note in notes]


def notes_of_level(notes: Iterable[Noted], level: str) -> list[Noted]:
    """Return the notes about a level."""
    return [note for note in notes if note["level"] is not None and fold_name(note["level"]) == fold_name(level)]


def add_notes_to_level(report: LevelDocument, notes: list[Noted]) -> None:
    """Put the notes about a level into its page."""
    report["noted"] = notes_of_level(notes, report["level"])


def add_notes_to_trace(report: TraceDocument, notes: list[Noted]) -> None:
    """Put the notes about its sessions, and about their players, into a trace."""
    sessions = {session["session"] for session in report["traced"]}
    players = {session["player"] for session in report["traced"]}
    report["noted"] = [
        note for note in notes if note["session"] in sessions or (note["session"] is None and note["player"] in players)
    ]


def notes_view(notes: list[Noted]) -> View[Noted]:
    """Notes as lines: what each is about, and what it says."""
    return View("Notes", (), [], [_word_note(note) for note in notes])


def _word_note(note: Noted) -> str:
    about = [note["level"], note["session"] or note["player"], note["build"] and f"build {note['build']}"]
    parts = [*(safe(part) for part in about if part), *([f"at {clock(note['clock'])}"] if note["clock"] is not None else [])]
    return f"{', '.join(parts)}: {safe(note['note'])}" if parts else safe(note["note"])
