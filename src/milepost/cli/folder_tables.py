"""The tables that lie in the playtest folder beside the logs, read when a command has a use for them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, cast

from milepost.cleaning.anonymous import LEFT_OUT
from milepost.cleaning.selection import session_values
from milepost.cli.folder_defaults import file_of_folder
from milepost.cli.messages import Exit, tell
from milepost.course.course import find_place, read_course
from milepost.errors import MilePostError, UsageError
from milepost.folder.notes import Noted, Recording, add_note, read_notes, read_recordings
from milepost.folder.settings import FILE, add_key, find_folder
from milepost.folder.small_tables import read_answers, read_themes
from milepost.level_names import fold_name, suggest_nearest
from milepost.logs.mapping.logmap import NO_MAP, read_map
from milepost.logs.read import read
from milepost.logs.records.fields import parse_decimal
from milepost.measures.interface import Question
from milepost.output import hold_alone
from milepost.reports import notes_and_recordings
from milepost.wording import safe

if TYPE_CHECKING:
    from collections.abc import Mapping

    from milepost.cleaning.anonymous import Pseudonyms
    from milepost.cli.arguments import Arguments
    from milepost.course.course import Course
    from milepost.folder.notes import Recordings
    from milepost.folder.settings import Folder
    from milepost.measures.answer_changes import EarlierAnswers
    from milepost.measures.answers import Answers
    from milepost.measures.interface import Answer, Theme
    from milepost.planning.targets import Targets
    from milepost.reports.document_types import LevelDocument, SpikesDocument, TraceDocument
    from milepost.reports.head_types import Head


def recordings_of(args: Arguments, hidden: Pseudonyms | None = None) -> Recordings:
    """The folder's recordings; where names are left out, without their places, which may name people."""
    path = file_of_folder(args, "recordings")
    recordings = read_recordings(path) if path else {}
    if hidden is None:
        return recordings
    return {hidden.session(name): Recording("recording", recording.offset) for name, recording in recordings.items()}


def notes_of(args: Arguments, course: Course | None, hidden: Pseudonyms | None = None) -> list[Noted]:
    """The folder's notes, with the course's names of levels."""
    path = file_of_folder(args, "notes")
    notes = notes_and_recordings.by_course(read_notes(path), course) if path else []
    return [_hiding(note, hidden, "notes" in args.keep) for note in notes] if hidden else notes


def _hiding(note: Noted, hidden: Pseudonyms, kept: bool) -> Noted:
    session, player = note["session"], note["player"]
    return Noted(
        {
            **note,
            "session": session and hidden.session(session),
            "player": player and hidden.player(player),
            "note": hidden.in_text(note["note"]) if kept else LEFT_OUT,
        }
    )


def answers_of(args: Arguments, hidden: Pseudonyms | None = None) -> Answers | None:
    """The measure of the answers, of the table that is named or of the folder's; None where there is none.

    Raises:
        UsageError: an order that is none.
    """
    from milepost.measures.answers import Answers

    settled = args.settled
    path = args.answers or file_of_folder(args, "answers")
    if path is None:
        return None
    answers = read_answers(path)
    questions = dict(settled.folder.questions) if settled is not None else {}
    for text in args.order:
        question, sign, order = text.rpartition("=")
        ranks = tuple(part.strip() for part in order.split(",") if part.strip())
        if not sign or not question or len(ranks) < 2:
            raise UsageError(f"--order {text}: write the question, an equals sign, and its answers with commas between.")
        questions[question] = replace(questions.get(question, Question()), order=ranks)
    if hidden is not None:
        answers = tuple(_hiding_answer(answer, questions, hidden, "answers" in args.keep) for answer in answers)
    return Answers(answers, questions, args.min_players, _themes_of(args, hidden), _earlier_of(args))


def _themes_of(args: Arguments, hidden: Pseudonyms | None) -> tuple[Theme, ...]:
    """The themes to look for; none where the answers' texts are hidden."""
    path = args.themes or file_of_folder(args, "themes")
    return () if path is None or (hidden is not None and "answers" not in args.keep) else read_themes(path)


def _earlier_of(args: Arguments) -> EarlierAnswers | None:
    """The answers of an earlier report, where the command is asked for what changed since.

    Raises:
        UsageError: it cannot be read, or has no answers.
    """
    if args.command != "answers" or args.since is None:
        return None
    from milepost.measures.answer_changes import EarlierAnswers
    from milepost.reports.since import read_report

    report = cast("dict[str, object]", read_report(args.since))
    answers = report.get("answers")
    questions = answers.get("questions") if isinstance(answers, dict) else None
    if not isinstance(questions, list) or not all(map(_is_question, questions)):
        how = "Write one in the playtest folder: milepost report -o NAME.json."
        raise UsageError(f"--since {args.since}: this report has no answers. {how}")
    return EarlierAnswers(questions, frozenset(cast("list[str]", report.get("session_marks") or [])))


