"""Begins a playtest folder: looks at a log, drafts what it needs to be understood, and writes the folder's file."""

from __future__ import annotations

import os
import tomllib
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from milepost.drafts.course_draft import draft_course
from milepost.drafts.draft_questions import NO_ANSWERS
from milepost.drafts.map_by_trial import OUR_FIELDS, DraftedMap, add_heading, draft_by_trial
from milepost.drafts.trial_replay import parse_map_text, try_map
from milepost.errors import FolderError, LogError, OutputError
from milepost.folder.notes import COLUMNS as NOTE_COLUMNS
from milepost.folder.settings import FILE, TABLES, without_tables
from milepost.logs.interface import count_refused
from milepost.logs.mapping.logmap import NO_MAP, read_map
from milepost.logs.read import read
from milepost.logs.sources.postgres import is_server
from milepost.logs.sources.remote import is_address
from milepost.output import write_file
from milepost.playback.replay import replay_log
from milepost.rules import ReplayRules
from milepost.toml import toml_text, toml_texts
from milepost.vocabulary import COMPLETE, EVENT_CODES, FIELDS

if TYPE_CHECKING:
    from milepost.drafts.draft_questions import SetAnswers
    from milepost.logs.interface import Log, ReadOptions
    from milepost.logs.mapping.logmap import LogMap
    from milepost.playback.play import Play
    from milepost.progress import Progress

Ask = Callable[["DraftedMap", "SetAnswers"], "DraftedMap"]
_WORTH_A_MAP = 0.01  # by how much more a draft explains that is used though the log can be read without
_STRANGE = 0.5  # share of records that could not be used, from which a log seems to need a map


@dataclass(frozen=True, eq=False, repr=False)
class CreatedFolder:
    """The files that were made.

    Attributes:
        written: the files that are new.
        kept: files that were there already, and are used.
        play: the log, replayed.
        draft: the draft of a map that the log was read through, if it was.
    """

    written: list[str]
    kept: list[str]
    play: Play
    draft: DraftedMap | None


@dataclass(frozen=True)
class FolderWishes:
    """What a user wants of a new folder.

    Attributes:
        force: whether a `milepost.toml` that is there may be written over.
        given_map: a map to use, of which the folder gets a copy.
        answers: what is known of a foreign log beforehand.
        ask: settles what the draft of a map is not sure of.
    """

    force: bool = False
    given_map: Path | None = None
    answers: SetAnswers = NO_ANSWERS
    ask: Ask | None = None


def begin(names: list[str], folder: Path, options: ReadOptions, progress: Progress, wishes: FolderWishes) -> CreatedFolder:
    """Make a folder for a log.

    Args:
        names: the log.
        folder: where; course, map and tables that are there are kept and used.
        options: how files are read.
        progress: told of each step.
        wishes: what the user wants of it.

    Raises:
        OutputError: there is one, or the folder cannot be written.
        LogError: the log cannot be read.
        MapError: a map cannot be used for it.
    """
    if (folder / FILE).exists() and not wishes.force:
        raise OutputError(f"{folder / FILE}: is already there. Change it by hand, or write it anew with --force.")
    texts: dict[str, str] = {}
    kept = [name for name in ("map.toml", "course.toml", *(f"{name}.csv" for name in TABLES)) if (folder / name).is_file()]
    logs = without_tables(names, {(folder / f"{name}.csv").resolve() for name in TABLES})
    if wishes.given_map is not None:
        read_map(wishes.given_map)
        texts["map.toml"] = wishes.given_map.read_text(encoding="utf-8")
    log, log_map, draft = _understood(logs, folder, options, progress, texts, wishes)
    play = replay_log(log, None, ReplayRules(**log_map.replay), progress)
    if "course.toml" not in kept:
        texts["course.toml"] = draft_course(play, folder.resolve().name)
    if "notes.csv" not in kept:
        texts["notes.csv"] = ",".join(NOTE_COLUMNS) + "\n"
    texts[FILE] = settings_text([_relative_name(name, folder) for name in names], {*kept, *texts})
    for name, text in texts.items():
        _write(folder / name, text)
    return CreatedFolder(list(texts), kept, play, draft)


