"""Candidates for a log map: what each column may be and what each word may mean, with how much of the log that explains."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Final

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.drafts.column_roles import SPLIT, GroupedRecords, Roles, carry_forward, join_columns, rank_roles, rising_share
from milepost.drafts.draft_questions import SetAnswers
from milepost.drafts.event_labels import (
    BEGINS,
    CLEARS,
    ENDS,
    FAILS,
    INSIDE,
    LEAVES,
    NO_LABELS,
    NO_LEVEL,
    OPENS,
    UNEXPLAINED,
    LabelSearch,
    next_levels,
)
from milepost.drafts.map_candidate import Candidate, TimeColumn
from milepost.drafts.prepared_samples import PreparedSample
from milepost.drafts.sampled_table import CellColumn, SampledTable
from milepost.drafts.try_durations import Unit, duration_column, ended_column, guess_time_unit
from milepost.logs.mapping.languages import event_word, score_heading

_SEARCHED: Final = 1000  # records that labels are searched in
_SEARCHED_FIRST: Final = 300  # and in which they are searched first, to see which roles are worth more
_KEPT: Final = 3  # candidates that are
_TRIED: Final = 12  # candidates for the roles of columns of which labels are searched
_WHOLE: Final = 0.95  # share of records, or of sessions, that say something in a column that tells whose they are
_RISES: Final = 0.9  # of steps within a session, from which a column is a clock beyond doubt
_CALLED_OTHERWISE: Final = 0.1  # points per record that a column costs that is called something else than it is taken for
_WORTH_TWO: Final = 0.01  # points per record, by which two columns of events have to explain more than the first by itself
_LABEL_OF: Final = {
    "start": OPENS,
    "retry": OPENS,
    "complete": CLEARS,
    "death": FAILS,
    "reset": FAILS,
    "transition": LEAVES,
    "session_end": ENDS,
    "session_start": BEGINS,
    "first_input": INSIDE,
    "checkpoint": INSIDE,
    "hit": INSIDE,
    "pause": INSIDE,
    "resume": INSIDE,
}


def list_candidates(sample: PreparedSample, answers: SetAnswers) -> list[Candidate]:
    """Return what a sample's columns may be, the likeliest first.

    Args:
        sample: the records.
        answers: what is known of the log beforehand.
    """
    table = join_dates_and_times(SampledTable.of(sample.records))
    labelled = [
        candidate
        for roles in _take_first(rank_roles(table, answers.columns), _TRIED)
        for candidate in _labelled(sample, table, roles, answers)
    ]
    events = [candidate for candidate in labelled if not candidate.rows]
    labelled = [
        candidate
        for candidate in labelled
        if not candidate.rows or not any(_explains_as_much(other, candidate) for other in events)
    ]
    labelled = [candidate for candidate in labelled if not any(_does_without(other, candidate) for other in labelled)]
    labelled.sort(key=lambda candidate: _CALLED_OTHERWISE * len(candidate.against_headings) - candidate.score)
    return [_completed(_searched_on(candidate, _SEARCHED, answers), answers) for candidate in labelled[:_KEPT]]


def _explains_as_much(events: Candidate, rows: Candidate) -> bool:
    """Return whether the same words make as good a log of events as of whole tries."""
    return events.roles.event_names == rows.roles.event_names and events.labelling.score >= rows.labelling.score - 0.02


def _does_without(candidate: Candidate, other: Candidate) -> bool:
    """Return whether a column of events explains as much by itself as with a second one that says which of its meanings holds."""
    roles = candidate.roles
    alike = (candidate.rows, roles.group, roles.level_names) == (other.rows, other.roles.group, other.roles.level_names)
    first = len(other.roles.event_names) > 1 and roles.event_names == other.roles.event_names[:1]
    return alike and first and candidate.labelling.score > other.labelling.score - _WORTH_TWO


def _labelled(sample: PreparedSample, table: SampledTable, roles: Roles, answers: SetAnswers) -> Iterator[Candidate]:
    """Yield the candidates for some roles: records that are events, and records that are whole tries."""
    records = GroupedRecords(table, roles.group)
    time = _time_of(table, records, roles, answers.columns.get("time"))
    carry = roles.level.given < 0.97 and _is_carried(records, roles)
    doubtful = time is not None and time.rising < _RISES  # numbers of any kind rise in half of the steps
    for rows, clock in ((False, time), (True, time), *(((True, None),) if doubtful else ())):
        candidate = Candidate(sample, table, roles, clock, NO_LABELS, rows, 0.0, carry=carry)
        candidate = _searched_on(candidate, _SEARCHED_FIRST, answers)
        if candidate.labelling.clears:
            yield candidate


def _searched_on(candidate: Candidate, most: int, answers: SetAnswers) -> Candidate:
    """The candidate with the labels that explain some of its records best."""
    roles = candidate.roles
    sessions = _sessions(GroupedRecords(candidate.table, roles.group), roles, candidate.time, most)
    known = {word: label for word, text in enumerate(roles.event.words) if (label := _label_of_word(text)) is not None}
    if candidate.rows:  # of which each is a try, be it one that was left
        known = {word: LEAVES if label == ENDS else label for word, label in known.items()}
    labels = answers.labels
    fixed = {word: labels[last] for word, text in enumerate(roles.event.words) if (last := text.rpartition(SPLIT)[2]) in labels}
    labelling = LabelSearch(sessions, len(roles.event.words), known, candidate.rows, fixed).best()
    return replace(candidate, labelling=labelling, score=labelling.score + 0.25 * roles.fit)


def _take_first(roles: Iterator[Roles], count: int) -> list[Roles]:
    return [chosen for _, chosen in zip(range(count), roles, strict=False)]


def join_dates_and_times(table: SampledTable) -> SampledTable:
    """The table with a column for each pair of a date and a time of the day, the two joined by a blank."""
    dates = [column for column in table.columns.values() if column.given > 0.9 and _kind(column) == "date"]
    clocks = [column for column in table.columns.values() if column.given > 0.9 and _kind(column) == "clock"]
    both = {f"{date.name} {clock.name}": join_columns((date, clock), " ") for date in dates for clock in clocks}
    timed = {name: column for name, column in both.items() if column.times is not None}
    return replace(table, columns={**table.columns, **timed})


def _kind(column: CellColumn) -> str:
    read = column.times
    return "" if read is None else read[1].kind


def _label_of_word(text: str) -> int | None:
    """The label that a word, or one of two words, speaks for."""
    word = event_word(text.rpartition(SPLIT)[2]) or event_word(text.partition(SPLIT)[0])
    return _LABEL_OF.get(word) if word else None


def _time_of(table: SampledTable, records: GroupedRecords, roles: Roles, named: str | None) -> TimeColumn | None:
    """The column that says when: its times rise within a group, and it is called so."""
    scored: list[tuple[float, TimeColumn]] = []
    taken = {*roles.level_names, *roles.event_names, roles.group.name if roles.group else ""}
    for name, column in table.columns.items():
        read = column.times
        if read is None or name in taken or column.given < 0.9 or (named and named != name):
            continue
        values, form = read
        if len(column.words) < 0.05 * table.records:
            continue
        rising = rising_share(values, records.codes)
        steps = np.diff(values[records.order])[records.same]
        even = len(steps) > 0 and float((steps == np.median(steps)).mean()) > 0.9
        whole = {"number": 0.0, "clock": 0.05, "date": -0.5, "stamp": 0.15, "local": 0.15}[form.kind]
        names = tuple(part for part in (name,) if part in table.columns)
        pair = next(((a, b) for a in table.columns for b in table.columns if f"{a} {b}" == name and a != name), None)
        fit = rising + whole + 0.25 * score_heading("time", name) - 0.6 * even + 0.1 * (pair is not None)
        scored.append((fit, TimeColumn(pair or names, values, form, rising)))
    best = max(scored, key=lambda entry: entry[0], default=None)
    return best[1] if best is not None and best[1].rising > 0.5 else None


def _sessions(records: GroupedRecords, roles: Roles, time: TimeColumn | None, most: int) -> list[list[tuple[int, int]]]:
    """Some sessions as words and levels, in the order of play."""
    by_time = time is not None and time.rising < 0.999 and time.form.kind != "clock"
    keys = time.values if by_time and time is not None else np.arange(records.table.records)
    order = np.lexsort((np.arange(records.table.records), keys, records.codes))
    level = carry_forward(roles.level, records.codes).codes
    sessions: dict[int, list[tuple[int, int]]] = {}
    for place in order.tolist():
        if records.codes[place] >= 0 and roles.event.codes[place] >= 0:
            code = int(roles.level.codes[place])
            word = int(roles.event.codes[place])
            sessions.setdefault(int(records.codes[place]), []).append(
                (word, code if code >= 0 else int(level[place]) if roles.level.given < 0.6 else NO_LEVEL)
            )
    return _whole_sessions(list(sessions.values()), most)


def _whole_sessions(sessions: Sequence[list[tuple[int, int]]], most: int) -> list[list[tuple[int, int]]]:
    """So many whole sessions, spread over all, as make up the records that are searched."""
    total = 0
    kept: list[list[tuple[int, int]]] = []
    step = max(1, sum(map(len, sessions)) // (2 * most))
    for session in [*sessions[::step], *(sessions if step > 1 else ())]:
        if total < most or len(kept) < 4:
            kept.append(session[:most])
            total += len(kept[-1])
    return kept


def _is_carried(records: GroupedRecords, roles: Roles) -> bool:
    """Return whether words that need a level often come without one."""
    return float((roles.level.codes[roles.event.codes >= 0] < 0).mean()) > 0.2


def _completed(candidate: Candidate, answers: SetAnswers) -> Candidate:
    """A candidate with the columns of sessions, players, builds and durations."""
    session, player, build = _owner_columns(candidate, answers)
    candidate = replace(candidate, session=session, player=player, build=build)
    codes = (
        candidate.table.columns[candidate.roles.group.name].codes
        if candidate.roles.group
        else np.zeros(candidate.table.records, np.int64)
    )
    time = candidate.time
    if candidate.rows:
        taken = {*candidate.roles.level_names, *candidate.roles.event_names, *(time.names if time else ())}
        taken |= {name for name in (candidate.session, candidate.player) if name}
        ended = ended_column(candidate.table, taken, codes, time.values) if time is not None else None
        lasted = None if ended is not None else duration_column(candidate.table, taken, codes, time.values if time else None)
        candidate = replace(candidate, ended=ended, duration=lasted)
    if time is not None and time.form.kind == "number":
        unit = guess_time_unit(time.values, _try_lengths(candidate, codes), " ".join(time.names))
        unit = unit if answers.unit is None else Unit(answers.unit, None, "as was said")
        candidate = replace(candidate, unit=unit)
    return candidate


def _owner_columns(candidate: Candidate, answers: SetAnswers) -> tuple[str | None, str | None, str | None]:
    """The columns of the session, the player and the build."""
    group = candidate.roles.group
    if group is None:
        return None, None, None
    coarser, finer = _columns_of_group(candidate, group)
    few = [column.name for column in coarser if len(column.words) < len(group.words) and score_heading("build", column.name)]
    build = few[0] if few else None
    session, player = answers.columns.get("session"), answers.columns.get("player")
    people = [
        (score, column.name)
        for column in coarser
        if column.name != build and (score := _score_player_column(candidate, column, group)) > 0
    ]
    if player is None and people:
        player = max(people)[1]
    if player is None and finer and session is None:
        session, player = max(finer, key=lambda column: score_heading("session", column.name)).name, group.name
    same = [column.name for column in coarser if len(column.words) == len(group.words) and _depends(group, column)]
    if session is None and player in same and score_heading("session", str(player)) > score_heading("session", group.name):
        session, player = player, group.name
    named = max(same, key=lambda name: score_heading("session", name), default=None)
    if session is None and player is None and named is not None and score_heading("player", group.name):
        session, player = named, group.name
    says_player = score_heading("player", group.name) > score_heading("session", group.name)
    if session is None and ((player is None and says_player) or player == group.name):
        return None, group.name, build
    return session or group.name, player, build


def _columns_of_group(candidate: Candidate, group: CellColumn) -> tuple[list[CellColumn], list[CellColumn]]:
    """The columns that have one value for each of the group's, if only once, and those of whose values each has one of these."""
    used = {*candidate.roles.level_names, *candidate.roles.event_names, group.name}
    others = [column for column in candidate.table.columns.values() if column.name not in used]
    columns = [column for column in others if column.given > _WHOLE]
    most = candidate.table.records / 4
    coarser = [
        column
        for column in others
        if 2 <= len(column.words) <= len(group.words) and _share_of_groups(column, group) > _WHOLE and _depends(column, group)
    ]
    finer = [
        column
        for column in columns
        if len(group.words) < len(column.words) <= most and _depends(group, column) and _is_in_runs(column, group)
    ]
    return coarser, finer