def _is_question(entry: object) -> bool:
    """Return whether something in a report is a question as reports tell them."""
    if not isinstance(entry, dict) or not isinstance(entry.get("question"), str) or not isinstance(entry.get("levels"), list):
        return False
    numbers = int | float | None
    return all(
        isinstance(level, dict)
        and isinstance(level.get("level"), str | None)
        and type(level.get("n")) is int
        and all(isinstance(level.get(key), numbers) and not isinstance(level.get(key), bool) for key in ("mean", "sd"))
        for level in entry["levels"]
    )


def _hiding_answer(answer: Answer, questions: Mapping[str, Question], hidden: Pseudonyms, kept: bool) -> Answer:
    """An answer of nobody; its text stays where it is a number or one of those that were to be chosen from."""
    ranks = [rank.casefold() for rank in questions.get(answer.question, Question()).order]
    if parse_decimal(answer.answer) is None and answer.answer.casefold() not in ranks:
        answer = replace(answer, answer=hidden.in_text(answer.answer) if kept else LEFT_OUT)
    return replace(answer, player=hidden.player(answer.player))


def targets_of(args: Arguments) -> Targets:
    """The targets, those of the folder among them."""
    from milepost.planning.targets import Targets

    settled = args.settled
    if settled is None or not settled.folder.targets:
        return Targets(least=args.min_players)
    settled.taken["targets"] = dict(settled.folder.targets)
    return Targets(settled.folder.targets, args.min_players)


def join(args: Arguments, report: Head, course: Course | None) -> None:
    """Put notes and recordings into a command's document, where they belong there."""
    if args.command == "level":
        page = cast("LevelDocument", report)
        notes_and_recordings.add_notes_to_level(page, notes_of(args, course))
        page["watch"] = notes_and_recordings.place_in_recordings(page["watch"], recordings_of(args))
    elif args.command == "trace":
        trace = cast("TraceDocument", report)
        notes_and_recordings.add_notes_to_trace(trace, notes_of(args, course))
        if args.offset is None:
            notes_and_recordings.trace_in_recordings(trace, recordings_of(args))
    elif args.command == "spikes":
        notes_and_recordings.spikes_in_recordings(cast("SpikesDocument", report), recordings_of(args))


LOCK = ".milepost-lock"  # in the folder, so that one note after the other is written
_ABOUT = ("session", "player", "level", "build", "clock")


def note(args: Arguments) -> Exit:
    """Add the note.

    Raises:
        UsageError: there is no playtest folder, nothing to write, or no such level in its course.
    """
    folder = find_folder()
    if folder is None:
        raise UsageError(f"there is no playtest folder here: none above has a {FILE}. milepost init LOG makes one.")
    text = " ".join((args.text or "").split())
    if not text:
        raise UsageError("the note says nothing. Give its text: milepost note TEXT --level LEVEL.")
    if args.clock and not (args.session or args.player):
        raise UsageError("--clock needs a session to be the clock of: add --session.")
    cells = {key: value for key in _ABOUT if (value := getattr(args, key))} | {"note": text}
    _require_in_log(args, folder)
    with hold_alone(folder.file.parent / LOCK):
        folder = find_folder() or folder  # as it is now that nobody else writes to it
        if args.level:
            cells["level"] = _level(folder, args.level)
        where = folder.path("notes")
        path = Path(where) if where else folder.file.parent / "notes.csv"
        add_note(path, cells)
        if where is None:
            add_key(folder.file, "notes", "notes.csv")
    tell(f"Noted in {safe(where or path.name)}.")
    return Exit.DONE


def _require_in_log(args: Arguments, folder: Folder) -> None:
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
        if value not in known and fold_name(value) not in map(fold_name, known):
            raise UsageError(f"--{key} {value}: the log has no such {key}.{suggest_nearest(value, known)}")


def _level(folder: Folder, name: str) -> str:
    """The course's name of a level."""
    course = folder.path("course")
    if course is None:
        return name
    levels = read_course(course)
    place = find_place(levels, name)
    if place is None:
        near = suggest_nearest(name, levels.names()) or f" Its levels: {', '.join(levels.names()[:40])}."
        raise UsageError(f"--level {name}: no level of the course is called so.{near}")
    return levels.levels[place].name
