"""The tables that lie in the playtest folder beside the logs, read when a command has a use for them."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any, Final

from milepost.cli.settling import file_of_folder
from milepost.course.course import Course
from milepost.folder.notes import Noted, read_notes
from milepost.folder.recordings import Recording, Recordings, read_recordings
from milepost.gate.anonymous import Pseudonyms
from milepost.reports import joined


def recordings_of(args: argparse.Namespace, hidden: Pseudonyms | None = None) -> Recordings:
    """The folder's recordings; where names are left out, without their places, which may name people."""
    path = file_of_folder(args, "recordings")
    found = read_recordings(path) if path else {}
    if hidden is None:
        return found
    return {hidden.session(name): Recording("recording", one.offset) for name, one in found.items()}


def notes_of(args: argparse.Namespace, course: Course | None, hidden: Pseudonyms | None = None) -> list[Noted]:
    """The folder's notes, with the course's names of levels."""
    path = file_of_folder(args, "notes")
    notes = joined.by_course(read_notes(path), course) if path else []
    return [_hiding(note, hidden) for note in notes] if hidden else notes


def _hiding(note: Noted, hidden: Pseudonyms) -> Noted:
    session, player = note["session"], note["player"]
    return Noted({
        **note, "session": session and hidden.session(session), "player": player and hidden.player(player),
        "note": hidden.in_text(note["note"]),
    })  # fmt: skip


def join(args: argparse.Namespace, report: Any, course: Course | None) -> None:
    """Put notes and recordings into a command's document, where they belong there."""
    if args.command in _JOINED:
        _JOINED[args.command](args, report, course)


def _level(args: argparse.Namespace, report: Any, course: Course | None) -> None:
    joined.noted_in_level(report, notes_of(args, course))
    joined.in_recordings(report["watch"], recordings_of(args))


def _trace(args: argparse.Namespace, report: Any, course: Course | None) -> None:
    joined.noted_in_trace(report, notes_of(args, course))
    if args.offset is None:
        joined.trace_in_recordings(report, recordings_of(args))


def _spikes(args: argparse.Namespace, report: Any, course: Course | None) -> None:
    joined.spikes_in_recordings(report, recordings_of(args))


_JOINED: Final[dict[str, Callable[[argparse.Namespace, Any, Course | None], None]]] = {
    "level": _level, "trace": _trace, "spikes": _spikes,
}  # fmt: skip
