"""`milepost.toml`: what is always the same about a playtest, read once for every command run inside its folder."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from pathlib import Path
from typing import Final

from milepost.cleaning.selection import parse_condition
from milepost.errors import FolderError, MilePostError
from milepost.logs.sources.files import expand
from milepost.logs.sources.postgres import is_server
from milepost.logs.sources.remote import is_address
from milepost.measures.interface import EXPECTED_FIGURES, Hypothesis, Question
from milepost.output import write_file
from milepost.toml import SettingsReader, parse_toml, read_toml, toml_key, toml_text

FILE: Final = "milepost.toml"
TABLES: Final = ("players", "answers", "notes", "recordings")
WEIGHTS: Final = ("low", "medium", "high")
_KEYS: Final = ("logs", "course", "map", *TABLES, "where", "exclude", "replay", "targets", "hypothesis")
_REPLAY: Final = ("repeat_window", "instant", "implied_complete")
_TARGETS: Final = ("kept_at_end", "total_minutes", "strong_spikes", "findings")


@dataclass(frozen=True)
class Folder:
    """A playtest folder, as its file describes it.

    Attributes:
        file: the file.
        logs: what makes up the log, as it is written there.
        files: the course, the map and the tables, by key, as they are written there.
        where: conditions on sessions and tries.
        exclude: codes of what is left out as suspect.
        replay: settings of the replay.
        questions: what is said of single questions.
        targets: what is planned for the whole course.
        hypotheses: what was expected of builds.
    """

    file: Path
    logs: tuple[str, ...] = ()
    files: Mapping[str, str] = field(default_factory=dict)
    where: tuple[str, ...] = ()
    exclude: tuple[str, ...] = ()
    replay: Mapping[str, float | bool] = field(default_factory=dict)
    questions: Mapping[str, Question] = field(default_factory=dict)
    targets: Mapping[str, float | str] = field(default_factory=dict)
    hypotheses: tuple[Hypothesis, ...] = ()

    def path(self, key: str) -> str | None:
        """Return the path of a file that it names, from the working directory; None if it names none."""
        written = self.files.get(key)
        return None if written is None else self._placed(written)

    def log_paths(self) -> list[str]:
        """Return the paths of its logs, from the working directory; of a folder that also holds its tables, without these.

        Raises:
            LogError: there are none in such a folder.
        """
        return without_tables(self.log_names(), self.table_paths())

    def log_names(self) -> list[str]:
        """Return the paths of the logs that it names, from the working directory."""
        return [self._placed(name) for name in self.logs]

    def table_paths(self) -> set[Path]:
        """Return the paths of the files that it names and that are no logs."""
        return {Path(path).resolve() for key in self.files if (path := self.path(key)) and not is_address(path)}

    def _placed(self, name: str) -> str:
        if is_address(name) or is_server(name):
            return name
        path = self.file.parent / Path(name).expanduser()
        try:
            return os.path.relpath(path)
        except (OSError, ValueError):  # the working directory is gone, or lies on another drive
            return str(path)

    @property
    def shown(self) -> str:
        """The file's name as messages give it."""
        return self._placed(str(self.file))


def without_tables(names: list[str], tables: set[Path]) -> list[str]:
    """Names of logs, a folder that holds some tables being given by the logs in it, so that no table is taken for one.

    Raises:
        LogError: there are none in such a folder.
    """
    apart = []
    for name in names:
        outside = name == "-" or is_address(name) or is_server(name)
        if outside or not any(Path(name).resolve() in table.parents for table in tables if table.is_file()):
            apart.append(name)
        else:
            inside = [source.path for source in expand([name])]
            apart += [str(path) for path in inside if path is not None and path.resolve() not in tables]
    return apart


def find_folder(start: Path | None = None) -> Folder | None:
    """The folder around a place, by default the working directory: the nearest that has a `milepost.toml`.

    Raises:
        FolderError: the file cannot be used.
    """
    try:
        place = (start or Path.cwd()).resolve()
    except OSError:
        return None  # the working directory is gone
    for folder in (place, *place.parents):
        if _is_there(folder / FILE):
            return read_folder(folder / FILE)
    return None


def _is_there(path: Path) -> bool:
    try:
        return path.is_file()
    except OSError:
        return False


