"""Defaults from the playtest folder's file, and the message that says which of them were taken."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Final

from milepost.cli.messages import tell
from milepost.errors import UsageError
from milepost.folder.settings import FILE, Settled, find_folder
from milepost.logs.sources.postgres import is_server
from milepost.logs.sources.remote import is_address, without_secrets
from milepost.reports.exclusion_text import said_of
from milepost.reports.head_types import Settings

if TYPE_CHECKING:
    from milepost.cli.arguments import Arguments
    from milepost.folder.settings import Folder
    from milepost.reports.interface import Report

_FILES: Final = ("course", "map")


def _document(settled: Settled, anonymous: bool) -> Settings:
    """What was taken, for machines; without the names of files and people where these are to be left out."""
    shown = ("exclude", "replay", "targets")  # the others name files or people
    taken = {key: _hide_secrets(value) for key, value in settled.taken.items() if key in shown or not anonymous}
    return Settings(file=FILE if anonymous else settled.folder.shown, taken=taken)


def _hide_secrets(value: object) -> object:
    """A value of the file as it may be shown: addresses without users and passwords."""
    if isinstance(value, list):
        return [_hide_secrets(item) for item in value]
    return without_secrets(value) if isinstance(value, str) and (is_address(value) or is_server(value)) else value


def settle(args: Arguments) -> None:
    """Fill in what the command line left open.

    Raises:
        FolderError: the folder's file cannot be used.
        UsageError: there is no log to be read.
    """
    if not args.has("needs_log"):
        return
    _logs_among_names(args)
    folder = find_folder() if args.has("no_folder") and not args.no_folder else None
    if folder is not None:
        args.settled = Settled(folder)
        _fill(args, args.settled)
    if args.needs_log and not args.logs:
        raise UsageError(
            _explain_nothing_to_read(folder) if args.has("no_folder") else "name the log: a file, a folder or a glob."
        )


def _logs_among_names(args: Arguments) -> None:
    """Take a session's name that is a path for the log that it is."""
    session = args.session
    if session is not None and args.has("logs") and (args.all or _is_path(session)):
        args.logs, args.session = [session, *args.logs], None


def _is_path(name: str) -> bool:
    try:
        return Path(name).exists()
    except (OSError, ValueError):
        return False


def _explain_nothing_to_read(folder: Folder | None) -> str:
    if folder is not None:
        return f'{folder.shown} names no logs. Add a line such as logs = ["logs"], or name a log.'
    return f"name a log, or go into a playtest folder, which has a {FILE}: milepost init LOG makes one."


def _fill(args: Arguments, settled: Settled) -> None:
    folder, taken = settled.folder, settled.taken
    if args.has("logs") and not args.logs and folder.logs:
        grow = args.command == "watch"  # where files come that are not there yet
        args.logs, taken["logs"] = folder.log_names() if grow else folder.log_paths(), list(folder.logs)
    for key in _FILES:
        if args.has(key) and getattr(args, key) is None and key in folder.files:
            setattr(args, key, folder.path(key))
            taken[key] = folder.files[key]
    for key, given in (("where", folder.where), ("exclude", folder.exclude)):
        if given and args.has(key) and not getattr(args, f"no_{key}"):
            setattr(args, key, [*given, *getattr(args, key)])
            taken[key] = list(given)


def file_of_folder(args: Arguments, key: str) -> str | None:
    """Return the path of one of the folder's tables; None if it has none."""
    settled = args.settled
    path = settled.folder.path(key) if settled is not None else None
    if settled is not None and path is not None:
        settled.taken[key] = settled.folder.files[key]
    return path


def tables_of_folder(args: Arguments) -> set[Path]:
    """Return the paths of the folder's tables, which are no logs."""
    settled = args.settled
    return set() if settled is None else settled.folder.table_paths()


def files_of_folder(args: Arguments) -> list[Path]:
    """The folder's file and all that it names, but for the logs."""
    settled = args.settled
    if settled is None:
        return []
    named = [path for key in settled.folder.files if (path := settled.folder.path(key)) is not None]
    return [settled.folder.file, *map(Path, named)]


def replay_of_folder(args: Arguments, options: Mapping[str, object]) -> dict[str, float | bool]:
    """The folder's settings of the replay; those that options overrule are not taken."""
    settled = args.settled
    if settled is None:
        return {}
    taken = {key: value for key, value in settled.folder.replay.items() if key not in options}
    if taken:
        settled.taken["replay"] = taken
    return taken


def settings_of(args: Arguments) -> Settings | None:
    """Return the settings taken from the folder's file, for JSON; None if there were none."""
    settled = args.settled
    if settled is None or not settled.taken:
        return None
    settled.is_shown = True
    return _document(settled, args.anonymous)


def with_settings(args: Arguments, report: Report) -> Report:
    """The report with what was taken from the folder's file: as the last line for people, under `settings` for machines."""
    settings = settings_of(args)
    if settings is None or args.settled is None:
        return report
    args.settled.is_shown = args.format not in ("csv", "junit")
    *views, last = report.views
    views.append(replace(last, last=said_of(settings)))
    return replace(report, document={**report.document, "settings": settings}, views=views)


def tell_settings(args: Arguments) -> None:
    """Say on standard error what was taken from the folder's file, where no output had room for it."""
    settled = args.settled
    if settled is not None and settled.taken and not settled.is_shown:
        tell(f"milepost: {said_of(_document(settled, False))}")