def _share_of_groups(column: CellColumn, group: CellColumn) -> float:
    """Return the share of the group's values of which a column says something in some record."""
    return len(np.unique(group.codes[(column.codes >= 0) & (group.codes >= 0)])) / max(1, len(group.words))


def _depends(column: CellColumn, on: CellColumn) -> bool:
    """Return whether a column has one value for each value of another."""
    both = (column.codes >= 0) & (on.codes >= 0)
    pairs = {(int(a), int(b)) for a, b in zip(on.codes[both], column.codes[both], strict=True)}
    return len(pairs) <= 1.01 * len({a for a, _ in pairs})


def _is_in_runs(column: CellColumn, group: CellColumn) -> bool:
    """Return whether a column's values stand together within a group, as sessions do."""
    order = np.argsort(group.codes, kind="stable")
    runs = 1 + int((np.diff(column.codes[order]) != 0).sum())
    return runs <= 1.2 * len(column.words)


def _score_player_column(candidate: Candidate, column: CellColumn, group: CellColumn) -> float:
    """How well a column fits the player: people are many, and their next session goes on where the last one stopped."""
    heading = score_heading("player", column.name)
    if len(column.words) == len(group.words):
        return heading
    levels = candidate.roles.level.codes
    owner = {int(g): int(p) for g, p in zip(group.codes, column.codes, strict=True) if p >= 0}
    stays: dict[int, list[tuple[int, int]]] = {}
    runs = _level_runs(group, levels)
    for g, visit in runs.items():
        stays.setdefault(owner.get(g, -g - 1), []).append((visit[0], visit[-1]))
    steps = [(last, first) for visits in stays.values() for (_, last), (first, _) in zip(visits, visits[1:], strict=False)]
    if not steps:
        return heading
    following = next_levels([[(0, level) for level in levels] for levels in runs.values()])
    on = np.mean([first == last or following.get(last) == first for last, first in steps])
    return float(on) + heading - 0.55 if len(column.words) >= 3 else heading - 0.1