def read_folder(path: Path) -> Folder:
    """Read a folder's file.

    Raises:
        FolderError: it cannot be read, has a key that means nothing, or a value that makes no sense; the line is named.
    """
    text = read_toml(path, "file of the playtest folder", FolderError)
    table = parse_toml(_name_answers_file(text), path, "file of the playtest folder", FolderError)
    return _described(SettingsReader(path, text), table)


_ANSWERS_FILE: Final = "answers_file"


def _name_answers_file(text: str) -> str:
    """The text with a name of its own for the file of answers, where tables of questions stand below it.

    TOML lets no name be both a text and a table; people write it all the same, and it can be understood.
    """
    lines = text.splitlines(keepends=True)
    if not any(line.lstrip().startswith("[answers.") for line in lines):
        return text
    for number, line in enumerate(lines):
        if line.lstrip().startswith("["):
            break
        if line.partition("=")[0].strip() == "answers":
            lines[number] = line.replace("answers", _ANSWERS_FILE, 1)
    return "".join(lines)


def _described(at: SettingsReader, table: Mapping[str, object]) -> Folder:
    """Return the settings that the file holds."""
    at.refuse_unknown("", table, tuple(key for key in table if key == _ANSWERS_FILE) + _KEYS)
    answers = table.get("answers")
    about = answers if isinstance(answers, Mapping) else {}
    return Folder(
        file=at.path,
        logs=at.texts("", "logs", table.get("logs", [])),
        files={key: _file(at, key, value) for key, value in _pick_files(table, about).items()},
        where=_judged(at, "where", table, parse_condition),
        exclude=_judged(at, "exclude", table, _acting),
        replay=_replay(at, at.table(table, "replay")),
        questions=_questions(at, about),
        targets=_targets(at, at.table(table, "targets")),
        hypotheses=_hypotheses(at, table.get("hypothesis", [])),
    )


def _pick_files(table: Mapping[str, object], about: Mapping[str, object]) -> dict[str, object]:
    """The files that it names, by key."""
    named = {key: table[key] for key in ("course", "map", *TABLES) if key in table and table[key] is not about}
    for answers in (table.get(_ANSWERS_FILE), about.get("file")):
        named |= {} if answers is None else {"answers": answers}
    themes = about.get("themes")
    return named | ({} if themes is None or isinstance(themes, Mapping) else {"themes": themes})


def _judged(at: SettingsReader, key: str, table: Mapping[str, object], judge: Callable[[str], object]) -> tuple[str, ...]:
    """Texts that a rule of the command line has to take."""
    texts = at.texts("", key, table.get(key, []))
    for text in texts:
        try:
            judge(text)
        except MilePostError as error:
            at.refuse("", key, str(error).removeprefix(f"--{key} "))
    return texts


def _acting(code: str) -> object:
    """A code of what can be left out; what knows them all is loaded only where one is named."""
    from milepost.audit.exclusions import require_acting

    return require_acting([code])


def _file(at: SettingsReader, key: str, value: object) -> str:
    """The name of a file that has to be there."""
    if not isinstance(value, str) or not value:
        at.wrong("", key, "the name of a file", value)
    if not is_address(value) and not _is_there(at.path.parent / Path(value).expanduser()):
        at.refuse("", key, f"there is no file {value!r} beside {at.path.name}. Name one that is there, or take the line out.")
    return value


def _replay(at: SettingsReader, table: Mapping[str, object]) -> dict[str, float | bool]:
    """Settings of the replay."""
    at.refuse_unknown("replay", table, _REPLAY)
    values: dict[str, float | bool] = {}
    for key, value in table.items():
        if key != "implied_complete":
            values[key] = at.number("replay", key, value)
        elif isinstance(value, bool):
            values[key] = value
        else:
            at.wrong("replay", key, "true or false", value)
    return values


def _questions(at: SettingsReader, about: Mapping[str, object]) -> dict[str, Question]:
    """Return what is said of questions; one that is the same as another one leads to one that is not."""
    files = ("file", *(["themes"] if not isinstance(about.get("themes"), Mapping) else []))
    questions = {key: _question(at, key, value) for key, value in about.items() if key not in files}
    for name, question in questions.items():
        if question.same_as is not None and (question.same_as == name or questions.get(question.same_as, Question()).same_as):
            at.wrong(f"answers.{name}", "same_as", "a question that is not the same as a further one", question.same_as)
    return questions


