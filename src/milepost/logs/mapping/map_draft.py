"""Looks at a foreign log and drafts a log map: guesses with their evidence, and what could not be guessed."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import replace
from typing import Final

import numpy as np

from milepost.errors import LogError
from milepost.logs.formats.detect import tell
from milepost.logs.formats.other_kinds import kind_of_file
from milepost.logs.formats.registry import FORMATS
from milepost.logs.interface import ReadOptions
from milepost.logs.mapping.infer_events import Meaning, infer_from_sequence
from milepost.logs.mapping.languages import event_word, heading_of, likeliest_encoding
from milepost.logs.mapping.sampling import EnoughRecords, Sample
from milepost.logs.mapping.sheets import SampledColumn, draft_sheet, local_times
from milepost.logs.records.fields import parse_stamp, to_number
from milepost.logs.sources.encodings import LOOKED_AT, guess_text_encoding
from milepost.logs.sources.files import Source, expand
from milepost.progress import SILENT, Progress
from milepost.toml import toml_text
from milepost.vocabulary import EVENT_CODES, FIELDS
from milepost.wording import number, plural, safe

_FEWEST, _RARELY = 3, 0.05  # changes of a screen that prove it; share of records that may say both
_MOST_WORDS: Final = 60  # different event words beyond which a column holds no event words

# Parts of names that people give to such columns, best first.
_HINTS: Final = {
    "session": ("session", "sessions", "sitting", "run", "sid", "visit", "id"),
    "time": ("time", "timestamp", "ts", "tick", "frame", "clock", "elapsed", "when", "at", "t"),
    "event": ("event", "action", "verb", "kind", "type", "what", "code", "name", "message"),
    "level": ("level", "stage", "map", "room", "world", "scene", "wave", "round", "lvl", "chapter", "screen", "view"),
    "to": ("to", "target", "dest", "destination", "next"),
    "player": ("player", "user", "uid", "account", "tester", "who", "profile"),
    "build": ("build", "version", "ver", "release", "patch"),
    "cause": ("cause", "reason", "why", "killer"),
    "progress": ("progress", "percent", "completion"),
    "x": ("x", "posx", "px"),
    "y": ("y", "posy", "py"),
    "seq": ("seq", "sequence", "index", "order"),
}
_NEEDED: Final = ("session", "time", "event", "level")


def map_by_words(
    names: list[str], options: ReadOptions, progress: Progress = SILENT
) -> tuple[str, list[Mapping[str, object]], bool]:
    """Return a draft of a log map by headings and words, the sample's records, and whether their values know no types.

    Raises:
        LogError: the log cannot be read, or has no record.
    """
    progress.step("looking")
    sources = expand(names)
    options = replace(options, encoding=_encoding(sources[0], options))
    sample, cells = Sample(stops=True), False
    for source in sources:
        form = FORMATS[tell(source, options)]
        cells = cells or form.cells
        try:
            form.read(source, sample, options, progress)
        except EnoughRecords:
            break
    if not sample.records:
        kind = kind_of_file(sources[0].path) if sources[0].path is not None else None
        raise LogError(f"{sources[0].label}: {kind or 'no record to look at. --input-format says which format it has.'}")
    arrays = sample.taken_out()
    columns = _columns(sample.records)
    sheet = None if arrays else draft_sheet(columns, len(sample.records))
    if sheet is not None:
        return "\n".join([*_input_lines(options), *sheet]) + "\n", sample.records, cells
    fields = _guess_fields(columns, sample.records)
    screens = _is_of_screens(fields, sample.records)
    lines = [*_input_lines(options), *_row_lines(arrays, screens)]
    lines += _field_lines(columns, fields, len(sample.records), screens)
    lines += _time_lines(columns, fields, sample.records)
    lines += _event_lines(columns, fields, sample.records, screens)
    if "session" not in fields and "player" in fields:
        lines += ["", "[session]", "# No session was found: a player's next one begins after a gap.", "gap_minutes = 30"]
    return "\n".join(lines) + "\n", sample.records, cells


def _is_of_screens(fields: Mapping[str, str], records: list[Mapping[str, object]]) -> bool:
    """Return whether the level is only in records that have no event: where the screen changes."""
    event, level = fields.get("event"), fields.get("level")
    if event is None or level is None:
        return False
    both = sum(event in record and level in record for record in records)
    changes = sum(level in record and event not in record for record in records)
    return changes >= _FEWEST and both <= _RARELY * changes


def _row_lines(arrays: tuple[str, ...], screens: bool) -> list[str]:
    """The records that lie in arrays, and what holds until it changes."""
    lines = []
    if arrays:
        named = ", ".join(toml_text(name) for name in arrays)
        names_text = "arrays of these names" if len(arrays) > 1 else "an array of this name"
        lines.append(f"explode = [{named}]  # the log's records lie in {names_text}")
    if screens:
        lines.append('carry = ["level"]  # only records without an event say it: it holds until it changes')
    return ["", "[rows]", *lines] if lines else []


def _encoding(source: Source, options: ReadOptions) -> str | None:
    """The encoding of a table that is not UTF-8, as its bytes seem to have it."""
    if options.encoding or tell(source, options) not in ("csv", "tsv"):
        return options.encoding
    with source.open(options.max_bytes) as stream:
        head = stream.read(LOOKED_AT)
    try:
        head[: head.rfind(b"\n") + 1].decode("utf-8-sig")
    except UnicodeDecodeError:
        return likeliest_encoding(head, guess_text_encoding(head))
    return None


def _input_lines(options: ReadOptions) -> list[str]:
    if options.encoding is None:
        return []
    return ["", "[input]", f"encoding = {toml_text(options.encoding)}  # the bytes are not UTF-8, and seem to be this"]


def _columns(records: list[Mapping[str, object]]) -> dict[str, SampledColumn]:
    columns: dict[str, SampledColumn] = {}
    for record in records:
        for name, value in record.items():
            column = columns.setdefault(name, SampledColumn(name, 0, Counter(), []))
            column.given += 1
            column.values[str(value)] += 1
            as_a_number = to_number(value)
            if type(as_a_number) in (int, float):
                column.numbers.append(float(as_a_number))
    return columns


def _guess_fields(columns: dict[str, SampledColumn], records: list[Mapping[str, object]]) -> dict[str, str]:
    """Our fields with the column that fits each best, each column for one field."""
    scores = [
        (score, ours, column.name)
        for ours in _HINTS
        for column in columns.values()
        if (score := _score(ours, column, len(records))) > 0
    ]
    fields: dict[str, str] = {}
    for _, ours, name in sorted(scores, key=lambda item: (-item[0], item[1], item[2])):
        if ours not in fields and name not in fields.values():
            fields[ours] = name
    return fields


def _score(ours: str, column: SampledColumn, n_records: int) -> float:
    """How well a column fits a field: by its name, and by what its values can be."""
    words = re.split(r"[^a-z0-9]+", re.sub(r"([a-z0-9])([A-Z])", r"\1_\2", column.name).lower())
    hints = _HINTS[ours]
    ranks = [place for place, hint in enumerate(hints) if hint in words or hint == "".join(words)]
    if not ranks and {"started": "time"}.get(str(heading_of(column.name)), heading_of(column.name)) == ours:
        ranks = [len(hints) - 1]  # in another language
    if not ranks or not _possible(ours, column):
        return 0.0
    exact = column.name == ours
    rare = column.given < 0.3 * n_records and ours in _NEEDED and ours != "level"
    return 10.0 * exact + 3.0 - ranks[0] / len(hints) + column.given / n_records - 0.2 * len(words) - 3.0 * rare


def _possible(ours: str, column: SampledColumn) -> bool:
    distinct = len(column.values)
    if ours == "time":
        return column.numeric or _is_date(next(iter(column.values)))
    if ours in ("x", "y", "seq", "progress"):
        return column.numeric
    if ours == "event":
        return distinct <= _MOST_WORDS
    return ours != "session" or column.given < 2 or distinct < column.given


def _is_date(text: str) -> bool:
    return re.match(r"\d{1,4}[-./]\d{1,2}[-./]\d{1,4}[T ]\d", text) is not None


def _field_lines(columns: dict[str, SampledColumn], fields: dict[str, str], n_records: int, screens: bool) -> list[str]:
    lines = ["", "[fields]  # ours = theirs"]
    for ours in _HINTS:
        if ours in fields:
            column = columns[fields[ours]]
            theirs = toml_text(column.name)
            if ours == "event" and screens:
                why = f"without one a level begins; {column.evidence(n_records)}"
                lines.append(f'event = {{ from = {theirs}, default = "start" }}  # {why}')
            else:
                lines.append(f"{ours} = {theirs}  # {column.evidence(n_records)}")
        elif ours in _NEEDED:
            lines.append(f'# {ours} = "?"  # NOT GUESSED: no column looks like it, and it is needed')
    rest = [column for name, column in columns.items() if name not in fields.values()]
    alike = [column for column in rest if column.name in FIELDS and column.name not in fields]
    for heading, listed in (
        ("Read as they are, for they are called like ours:", alike),
        ("Not used; they stay as tags under their own names:", [column for column in rest if column not in alike]),
    ):
        if listed:
            lines.append(f"# {heading}")
            lines += [f"#   {safe(column.name)}: {column.evidence(n_records)}" for column in listed[:30]]
    return lines


def _time_lines(columns: dict[str, SampledColumn], fields: dict[str, str], records: list[Mapping[str, object]]) -> list[str]:
    if "time" not in fields:
        return []
    column = columns[fields["time"]]
    if not column.numeric:
        example = next(iter(column.values))
        if parse_stamp(example) is not None:
            return ["", f"# Times are time stamps with an offset, such as {safe(example)}: nothing to set."]
        return local_times(list(column.values))
    unit, why = _unit(column.name, _steps(records, fields), max(column.numbers))
    lines = ["", "[time]", f"unit = {toml_text(unit)}  # {why}"]
    return [*lines, "rate = 60  # frames per second: NOT GUESSED, check"] if unit == "frames" else lines


def _steps(records: list[Mapping[str, object]], fields: dict[str, str]) -> float:
    """The median step of time between a session's records."""
    owner = fields.get("session") or fields.get("player")
    last: dict[object, float] = {}
    steps = []
    for record in records:
        time = to_number(record.get(fields["time"]))
        if type(time) in (int, float):
            key = record.get(owner) if owner else None
            if key in last and time > last[key]:
                steps.append(time - last[key])
            last[key] = float(time)
    return float(np.median(steps)) if steps else 0.0


