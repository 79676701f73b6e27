"""Runs the state machine over a gated log."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from milepost.errors import LogError
from milepost.gate.gate import Gated, gate
from milepost.gate.names import reorder
from milepost.logs.course import Course
from milepost.logs.interface import ABSENT, Ints, Log
from milepost.playback.infer import MOST_LEVELS, infer_order
from milepost.playback.machine import run_session
from milepost.playback.play import AttemptTable, MoveTable, Play
from milepost.playback.tape import Attempts, Moves, State, Tally, Tape
from milepost.progress import SILENT, Progress
from milepost.rules import ReplayRules
from milepost.vocabulary import END_CAUSES, END_UNKNOWN

_STEP = 64  # sessions between two words of progress


def replay_log(log: Log, course: Course | None, rules: ReplayRules, progress: Progress = SILENT) -> Play:
    """Judge a log's records and replay them.

    Without a course the order of the levels is inferred from who was where first, and the log is replayed by it.

    Raises:
        LogError: no course is given and the log has more level names than an order can be inferred for.
    """
    gated = gate(log, course, rules.keep_debug)
    progress.step("replaying")
    if course is not None:
        return _replay(gated, rules, False, progress)
    gate_marks = gated.log.records.marks.copy()
    attempts = _replay(gated, rules, True, SILENT).attempts
    if len(np.unique(attempts.level)) > MOST_LEVELS:
        raise LogError(
            f"{log.files[0]}: more than {MOST_LEVELS:,} different levels. Is `level` the right field? "
            "If it is, give their order with --course."
        )
    order = infer_order(attempts.player, attempts.level, gated.stops.names)
    gated.log.records.marks[:] = gate_marks
    return _replay(_with_stops(gated, order), rules, True, progress)


def _with_stops(gated: Gated, order: list[int]) -> Gated:
    stops = reorder(gated.stops, order)
    records = gated.log.records
    extended = np.append(stops.code, ABSENT)
    return replace(gated, stops=stops, level=extended[records.level], to=extended[records.to])


def _replay(gated: Gated, rules: ReplayRules, inferred: bool, progress: Progress) -> Play:
    tape = _tape(gated, rules, inferred)
    room = len(gated.order)
    attempts, moves = _columns(Attempts, room), _columns(Moves, room)
    n_stops = len(gated.stops.names)
    tally = Tally([ABSENT] * n_stops, [0] * n_stops, [0] * n_stops)
    state = State()
    end = np.full(len(gated.player), END_UNKNOWN)
    endless = np.zeros(len(gated.player), np.bool_)
    for number, session in enumerate(gated.sequence.tolist()):
        state.begin(session, int(gated.player[session]), bool(gated.coarse[session]))
        first, stop = int(gated.bounds[session]), int(gated.bounds[session + 1])
        endless[session] = run_session(tape, tally, attempts, moves, state, first, stop)
        end[session] = state.end
        if number % _STEP == 0:
            progress.advance(_STEP)
    gated.log.records.marks[gated.order] = tape.marks
    return Play(
        gated,
        _attempt_table(attempts, state.attempts, gated),
        _move_table(moves, state.moves, gated),
        end,
        endless,
        inferred,
    )


def _columns(kind: Any, room: int) -> Any:
    return kind(*([0] * room for _ in kind._fields))


def _tape(gated: Gated, rules: ReplayRules, inferred: bool) -> Tape:
    records, order = gated.log.records, gated.order
    return Tape(
        event=records.event[order].tolist(),
        level=gated.level[order].tolist(),
        to=gated.to[order].tolist(),
        time=records.time[order].tolist(),
        second=records.second[order].tolist(),
        progress=records.progress[order].tolist(),
        end=_end_codes(gated.log, order).tolist(),
        fault=gated.fault.tolist(),
        marks=records.marks[order].tolist(),
        n_levels=gated.stops.n_levels,
        is_place=gated.stops.is_place.tolist(),
        window=rules.repeat_window,
        instant=rules.instant,
        implied=rules.implied_complete,
        inferred=inferred,
        keep_shortcuts=rules.keep_shortcuts,
    )


def _end_codes(log: Log, order: Ints) -> Ints:
    """Per record, its cause among the causes of a session's end; `skip` is not one that a log can give."""
    known = {word: code for code, word in enumerate(END_CAUSES) if word != "skip"}
    codes = np.array([known.get(cause, END_UNKNOWN) for cause in log.causes] + [END_UNKNOWN], dtype=np.int64)
    return codes[log.records.cause[order]]


def _attempt_table(written: Attempts, count: int, gated: Gated) -> AttemptTable:
    columns = {name: np.array(values[:count]) for name, values in written._asdict().items()}
    for name in ("opened", "closed", "active", "paused", "settling", "progress"):
        columns[name] = columns[name].astype(np.float64)
    for name in ("settling", "progress"):
        columns[name][columns[name] < 0] = np.nan
    for name in ("session", "level", "visit", "hits", "outcome", "opened_at", "closed_at"):
        columns[name] = columns[name].astype(np.int64)
    player = gated.player[columns["session"]]
    number, rerun = _numbered(player, columns["level"], columns["outcome"] == 0)
    return AttemptTable(player=player, number=number, rerun=rerun, **columns)


def _numbered(player: Ints, level: Ints, cleared: Any) -> tuple[Ints, Any]:
    """The number of each attempt among the player's at its level, and whether a clear came before it."""
    order = np.lexsort((np.arange(len(level)), level, player))
    new = np.ones(len(order), np.bool_)
    new[1:] = (np.diff(player[order]) != 0) | (np.diff(level[order]) != 0)
    first = np.maximum.accumulate(np.where(new, np.arange(len(order)), 0))
    number, rerun = np.empty(len(order), np.int64), np.empty(len(order), np.bool_)
    number[order] = np.arange(len(order)) - first + 1
    before = np.cumsum(cleared[order]) - cleared[order]
    rerun[order] = before - before[first] > 0
    return number, rerun


def _move_table(written: Moves, count: int, gated: Gated) -> MoveTable:
    columns = {name: np.array(values[:count], dtype=np.int64) for name, values in written._asdict().items()}
    return MoveTable(player=gated.player[columns["session"]], **columns)
