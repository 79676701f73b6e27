"""Replays a cleaned log: the state machine over its records, in lists or compiled over arrays, and tables of what it gives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Final, NamedTuple

import numpy as np

from milepost.arrays import Bools, Column, Ints
from milepost.cleaning.gate import Gated, judge_records
from milepost.cleaning.names import reorder
from milepost.cleaning.selection import Exclusion
from milepost.compiling import Compiled, is_available
from milepost.course.course import Course
from milepost.errors import LogError
from milepost.logs.interface import ABSENT, BareLog, Log
from milepost.numerics.whole_numbers import distinct
from milepost.playback import machine
from milepost.playback.attempt_filters import apply_exclusion
from milepost.playback.attempt_tables import AttemptTable, Ends, MoveTable, number_tries
from milepost.playback.infer import MOST_LEVELS, Precedence, count_precedence, infer_order
from milepost.playback.machine_io import (
    BY_RECORDS,
    FLOATS,
    NOWHERE,
    TRUTHS,
    Attempts,
    MachineInput,
    MachineOutput,
    MachineSessions,
    MoveColumns,
    State,
    Tally,
)
from milepost.playback.play import FullPlay
from milepost.progress import SILENT, Progress
from milepost.rules import ReplayRules
from milepost.vocabulary import CLEARED, DIED, END_CAUSES, END_UNKNOWN, LEFT, NOT_LOGGED, RUN_END

MOST_RECORDS: Final = 2_000_000  # of a log, from which no player is replayed anew without being asked


def replay_log(
    log: Log, course: Course | None, rules: ReplayRules, progress: Progress = SILENT, exclusion: Exclusion | None = None
) -> FullPlay:
    """Judge a log's records and replay them.

    Without a course the order of the levels is inferred from who was where first, and the log is replayed by it.

    Raises:
        LogError: no course is given and the log has more level names than an order can be inferred for.
    """
    gated = judge_records(log, course, rules.keep_debug, exclusion=exclusion)
    if course is not None:
        progress.step("replaying", len(gated.sequence))
        return replay_gated(gated, rules, None, progress)
    progress.step("inferring the order of the levels", len(gated.sequence))
    order = infer_order(levels_in_play(gated, rules, progress), gated.stops.names)
    progress.step("replaying", len(gated.sequence))
    return replay_gated(gated, rules, order, progress)


def levels_in_play(gated: Gated, rules: ReplayRules, progress: Progress = SILENT) -> Precedence:
    """Return the levels that were attempted, and their order of first attempts, as long as no order is known.

    Raises:
        LogError: there are more levels than an order can be inferred for.
    """
    attempts = _replay(gated, rules, True, progress).attempts
    require_few(distinct(attempts.level), gated.log)
    return count_precedence(attempts.player, attempts.level)


def require_few(levels: Ints, log: BareLog) -> None:
    """Refuse more levels than an order can be inferred for.

    Raises:
        LogError: there are more.
    """
    if len(levels) > MOST_LEVELS:
        raise LogError(
            f"{log.files[0]}: more than {MOST_LEVELS:,} different levels. Is `level` the right field? "
            "If it is, give their order with --course."
        )


def replay_gated(gated: Gated, rules: ReplayRules, order: list[int] | None, progress: Progress) -> FullPlay:
    """Replay what the gate let through, by the course or by an inferred order of stops."""
    if order is None:
        return _replay(gated, rules, False, progress)
    return _replay(_add_stops(gated, order), rules, True, progress)


def _add_stops(gated: Gated, order: list[int]) -> Gated:
    stops = reorder(gated.stops, order)
    records = gated.log.records
    extended = np.append(stops.code, ABSENT)
    return replace(gated, stops=stops, level=extended[records.level], to=extended[records.to])


def _replay(gated: Gated, rules: ReplayRules, inferred: bool, progress: Progress) -> FullPlay:
    written = run(gated, rules, inferred, progress)
    times = gated.log.records.time[gated.order[written.moves["at"]]]
    gated = _marked(gated, written.marks)
    moves = MoveTable(player=gated.player[written.moves["session"]], time=times, **written.moves)
    play = FullPlay(gated, _attempt_table(written.attempts, gated), moves, Ends(written.end), written.endless, inferred, rules)
    return play if gated.exclusion is None else apply_exclusion(play, gated.exclusion)


def _marked(gated: Gated, in_order: Ints) -> Gated:
    """Return the log with the replay's findings on the records."""
    marks = gated.log.records.marks.copy()
    marks[gated.order] = in_order
    return replace(gated, log=replace(gated.log, records=replace(gated.log.records, marks=marks)))