def _unit(name: str, step: float, largest: float) -> tuple[str, str]:
    """The unit that makes a median step of some seconds, and why."""
    if re.search("tick|frame", name.lower()) and step >= 10:
        return "frames", f"by the name; the median step between records of a session is {number(step)}"
    for unit, least, epoch in (("us", 2e5, 1e15), ("ms", 1e3, 1e12)):
        if largest >= epoch or step >= least:
            return (unit, f"the median step between records of a session is {number(step)}, the largest time {number(largest)}")
    if step >= 100:
        return "frames", f"the median step is {number(step)}: too long for seconds, short for milliseconds"
    return "s", f"the median step between records of a session is {number(step)}"


def _event_lines(
    columns: dict[str, SampledColumn], fields: dict[str, str], records: list[Mapping[str, object]], screens: bool
) -> list[str]:
    if "event" not in fields:
        return []
    words = columns[fields["event"]].values.most_common(_MOST_WORDS)
    guessed = {word: ours for word, _ in words if (ours := event_word(word))}
    known = {*guessed.values(), *(word for word, _ in words), *(["start"] if screens else [])}
    followed = {} if {"start", "complete"} <= known else _following(fields, records)
    lines, unknown = ["", "[events]  # theirs = ours"], []
    for word, count in words:
        if word in EVENT_CODES:
            lines.append(f"# {toml_text(word)} is one of ours ({plural(count, 'record')})")
        elif word in guessed:
            lines.append(f"{toml_text(word)} = {toml_text(guessed[word])}  # {plural(count, 'record')}, by the word")
        elif word in followed:
            ours, why = followed[word]
            lines.append(f"{toml_text(word)} = {toml_text(ours)}  # {plural(count, 'record')}, by how they follow: {why}")
        else:
            unknown.append(f'# {toml_text(word)} = "?"  # NOT GUESSED, {plural(count, "record")}')
    return lines + unknown


def _following(fields: Mapping[str, str], records: list[Mapping[str, object]]) -> dict[str, Meaning]:
    """Return the meanings of words by their order in a session."""
    owner, event, level = fields.get("session") or fields.get("player"), fields["event"], fields.get("level")
    if owner is None or level is None:
        return {}
    sessions: dict[object, list[tuple[str, str]]] = {}
    for record in records:
        if event in record:
            sessions.setdefault(record.get(owner), []).append((str(record[event]), str(record.get(level))))
    return infer_from_sequence(list(sessions.values()))
