"""Writes a note into the folder's table of notes."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from milepost.cli.exits import Exit
from milepost.cli.telling import tell
from milepost.course.course import place_called, read_course
from milepost.errors import UsageError
from milepost.folder.notes import add_note
from milepost.folder.settings import FILE, find_folder, with_key
from milepost.output import alone
from milepost.wording import safe

if TYPE_CHECKING:
    from milepost.folder.settings import Folder

_ABOUT = ("session", "player", "level", "build", "clock")


def note(args: argparse.Namespace) -> Exit:
    """Add the note.

    Raises:
        UsageError: there is no playtest folder, nothing to write, or no such level in its course.
    """
    folder = find_folder()
    if folder is None:
        raise UsageError(f"there is no playtest folder here: none above has a {FILE}. milepost init LOG makes one.")
    text = " ".join(args.text.split())
    if not text:
        raise UsageError("the note says nothing. Give its text: milepost note TEXT --level LEVEL.")
    if args.clock and not (args.session or args.player):
        raise UsageError("--clock needs a session to be the clock of: add --session.")
    cells = {key: value for key in _ABOUT if (value := getattr(args, key))} | {"note": text}
    if args.level:
        cells["level"] = _level(folder, args.level)
    where = folder.path("notes")
    path = Path(where) if where else folder.file.parent / "notes.csv"
    with alone(folder.file):
        add_note(path, cells)
        if where is None:
            with_key(folder.file, "notes", "notes.csv")
    tell(f"Noted in {safe(where or path.name)}.")
    return Exit.DONE


def _level(folder: Folder, name: str) -> str:
    """The course's name of a level."""
    course = folder.path("course")
    if course is None:
        return name
    levels = read_course(course)
    place = place_called(levels, name)
    if place is None:
        raise UsageError(f"--level {name}: no level of the course is called so. Its levels: {', '.join(levels.names()[:40])}.")
    return levels.levels[place].name