def _understood(
    names: list[str], folder: Path, options: ReadOptions, progress: Progress, texts: dict[str, str], wishes: FolderWishes
) -> tuple[Log, LogMap, DraftedMap | None]:
    """The log, the map that it was read through, and the draft where it is one: a map that is there or given goes first."""
    if "map.toml" in texts or (folder / "map.toml").is_file():
        log_map = parse_map_text(texts["map.toml"]) if "map.toml" in texts else read_map(folder / "map.toml")
        return read(names, log_map, progress, options), log_map, None
    log, answers, ask = None, wishes.answers, wishes.ask
    if answers == NO_ANSWERS:
        with suppress(LogError):
            log = read(names, NO_MAP, progress, options)
            if not (log.records.event < 0).any():
                return log, NO_MAP, None
    try:
        draft = draft_by_trial(names, options, progress, answers)
        if log is not None and not _is_strange(log) and not _explains_more(draft):
            return log, NO_MAP, None
        draft = draft if ask is None else ask(draft, answers)
        log_map = parse_map_text(draft.text)
        mapped = read(names, log_map, progress, options)
    except LogError:
        if log is None:
            raise
        return log, NO_MAP, None
    texts["map.toml"] = add_heading(draft, names[0])
    return mapped, log_map, draft


def _explains_more(draft: DraftedMap) -> bool:
    """Return whether a draft takes what is ours for what it says, and explains more of a log than can be read without a map."""
    parsed = tomllib.loads(draft.text)
    fields, events = parsed.get("fields", {}), parsed.get("events", {})
    if any(fields.get(name) != name for name in OUR_FIELDS) or any(word in EVENT_CODES for word in events):
        return False
    present = dict.fromkeys(name for record in draft.records for name in record if name in FIELDS)
    as_it_is = "\n".join(["[fields]", *(f"{name} = {toml_text(name)}" for name in present)])
    return draft.trial.score > try_map(as_it_is, draft.records, draft.cells).score + _WORTH_A_MAP


def _is_strange(log: Log) -> bool:
    """Return whether half of the records are none of ours, or nothing clears a level though words are not known."""
    refused = count_refused(log.refused)
    unknown = int((log.records.event < 0).sum())
    no_clear = not (log.records.event == COMPLETE).any() and unknown > 0
    return refused + unknown > _STRANGE * (refused + len(log.records)) or no_clear


def _relative_name(name: str, folder: Path) -> str:
    """A log's name as seen from the folder, where it lies in it or near it."""
    if is_address(name) or is_server(name):
        return name
    if name == "-":
        raise FolderError("standard input cannot be kept in a folder. Write it to a file, and name that.")
    path = Path(name).resolve()
    return os.path.relpath(path, folder.resolve()) if folder.resolve().parent in path.parents else str(path)


def settings_text(logs: list[str], files: set[str]) -> str:
    """The folder's file.

    Args:
        logs: the logs, as seen from it.
        files: what lies beside it.
    """
    lines = ["# What is always the same about this playtest. Paths are relative to this file.", f"logs = {toml_texts(logs)}"]
    about = {
        "course": ("course.toml", "the levels in order, and the plan"),
        "map": ("map.toml", "how the log is to be understood"),
        "players": ("players.csv", "a row a player; its columns are tags of the player's sessions"),
        "answers": ("answers.csv", "player, level (or nothing), question, answer"),
        "notes": ("notes.csv", "milepost note adds to it"),
        "recordings": ("recordings.csv", "session, file or address, offset"),
    }
    for key, (name, meaning) in about.items():
        mark = "" if name in files else "# "
        lines.append(f"{mark}{key} = {toml_text(name)}  # {meaning}")
    lines += [
        '# where = ["role!=maker"]  # which sessions take part',
        '# exclude = ["stuck"]  # what is left out as suspect',
        "",
        "# [targets]  # of the whole course; those of a level stand in the course",
        "# kept_at_end = 0.6",
    ]
    return "\n".join(lines) + "\n"


def _write(path: Path, text: str) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(f"{path.parent}: cannot be made ({error.strerror or error}). Name another folder.") from error
    write_file(path, lambda stream: stream.write(text.encode()))