def _attempt_table(columns: dict[str, Column], gated: Gated) -> AttemptTable:
    for name in ("settling", "progress"):
        columns[name][columns[name] < 0] = np.nan
    player, never = gated.player[columns["session"]], np.zeros(len(columns["session"]), np.bool_)
    number, rerun = number_tries(player, columns["level"], columns["outcome"] == CLEARED, never)
    return AttemptTable(player=player, number=number, rerun=rerun, void=never, aside=never, **columns)


RUN_ENDS: Final = {"won": CLEARED, "failed": DIED}  # outcomes; any other cause leaves the level
WORTHWHILE: Final = 10_000  # records of a log, all its parts together, from which compiled code pays for its loading
WORTH_COMPILING: Final = 200_000  # and from which it is compiled, where that was not done before
_MACHINE: Final = tuple(f"milepost.playback.{name}" for name in ("machine_actions", "machine_moves", "run_rules", "machine"))
run_compiled: Final = Compiled(_MACHINE, "run_sessions")  # it takes arrays, and a record of the state
_SECONDS = frozenset({"opened", "closed", "active", "paused", "settling", "progress"})


@dataclass(frozen=True, eq=False, repr=False)
class ReplayColumns:
    """The machine's output: columns of attempts and moves, the end of each session, and the records' marks in their order."""

    attempts: dict[str, Column]
    moves: dict[str, Ints]
    end: Ints
    endless: Bools
    marks: Ints


def run(gated: Gated, rules: ReplayRules, inferred: bool, progress: Progress) -> ReplayColumns:
    """Replay every session."""
    return _run(gated, rules, inferred, progress, _Compiled() if _pays(gated.of_records) else _Plain())


def _pays(records: int) -> bool:
    """Return whether so many records are worth compiled code. Both ways give the same, to the last bit."""
    if records < WORTHWHILE or not is_available():
        return False
    return records >= WORTH_COMPILING or not run_compiled.waits()


class _Plain:
    """Lists, which the interpreter indexes fastest."""

    runner: Callable[..., None] = staticmethod(machine.run_sessions)
    step = 64  # sessions between two words of progress

    def waits(self) -> bool:
        """Return whether something takes a while before it begins: nothing does."""
        return False

    def column(self, values: Any) -> Any:
        """A column as the machine takes it."""
        return values.tolist()

    def hold(self, columns: NamedTuple) -> object:
        """Named columns as the machine takes them: in slots, which the interpreter reads faster than fields of tuples."""
        names = columns._fields
        slotted = type("Slotted", (), {"__slots__": names})()
        for name, value in zip(names, columns, strict=True):
            setattr(slotted, name, self.hold(value) if hasattr(value, "_fields") else value)
        return slotted

    def state(self) -> Any:
        """A state to begin with."""
        return State()


class _Compiled:
    """Arrays, for compiled code."""

    step = 4096

    def __init__(self) -> None:
        self.runner = run_compiled

    def waits(self) -> bool:
        """Return whether something takes a while before it begins."""
        return run_compiled.waits()

    def column(self, values: object) -> Any:
        """A column as the machine takes it."""
        return np.ascontiguousarray(values)

    def hold(self, columns: NamedTuple) -> object:
        """Named columns as the machine takes them: as they are."""
        return columns

    def state(self) -> Any:
        """A state as a record that compiled code can write to: an array without dimensions."""
        kinds = [(name, np.bool_ if name in TRUTHS else np.float64 if name in FLOATS else np.int64) for name in State.__slots__]
        state = np.zeros((), np.dtype(kinds)).view(np.recarray)
        state.player = state.over = NOWHERE  # as a plain one begins
        return state