def _question(at: SettingsReader, name: str, value: object) -> Question:
    """Return a question from the file."""
    if not isinstance(value, Mapping):
        at.wrong("answers", name, 'a table such as [answers."How hard was it?"]', value)
    where = f"answers.{name}"
    at.refuse_unknown(where, value, ("order", "harder", "separator", "same_as", "translations"))
    order, harder = at.texts(where, "order", value.get("order", [])), value.get("harder")
    if len(order) == 1 or len(set(order)) < len(order):
        at.wrong(where, "order", "a list of different answers, the least first", list(order))
    if harder is not None and harder not in ("up", "down"):
        at.wrong(where, "harder", '"up" or "down"', harder)
    texts = {key: value.get(key) for key in ("separator", "same_as")}
    for key, text in texts.items():
        if text is not None and (not isinstance(text, str) or not text):
            at.wrong(where, key, "a text", text)
    translations = value.get("translations", {})
    if not isinstance(translations, Mapping) or not all(isinstance(word, str) and word for word in translations.values()):
        at.wrong(where, "translations", 'a table such as { leicht = "easy" }', translations)
    if translations and texts["same_as"] is None:
        at.wrong(where, "translations", "beside same_as, the question that it is the same as", dict(translations))
    separator, same_as = (None if text is None else str(text) for text in texts.values())
    return Question(order, harder, separator, same_as, {str(theirs): str(word) for theirs, word in translations.items()})


def _targets(at: SettingsReader, table: Mapping[str, object]) -> dict[str, float | str]:
    """Return the targets for the whole course."""
    at.refuse_unknown("targets", table, _TARGETS)
    targets: dict[str, float | str] = {}
    for key, value in table.items():
        if key != "findings":
            targets[key] = at.number("targets", key, value, 1.0 if key == "kept_at_end" else float("inf"))
        elif value in WEIGHTS:
            targets[key] = str(value)
        else:
            at.wrong("targets", key, "low, medium or high", value)
    return targets


def _hypotheses(at: SettingsReader, given: object) -> tuple[Hypothesis, ...]:
    """Return what was expected of builds."""
    if not isinstance(given, list) or not all(isinstance(entry, Mapping) for entry in given):
        at.wrong("", "hypothesis", "a list of tables: write [[hypothesis]], and its keys below", given)
    return tuple(_hypothesis(at, entry) for entry in given)


def _hypothesis(at: SettingsReader, entry: Mapping[str, object]) -> Hypothesis:
    where = "hypothesis"
    at.refuse_unknown(where, entry, ("level", "figure", "expect", "at_least", "build", "said"))
    level, figure, expect, build, said_on = (entry.get(key) for key in ("level", "figure", "expect", "build", "said"))
    if not isinstance(level, str) or not level:
        at.wrong(where, "level", "the name of a level", level)
    if not isinstance(figure, str) or figure not in EXPECTED_FIGURES:
        at.wrong(where, "figure", f"one of {', '.join(EXPECTED_FIGURES)}", figure)
    if not isinstance(expect, str) or expect not in ("up", "down"):
        at.wrong(where, "expect", '"up" or "down"', expect)
    if build is not None and not isinstance(build, str):
        at.wrong(where, "build", "the name of a build", build)
    if said_on is not None and (not isinstance(said_on, date) or isinstance(said_on, datetime)):
        at.wrong(where, "said", "a date, such as 2026-11-20", said_on)
    least = at.number(where, "at_least", entry.get("at_least", 0.0), 1.0)
    return Hypothesis(level, figure, expect, least, build, said_on)


def add_key(path: Path, key: str, value: str) -> None:
    """Add a key to a folder's file, whose comments and order stay as they are.

    Raises:
        OutputError: it cannot be written.
    """
    text = f"{toml_key(key)} = {toml_text(value)}\n{path.read_text(encoding='utf-8')}"  # before any table, whatever stands there
    write_file(path, lambda stream: stream.write(text.encode()))


@dataclass
class Settled:
    """A folder's file, and what was taken from it so far.

    Attributes:
        folder: the folder.
        taken: values as they stand in the file, by key.
        is_shown: whether an output has said so.
    """

    folder: Folder
    taken: dict[str, object] = field(default_factory=dict)
    is_shown: bool = False
