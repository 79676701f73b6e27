"""A candidate for a log map: each column and each word with a meaning it may have, and the map as text."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

from milepost.arrays import Floats
from milepost.drafts.column_roles import SPLIT, Roles
from milepost.drafts.event_labels import ARRIVES, BEGINS, CLEARS, ENDS, FAILS, INSIDE, LEAVES, OPENS, UNEXPLAINED, Labelling
from milepost.drafts.prepared_samples import PreparedSample
from milepost.drafts.sampled_table import CellColumn, SampledTable, TimeForm
from milepost.drafts.try_durations import Duration, Unit
from milepost.logs.mapping.languages import event_word, score_heading
from milepost.toml import toml_text
from milepost.vocabulary import EVENT_CODES
from milepost.wording import percent, plural, safe

_OURS: Final = {OPENS: "start", CLEARS: "complete", FAILS: "death", ENDS: "session_end", BEGINS: "session_start"}
_OF_ROWS: Final = {CLEARS: "complete", FAILS: "death", LEAVES: "quit"}
_INSIDE: Final = ("first_input", "checkpoint", "hit", "pause", "resume")
_WHY: Final = {
    OPENS: "a try begins with it",
    CLEARS: "the next level follows it",
    FAILS: "another try at the level follows it",
    ENDS: "nothing of the session follows it",
    BEGINS: "the first of its session",
    LEAVES: "stands between a try and another level",
    INSIDE: "within tries, and does not end them",
    ARRIVES: "right before tries begin",
    UNEXPLAINED: "nothing tells what it is",
}
_SHOWN: Final = 30
_HEADED: Final = ("session", "player", "level", "time", "result", "lasted", "tries")  # fields that headings tell apart
_TELLING: Final = 0.4  # how much a heading speaks for a field, from which it is one


@dataclass(frozen=True, eq=False, repr=False)
class TimeColumn:
    """When a record was: one column, or a date and a time of the day in two.

    Attributes:
        names: the columns.
        values: per record its time, in the log's unit or in seconds.
        form: how it is written.
        rising: in which share of steps within a group it does not fall.
    """

    names: tuple[str, ...]
    values: Floats
    form: TimeForm
    rising: float


@dataclass(frozen=True, eq=False, repr=False)
class Candidate:
    """What a log's columns and words may be.

    Attributes:
        sample: the records.
        roles: its columns.
        time: when; None where nothing says it.
        labelling: what the words mean.
        rows: whether a record is a whole try.
        score: how much it explains, headings being evidence beside.
        session, player, build: columns; at least one of the first two, where there is one at all.
        unit: of numeric times.
        duration, ended: of rows that are tries.
        carry: whether the level holds until another is said.
    """

    sample: PreparedSample
    table: SampledTable
    roles: Roles
    time: TimeColumn | None
    labelling: Labelling
    rows: bool
    score: float
    session: str | None = None
    player: str | None = None
    build: str | None = None
    unit: Unit | None = None
    duration: Duration | None = None
    ended: CellColumn | None = None
    carry: bool = False
    runner_up: Candidate | None = field(default=None, repr=False)

    @property
    def against_headings(self) -> list[str]:
        """The columns that are called something else than they are taken for."""
        group, times = self.roles.group, self.time.names if self.time is not None else ()
        taken: list[tuple[tuple[str, ...], str]] = [] if group is None else [(("session", "player"), group.name)]
        taken += [(("level",), name) for name in self.roles.level_names]
        taken += [(("event", "result"), name) for name in self.roles.event_names] + [(("time",), name) for name in times]
        return [name for ours, name in taken if _is_called_otherwise(name, ours)]


def _is_called_otherwise(name: str, ours: Sequence[str]) -> bool:
    """Return whether a heading speaks for other fields, and for none of some."""
    strongest = max(score_heading(role, name) for role in _HEADED)
    return strongest > _TELLING and not any(score_heading(role, name) for role in ours)


def map_text(candidate: Candidate, words: Mapping[str, str]) -> str:
    """Return a log map.

    Args:
        candidate: what the log's columns and words may be.
        words: meanings of event words that are known.
    """
    select, lines = _conversion(candidate), list[str]()
    given = [*candidate.sample.input, *([f"select = {toml_text(select)}"] if select else [])]
    if given:
        lines += ["", "[input]", *given]
    rows = [*candidate.sample.rows, *_rows(candidate)]
    if rows:
        lines += ["", "[rows]", *rows]
    lines += ["", "[fields]  # ours = theirs", *_fields(candidate), *_time(candidate), *_events(candidate, words)]
    if candidate.session is None and candidate.player is not None and candidate.time is not None:
        lines += ["", "[session]", "# No session was found: a player's next one begins after a gap.", "gap_minutes = 30"]
    return "\n".join(lines) + "\n"


def _conversion(candidate: Candidate) -> str | None:
    """The query that makes the records; it also brings durations into the unit of the times."""
    query, duration = candidate.sample.select, candidate.duration
    factor = 1.0 if duration is None else duration.factor
    if duration is None or factor == 1.0:
        return query
    name = '"' + duration.column.name.replace('"', '""') + '"'
    inner = "log" if query is None else f"({query})"
    return f"SELECT * REPLACE (CAST({name} AS DOUBLE) * {factor:g} AS {name}) FROM {inner}"


def _fields(candidate: Candidate) -> Iterator[str]:
    roles, table = candidate.roles, candidate.table
    for ours, name in (("session", candidate.session), ("player", candidate.player), ("build", candidate.build)):
        if name is not None:
            yield f"{ours} = {toml_text(name)}  # {_evidence(table.columns[name])}"
    if roles.group is None:
        yield 'session = { value = "1" }  # no column parts the records by who played'
    if candidate.time is not None and not candidate.rows:
        rising = percent(candidate.time.rising)
        yield f"time = {_source(candidate.time.names, ' ')}  # rises within a session in {rising} of steps"
    if not candidate.rows:
        yield f"event = {toml_text(roles.event_names[0])}  # {_evidence(roles.event)}"
    yield f"level = {_source(roles.level_names, '-')}  # {_evidence(roles.level)}"
    used = {candidate.session, candidate.player, candidate.build, *roles.level_names, *roles.event_names}
    used |= set(candidate.time.names if candidate.time else ())
    rest = [column for name, column in table.columns.items() if name not in used]
    if rest:
        yield "# Not used; they stay as tags under their own names:"
        yield from (f"#   {safe(column.name)}: {_evidence(column)}" for column in rest[:_SHOWN])


def _source(names: tuple[str, ...], join: str) -> str:
    if len(names) == 1:
        return toml_text(names[0])
    return f"{{ from = [{', '.join(toml_text(name) for name in names)}], join = {toml_text(join)} }}"


def _evidence(column: CellColumn) -> str:
    examples = ", ".join(safe(word.replace(SPLIT, "/"))[:30] for word in column.words[:4])
    return f"in {percent(column.given)} of records, {plural(len(column.words), 'value')}, such as {examples}"


def _rows(candidate: Candidate) -> Iterator[str]:
    if candidate.carry:
        yield 'carry = ["level"]  # not every record says it: it holds until it changes'
    if not candidate.rows:
        return
    yield 'each = "attempt"  # no word opens a try: each record is a whole one'
    time, duration = candidate.time, candidate.duration
    if time is not None:
        ended = candidate.ended is None and (duration is None or duration.ended)
        if len(time.names) == 1:
            yield f"{'ended' if ended else 'started'} = {toml_text(time.names[0])}"
    if candidate.ended is not None:
        yield f"ended = {toml_text(candidate.ended.name)}  # never before it began, nor after the next one begins"
    if duration is not None:
        why = "by its heading" if time is None else "fills the time between the records"
        yield f"lasted = {toml_text(duration.column.name)}  # {why}"
    yield f"result = {toml_text(candidate.roles.event_names[-1])}"


def _time(candidate: Candidate) -> Iterator[str]:
    time = candidate.time
    if time is None:
        return
    form, unit = time.form, candidate.unit
    if form.kind == "number" and unit is not None and unit.name != "s":
        yield from ("", "[time]", f"unit = {toml_text(unit.name)}  # {unit.why}")
        if unit.name == "frames":
            yield "rate = 60  # frames per second: a guess"
    elif form.kind in ("local", "date") or (form.kind == "clock" and form.format):
        yield from ("", "[time]", 'zone = "UTC"  # times without an offset: which zone is a guess')
        if form.format:
            yield f"format = {toml_text(form.format)}" + (f"  # or {form.doubtful}" if form.doubtful else "")


def _events(candidate: Candidate, words: Mapping[str, str]) -> Iterator[str]:
    yield from ("", "[events]  # theirs = ours")
    labels, roles = candidate.labelling.labels, candidate.roles
    counts = {code: 0 for code in range(len(roles.event.words))}
    for code in roles.event.codes.tolist():
        if code >= 0:
            counts[code] += 1
    split: dict[str, list[str]] = {}
    taken: set[str] = set()
    for code in sorted(counts, key=lambda code: -counts[code]):
        word, _, second = roles.event.words[code].partition(SPLIT)
        ours = words.get(second or word) or _meaning(candidate, word, second, labels[code])
        why = f"{plural(counts[code], 'record')}, {_WHY[labels[code]]}"
        if not ours:
            yield f'# {toml_text(second or word)} = "?"  # NOT GUESSED, {why}'
        elif second and not candidate.rows:
            split.setdefault(word, []).append(
                f"{{ event = {toml_text(ours)}, when = {{ {_key(roles.event_names[-1])} = {toml_text(second)} }} }}"
            )
        elif candidate.rows:
            word = second or word
            if word in taken:
                continue
            taken.add(word)
            yield f"{toml_text(word)} = {toml_text(ours)}  # {why}"
        elif word in EVENT_CODES and ours == word:
            yield f"# {toml_text(word)} is one of ours ({why})"
        else:
            yield f"{toml_text(word)} = {toml_text(ours)}  # {why}"
    for word, rules in split.items():
        yield f"{toml_text(word)} = [{', '.join(rules)}]"


def _key(name: str) -> str:
    return toml_text(name)


def _meaning(candidate: Candidate, word: str, second: str, label: int) -> str:
    """Our event for a word; one that only stands by is ignored, unless it says what it is."""
    if candidate.rows:
        return _OF_ROWS.get(label, "")
    named = event_word(second or word)
    if label in (FAILS, OPENS) and named in ({"death", "reset"} if label == FAILS else {"start", "retry"}):
        return str(named)
    if label in _OURS:
        return _OURS[label]
    if label == UNEXPLAINED:
        return ""
    return named if named in _INSIDE and label == INSIDE else "ignore"
