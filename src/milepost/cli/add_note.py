"""Writes a note into the folder's table of notes."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from milepost.cleaning.selection import session_values
from milepost.cli.messages import Exit, tell
from milepost.course.course import place_called, read_course
from milepost.errors import MilePostError, UsageError
from milepost.folder.notes import add_note
from milepost.folder.settings import FILE, find_folder, with_key
from milepost.level_names import folded, nearest
from milepost.logs.mapping.logmap import NO_MAP, read_map
from milepost.logs.read import read
from milepost.output import alone
from milepost.wording import safe

if TYPE_CHECKING:
    from milepost.folder.settings import Folder

LOCK = ".milepost-lock"  # in the folder, so that one note after the other is written
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
    _require_in_log(args, folder)
    with alone(folder.file.parent / LOCK):
        folder = find_folder() or folder  # as it is now that nobody else writes to it
        if args.level:
            cells["level"] = _level(folder, args.level)
        where = folder.path("notes")
        path = Path(where) if where else folder.file.parent / "notes.csv"
        add_note(path, cells)
        if where is None:
            with_key(folder.file, "notes", "notes.csv")
    tell(f"Noted in {safe(where or path.name)}.")
    return Exit.DONE


def _require_in_log(args: argparse.Namespace, folder: Folder) -> None:
    """Refuse a note on a session or player that the logs do not have; of logs that cannot be read nothing is known.

    Raises:
        UsageError: they do not have it.
    """
    asked = [(key, value) for key in ("session", "player") if (value := getattr(args, key))]
    if not asked or not folder.logs:
        return
    try:
        log_map = folder.path("map")
        log = read(folder.log_paths(), read_map(log_map) if log_map else NO_MAP)
    except MilePostError:
        return
    for key, value in asked:
        known = dict.fromkeys(name for name in session_values(log, key) if name is not None)
        if value not in known and folded(value) not in map(folded, known):
            raise UsageError(f"--{key} {value}: the log has no such {key}.{nearest(value, known)}")


def _level(folder: Folder, name: str) -> str:
    """The course's name of a level."""
    course = folder.path("course")
    if course is None:
        return name
    levels = read_course(course)
    place = place_called(levels, name)
    if place is None:
        near = nearest(name, levels.names()) or f" Its levels: {', '.join(levels.names()[:40])}."
        raise UsageError(f"--level {name}: no level of the course is called so.{near}")
    return levels.levels[place].name