def _run(gated: Gated, rules: ReplayRules, inferred: bool, progress: Progress, machine: _Plain | _Compiled) -> ReplayColumns:
    column = machine.column
    tape = _tape(gated, rules, inferred, column)
    n_stops = len(gated.stops.names)
    tally = Tally(*(column(np.full(n_stops, start, np.int64)) for start in (ABSENT, 0, 0)))
    sittings = MachineSessions(
        session=column(gated.sequence),
        player=column(gated.player),
        coarse=column(gated.coarse),
        order=column(gated.orders.of_session),
        bounds=column(gated.bounds),
        cut=column(gated.bounds[1:] if gated.exclusion is None else gated.exclusion.ends_at(gated.log, gated.bounds)),
        end=column(np.full(len(gated.player), END_UNKNOWN)),
        endless=column(np.zeros(len(gated.player), np.bool_)),
    )
    state = machine.state()
    room = len(gated.order)  # memory is only taken for what is written
    attempts = Attempts(*(column(np.zeros(room, _kind(name))) for name in Attempts._fields))
    moves = MoveColumns(*(column(np.zeros(room, _kind(name))) for name in MoveColumns._fields))
    held, out, sessions = machine.hold(tape), machine.hold(MachineOutput(tally, attempts, moves)), machine.hold(sittings)
    if machine.waits():
        progress.step("compiling the replay, once for this version of the program")
        machine.runner(held, out, state, sessions, 0, 0)
        progress.step("replaying", len(gated.sequence))
    for first in range(0, len(gated.sequence), machine.step):
        machine.runner(held, out, state, sessions, first, min(first + machine.step, len(gated.sequence)))
        progress.advance(min(machine.step, len(gated.sequence) - first))
    return ReplayColumns(
        _used_rows(attempts, int(state.attempts)),
        _used_rows(moves, int(state.moves)),
        np.array(sittings.end, dtype=np.int64),
        np.array(sittings.endless, dtype=np.bool_),
        np.asarray(tape.marks),
    )


def _kind(name: str) -> type:
    return np.float64 if name in _SECONDS else np.int64


def _used_rows(room: NamedTuple, count: int) -> dict[str, Column]:
    """Return the output, without the unused room."""
    return {name: np.asarray(getattr(room, name)[:count], _kind(name)) for name in room._fields}


def _tape(gated: Gated, rules: ReplayRules, inferred: bool, column: Callable[[Any], Any]) -> MachineInput:
    records, order = gated.log.records, gated.order
    return MachineInput(
        event=column(records.event[order]),
        level=column(gated.level[order]),
        to=column(gated.to[order]),
        time=column(records.time[order]),
        second=column(records.second[order]),
        progress=column(records.progress[order]),
        end=column(end_codes(gated.log, order)),
        fault=column(gated.fault),
        marks=column(records.marks[order]),
        rank=column(gated.orders.rank.ravel()),
        is_line=gated.orders.is_line,
        leg=column(gated.orders.leg.ravel()),
        stop_at=column(gated.orders.stop_at.ravel()),
        leg_first=column(gated.orders.by_leg.first.ravel()),
        leg_stop=column(gated.orders.by_leg.stop.ravel()),
        needs=column(gated.orders.by_leg.needs.ravel()),
        passed_over=column(gated.orders.by_leg.passed_over.ravel()),
        required=column(gated.orders.required.ravel()),
        route=column(gated.orders.route),
        optional=column(gated.orders.optional),
        n_levels=column(gated.orders.count),
        n_stops=len(gated.stops.names),
        is_place=column(gated.stops.is_place),
        run_opens=run_opens(gated),
        window=rules.repeat_window,
        instant=rules.instant,
        implied=rules.implied_complete,
        inferred=inferred,
        keep_shortcuts=rules.keep_shortcuts,
    )


def run_opens(gated: Gated) -> int:
    """The level at which a run begins; ``BY_RECORDS`` where records say it, NOWHERE where the next level event does."""
    at = gated.course.runs.at if gated.course else None
    if at is not None:
        return gated.stops.names.index(at)
    return BY_RECORDS if gated.run_starts else NOWHERE


def end_codes(log: Log, order: Ints) -> Ints:
    """Per record, its cause among the causes of a session's end; of the end of a run, the outcome that it gives."""
    known = {word: code for code, word in enumerate(END_CAUSES) if word not in NOT_LOGGED}
    codes = np.array([known.get(cause, END_UNKNOWN) for cause in log.causes] + [END_UNKNOWN], dtype=np.int64)
    ends = np.array([RUN_ENDS.get(cause, LEFT) for cause in log.causes] + [LEFT], dtype=np.int64)
    cause = log.records.cause[order]
    return np.where(log.records.event[order] == RUN_END, ends[cause], codes[cause])
