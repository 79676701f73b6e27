"""Runs the state machine over a gated log: plainly over lists, or compiled over arrays where that pays."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from milepost.compiling import available
from milepost.gate.gate import Gated
from milepost.logs.interface import ABSENT, Bools, Ints, Log
from milepost.playback import compiled, machine
from milepost.playback.tape import Attempts, Moves, Sittings, State, Tally, Tape
from milepost.progress import Progress
from milepost.rules import ReplayRules
from milepost.vocabulary import END_CAUSES, END_UNKNOWN

WORTHWHILE: Final = 400_000  # records from which compiled code pays for its loading
_AT_ONCE: Final = 1_000_000  # records that room for attempts is made for
_STEP: Final = 64  # sessions between two words of progress
_SECONDS = frozenset({"opened", "closed", "active", "paused", "settling", "progress"})


@dataclass(frozen=True)
class Written:
    """What the machine wrote: columns of attempts and of moves, and how each session ended."""

    attempts: dict[str, Any]
    moves: dict[str, Ints]
    end: Ints
    endless: Bools


def run(gated: Gated, rules: ReplayRules, inferred: bool, progress: Progress) -> Written:
    """Replay every session; the findings go onto the log's records."""
    if len(gated.order) >= WORTHWHILE and available():
        return _run(gated, rules, inferred, progress, _Compiled())
    return _run(gated, rules, inferred, progress, _Plain())


class _Plain:
    """Lists, which the interpreter indexes fastest."""

    runner: Callable[..., None] = staticmethod(machine.run_sessions)

    def column(self, values: Any) -> Any:
        return values.tolist()

    def state(self) -> Any:
        return State()


class _Compiled:
    """Arrays, for compiled code."""

    def __init__(self) -> None:
        self.runner = compiled.run_sessions()

    def column(self, values: Any) -> Any:
        return np.ascontiguousarray(values)

    def state(self) -> Any:
        return compiled.empty_state()


def _run(gated: Gated, rules: ReplayRules, inferred: bool, progress: Progress, way: _Plain | _Compiled) -> Written:
    column = way.column
    tape = _tape(gated, rules, inferred, column)
    n_stops = len(gated.stops.names)
    tally = Tally(*(column(np.full(n_stops, start, np.int64)) for start in (ABSENT, 0, 0)))
    sittings = Sittings(
        session=column(gated.sequence), player=column(gated.player), coarse=column(gated.coarse), bounds=column(gated.bounds),
        end=column(np.full(len(gated.player), END_UNKNOWN)), endless=column(np.zeros(len(gated.player), np.bool_)),
    )  # fmt: skip
    state = way.state()
    attempts: list[dict[str, Any]] = []
    moves: list[dict[str, Any]] = []
    for first, stop in _stretches(gated):
        room = int(np.diff(gated.bounds)[gated.sequence[first:stop]].sum())
        attempt_room = Attempts(*(column(_zeros(name, room)) for name in Attempts._fields))
        move_room = Moves(*(column(np.zeros(room, np.int64)) for _ in Moves._fields))
        state.attempts = state.moves = 0
        for begun in range(first, stop, _STEP):
            way.runner(tape, tally, attempt_room, move_room, state, sittings, begun, min(begun + _STEP, stop))
            progress.advance(_STEP)
        attempts.append(_taken(attempt_room, int(state.attempts)))
        moves.append(_taken(move_room, int(state.moves)))
    gated.log.records.marks[gated.order] = tape.marks
    return Written(
        _joined(attempts, Attempts), _joined(moves, Moves), np.array(sittings.end, dtype=np.int64),
        np.array(sittings.endless, dtype=np.bool_),
    )  # fmt: skip


def _stretches(gated: Gated) -> Iterator[tuple[int, int]]:
    """Stretches of the sequence with about as many records as there is room for."""
    ends = np.cumsum(np.diff(gated.bounds)[gated.sequence])
    first = 0
    while first < len(ends):
        before = ends[first - 1] if first else 0
        stop = max(first + 1, int(np.searchsorted(ends, before + _AT_ONCE, side="right")))
        yield first, stop
        first = stop


def _zeros(name: str, room: int) -> Any:
    return np.zeros(room, np.float64 if name in _SECONDS else np.int64)


def _taken(room: Any, count: int) -> dict[str, Any]:
    """What was written, without the room that was left."""
    kinds = {name: np.float64 if name in _SECONDS else np.int64 for name in room._fields}
    return {name: np.array(getattr(room, name)[:count], dtype=kinds[name]) for name in room._fields}


def _joined(parts: list[dict[str, Any]], kind: Any) -> dict[str, Any]:
    if not parts:
        return {name: _zeros(name, 0) for name in kind._fields}
    return {name: np.concatenate([part[name] for part in parts]) for name in kind._fields}


def _tape(gated: Gated, rules: ReplayRules, inferred: bool, column: Callable[[Any], Any]) -> Tape:
    records, order = gated.log.records, gated.order
    return Tape(
        event=column(records.event[order]),
        level=column(gated.level[order]),
        to=column(gated.to[order]),
        time=column(records.time[order]),
        second=column(records.second[order]),
        progress=column(records.progress[order]),
        end=column(_end_codes(gated.log, order)),
        fault=column(gated.fault),
        marks=column(records.marks[order]),
        n_levels=gated.stops.n_levels,
        is_place=column(gated.stops.is_place),
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