def _level_runs(group: CellColumn, levels: Ints) -> dict[int, list[int]]:
    """The levels of each group's records, in the log's order, by group."""
    runs: dict[int, list[int]] = {}
    for g, level in zip(group.codes.tolist(), levels.tolist(), strict=True):
        if g >= 0 and level >= 0:
            runs.setdefault(g, []).append(level)
    return runs


def _try_lengths(candidate: Candidate, codes: Ints) -> Floats:
    """How long tries took, from their opening to their outcome, in the log's unit."""
    time, roles, labels = candidate.time, candidate.roles, candidate.labelling.labels
    if time is None:
        return np.zeros(0)
    if candidate.duration is not None:
        values = candidate.duration.column.numbers
        return np.zeros(0) if values is None else values * candidate.duration.factor
    if candidate.ended is not None and candidate.ended.times is not None:
        return candidate.ended.times[0] - time.values
    opened: dict[int, float] = {}
    lengths = []
    for place in np.lexsort((np.arange(len(codes)), time.values)).tolist():
        word, group = int(roles.event.codes[place]), int(codes[place])
        label = labels[word] if word >= 0 else UNEXPLAINED
        if label == OPENS or (candidate.rows and group not in opened):
            opened[group] = float(time.values[place])
        elif label in (CLEARS, FAILS) and group in opened:
            lengths.append(float(time.values[place]) - opened.pop(group))
            if candidate.rows:
                opened[group] = float(time.values[place])
    return np.array(lengths)
