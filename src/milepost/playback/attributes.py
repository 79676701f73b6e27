"""Attributes of attempts: what the records said that opened them (`start.NAME`) and that closed them (`end.NAME`)."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Final

import numpy as np

from milepost.arrays import Bools, Column
from milepost.cleaning.field_values import Values, values_of_numbers
from milepost.errors import UsageError
from milepost.logs.interface import ABSENT, BareLog
from milepost.numerics.whole_numbers import is_among
from milepost.playback.play import FullPlay, Play, with_records
from milepost.playback.runs import RunMarks, find_runs
from milepost.vocabulary import COMPLETE, DEATH, DROPPED, NUMBER_FIELDS, RESET, RETRY, SESSION_END, START, TRANSITION

_ATTRIBUTE: Final = re.compile(r"(start|end|run)\.(.+)", re.DOTALL)
_NUMBERS: Final = tuple(sorted(NUMBER_FIELDS))
_CLOSING: Final = (COMPLETE, DEATH, RESET, TRANSITION)


@dataclass(frozen=True, eq=False, repr=False)
class Attributes:
    """The attributes of all attempts as columns by name: numbers, NaN where absent, or codes into the values of a tag."""

    columns: dict[str, Column]


def is_attribute(key: str) -> bool:
    """Return whether a key is that of an attribute of attempts."""
    return _ATTRIBUTE.fullmatch(key) is not None


def attribute_names(log: BareLog) -> list[str]:
    """The attributes that a log can have."""
    fields = [*_NUMBERS, *log.tags]
    return [*(f"start.{name}" for name in fields), "end.cause", *(f"end.{name}" for name in fields)]


def all_attributes(play: FullPlay) -> Attributes:
    """The attributes of a play."""
    columns = {name: _column(play, name) for name in attribute_names(play.gated.log)}
    return Attributes({name: column for name, column in columns.items() if is_given(column).any()})


def attribute(play: Play, key: str) -> Values:
    """Per attempt, the value of an attribute.

    Raises:
        UsageError: the log has no such attribute.
    """
    log = play.gated.log
    if key.startswith("run."):
        return _read_run_field(play, key)
    kept = play.known_summary(Attributes)
    if key not in attribute_names(log) or (kept is not None and key not in kept.columns):
        raise UsageError(_no_such(log, key))
    column = kept.columns[key] if kept is not None else _column(with_records(play), key)
    if not is_given(column).any():
        raise UsageError(_no_such(log, key))
    if column.dtype.kind == "f":
        return values_of_numbers(column)
    texts = log.causes if key == "end.cause" else log.tags[key.partition(".")[2]]
    return Values(column.astype(np.int64), texts)


def _read_run_field(play: Play, key: str) -> Values:
    """Return the fields at the beginning of each attempt's run."""
    runs, tags, name = find_runs(play), play.summary(RunMarks).tags, key.removeprefix("run.")
    if name not in tags:
        has = f" They say: {', '.join(f'run.{tag}' for tag in tags)}." if tags else ""
        raise UsageError(f"{key}: no run_start of the log says {name}.{has}")
    codes = np.append(tags[name].astype(np.int64), ABSENT)[runs.mark]
    return Values(codes[runs.of_attempt], play.gated.log.tags[name])


def _no_such(log: BareLog, key: str) -> str:
    name = key.partition(".")[2]
    if name in log.tags_not_kept:
        return f"{key}: {name} has so many values that it tells records apart and groups none of them: leave it out."
    if name in log.tags or key in attribute_names(log):
        return f"{key}: no attempt {'began' if key.startswith('start.') else 'ended'} with a record that says {name}."
    known = [f"start.{tag}" for tag in log.tags]
    has = f"What starts say here: {', '.join(known[:20])}." if known else "No start of the log says anything of its own."
    return f"{key}: no attempt of the log has that. {has}"


def is_given(column: Column) -> Bools:
    """In which rows of a column something is given."""
    given: Bools = np.asarray(~np.isnan(column) if column.dtype.kind == "f" else column != ABSENT, np.bool_)
    return given


def _column(play: FullPlay, key: str) -> Column:
    """An attribute's column."""
    side, _, name = key.partition(".")
    records, table = play.gated.log.records, play.attempts
    has_record = opened_itself(play) if side == "start" else closed_itself(play)
    rows = play.gated.order[table.opened_at if side == "start" else table.closed_at]
    column = records.cause if name == "cause" else getattr(records, name) if name in NUMBER_FIELDS else records.tags[name]
    empty = np.nan if column.dtype.kind == "f" else ABSENT
    result: Column = np.where(has_record, column[rows], np.array(empty, column.dtype))
    return result


def opened_itself(play: FullPlay) -> Bools:
    """Return a mask of the attempts that a start or retry of their own opened."""
    return play.compute_once(_opened_itself)


def _opened_itself(play: FullPlay) -> Bools:
    records, table = play.gated.log.records, play.attempts
    rows = play.gated.order[table.opened_at]
    opened: Bools = is_among(records.event[rows], (START, RETRY)) & (records.marks[rows] & DROPPED == 0)
    return opened


def closed_itself(play: FullPlay) -> Bools:
    """Return a mask of the attempts that an outcome, a move from the level or the session's end closed."""
    return play.compute_once(_closed_itself)


def _closed_itself(play: FullPlay) -> Bools:
    records, table = play.gated.log.records, play.attempts
    rows = play.gated.order[table.closed_at]
    at_level = is_among(records.event[rows], _CLOSING) & (play.gated.level[rows] == table.level)
    closed: Bools = (at_level | (records.event[rows] == SESSION_END)) & (records.marks[rows] & DROPPED == 0)
    return closed
