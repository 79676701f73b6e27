"""The state machine of the replay: one function a rule, one call a record.

The rules are those of ``docs/definitions.md``; the findings they lead to are bits on the record. Every function
takes the tape, the outputs and the state, and the number ``i`` of the record.
"""

from __future__ import annotations

from typing import Final

from milepost.playback.machine_actions import (
    be_cleared,
    begin,
    clear,
    close_attempt,
    end_visit,
    fail,
    leave,
    new_visit,
    open_attempt,
    open_implied,
    span,
    wait_for_retry,
    within,
    write_attempt,
)
from milepost.playback.machine_io import DONE, DOWN, NOWHERE, OUT, PLAYING, MachineInput, MachineOutput, MachineSessions, State
from milepost.playback.machine_moves import imply_complete, is_last, moves_on, note_fault, note_progress, pending, transition
from milepost.playback.run_rules import of_runs
from milepost.vocabulary import (
    BIT,
    CLEARED,
    COMPLETE,
    CRASH,
    DEATH,
    DIED,
    END_FINISHED,
    END_SKIP,
    END_UNKNOWN,
    FIRST_INPUT,
    HIT,
    LEFT,
    PAUSE,
    QUIT,
    RESET,
    RESUME,
    RETRY,
    RUN_END,
    RUN_START,
    SESSION_END,
    SESSION_START,
    START,
    TIME_UP,
    TRANSITION,
    UNKNOWN,
    WAS_RESET,
)

_UNKNOWN_SPAN: Final = float("nan")
ENDS: Final = (QUIT, TIME_UP, CRASH, LEFT, LEFT, UNKNOWN)  # outcome of an open attempt, by the session's end cause

_REPEATED_START: Final = BIT["repeated_start"]
_RETRY_WITHOUT_START: Final = BIT["retry_without_start"]
_REPEATED_DEATH: Final = BIT["repeated_death"]
_IMPLIED_RETRY: Final = BIT["implied_retry"]
_DEATH_AFTER_COMPLETE: Final = BIT["death_after_complete"]
_REPEATED_COMPLETE: Final = BIT["repeated_complete"]
_IMPLIED_START: Final = BIT["implied_start"]
_RESET_WITHOUT_START: Final = BIT["reset_without_start"]
_OUTCOME_WITHOUT_START: Final = BIT["outcome_without_start"]
_AFTER_SKIP: Final = BIT["after_skip"]
_UNMATCHED_PAUSE: Final = BIT["unmatched_pause"]
_NO_EFFECT: Final = BIT["no_effect"]
_AFTER_END: Final = BIT["after_end"]


def run_sessions(tape: MachineInput, out: MachineOutput, state: State, sittings: MachineSessions, first: int, stop: int) -> None:
    """Replay the sittings from ``first`` up to ``stop``, in their order."""
    for number in range(first, stop):
        session = sittings.session[number]
        begin(state, session, sittings.player[session], sittings.coarse[session], sittings.order[session])
        start, end = sittings.bounds[session], sittings.bounds[session + 1]
        sittings.endless[session] = run_session(tape, out, state, start, end, sittings.cut[session])
        sittings.end[session] = state.end


def run_session(tape: MachineInput, out: MachineOutput, state: State, first: int, stop: int, cut: int) -> bool:
    """Replay the records from ``first`` up to ``stop`` as one session, cut as by a skip; whether it has no end of its own."""
    for i in range(first, stop):
        if i == cut and state.end == NOWHERE:
            _cut(tape, out, state, i)
        if state.end == NOWHERE:
            _record(tape, out, state, i)
        else:
            tape.marks[i] |= _AFTER_SKIP if state.end == END_SKIP else _AFTER_END
    endless = state.end == NOWHERE
    if endless:
        state.end = END_UNKNOWN
        if state.phase == PLAYING:
            close_attempt(tape, out, state, UNKNOWN, stop - 1)
    end_visit(tape, out, state)
    return endless


def _cut(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """End the session as a skip does; what is open is left."""
    if state.phase == PLAYING:
        close_attempt(tape, out, state, LEFT, i)
    state.end = END_SKIP


def _record(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """Send one record to its rule."""
    event, level = tape.event[i], tape.level[i]
    if event == SESSION_START:
        return
    runs = event == RUN_START or event == RUN_END or state.over != NOWHERE
    if runs and of_runs(tape, out, state, event, i):
        return
    if event == PAUSE or event == RESUME:
        _pause_or_resume(tape, state, event, i)
    elif event == SESSION_END:
        _session_end(tape, out, state, i)
    elif event == TRANSITION:
        transition(tape, out, state, i)
    elif level != NOWHERE and tape.is_place[level]:
        tape.marks[i] |= _NO_EFFECT
    elif event == START or event == RETRY:
        _start(tape, out, state, event, i)
    elif event == DEATH:
        _death(tape, out, state, i)
    elif event == RESET:
        _reset(tape, out, state, i)
    elif event == COMPLETE:
        _complete(tape, out, state, i)
    else:
        _during(tape, state, event, i)


# The events, by phase


def _start(tape: MachineInput, out: MachineOutput, state: State, event: int, i: int) -> None:
    """A level becomes playable, or a new try begins."""
    level = tape.level[i]
    same_level = state.phase != OUT and level == state.level
    if same_level and state.phase == PLAYING:
        if within(tape, state, state.opened_at, i):
            tape.marks[i] |= _REPEATED_START
            return
        note_fault(tape, i)
        close_attempt(tape, out, state, LEFT if tape.fault[i] else WAS_RESET, i)
    elif not (same_level and state.phase == DOWN):
        if not same_level:
            if event == START and moves_on(tape, out, state, level, i):
                imply_complete(tape, out, state, i)
            leave(tape, out, state, i)
            if event == RETRY:
                tape.marks[i] |= _RETRY_WITHOUT_START
        new_visit(tape, out, state, level, i)
    open_attempt(state, i)


def _death(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """The player fails."""
    level = tape.level[i]
    if state.phase == OUT or level != state.level:
        _outcome_elsewhere(tape, out, state, DIED, i)
    elif state.phase == PLAYING:
        note_progress(tape, state, i)
        fail(tape, out, state, DIED, i)
    elif state.phase == DONE:
        tape.marks[i] |= _DEATH_AFTER_COMPLETE
    elif within(tape, state, state.ready_at, i):
        tape.marks[i] |= _REPEATED_DEATH
    else:
        tape.marks[i] |= _IMPLIED_RETRY
        open_implied(state, state.ready_at)
        note_progress(tape, state, i)
        fail(tape, out, state, DIED, i)


def _reset(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """The level is put back without a death."""
    level = tape.level[i]
    same_level = state.phase != OUT and level == state.level
    if same_level and state.phase == PLAYING:
        note_progress(tape, state, i)
        note_fault(tape, i)
        fail(tape, out, state, LEFT if tape.fault[i] else WAS_RESET, i)
        return
    if same_level and state.phase == DOWN:
        wait_for_retry(tape, state, i)
        return
    if same_level:
        new_visit(tape, out, state, level, i)
    elif pending(state, level):
        tape.marks[i] |= _IMPLIED_START
        new_visit(tape, out, state, level, state.hop_at)
        open_attempt(state, state.hop_at)
        note_progress(tape, state, i)
        close_attempt(tape, out, state, WAS_RESET, i)
    else:
        leave(tape, out, state, i)
        tape.marks[i] |= _RESET_WITHOUT_START
        new_visit(tape, out, state, level, i)
    wait_for_retry(tape, state, i)


def _complete(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """The level is cleared."""
    level = tape.level[i]
    if state.phase == OUT or level != state.level:
        _outcome_elsewhere(tape, out, state, CLEARED, i)
    elif state.phase == DONE:
        tape.marks[i] |= _REPEATED_COMPLETE
    else:
        if state.phase == DOWN:
            tape.marks[i] |= _IMPLIED_RETRY
            open_implied(state, state.ready_at)
        note_progress(tape, state, i)
        clear(tape, out, state, i)


def _outcome_elsewhere(tape: MachineInput, out: MachineOutput, state: State, outcome: int, i: int) -> None:
    """A death or clear in a level that is not the current one: an echo, a run-up, or play whose start is missing."""
    level = tape.level[i]
    if level == state.echo and not pending(state, level):
        tape.marks[i] |= _REPEATED_COMPLETE if outcome == CLEARED else _DEATH_AFTER_COMPLETE
        return
    if outcome == CLEARED and state.clear_fresh and level != state.clear_level and within(tape, state, state.clear_at, i):
        tape.marks[i] |= _REPEATED_COMPLETE
        return
    if pending(state, level):
        tape.marks[i] |= _IMPLIED_START
        new_visit(tape, out, state, level, state.hop_at)
        open_attempt(state, state.hop_at)
        note_progress(tape, state, i)
        close_attempt(tape, out, state, outcome, i)
    else:
        leave(tape, out, state, i)
        tape.marks[i] |= _OUTCOME_WITHOUT_START
        new_visit(tape, out, state, level, i)
        open_attempt(state, i)
        note_progress(tape, state, i)
        write_attempt(tape, out, state, outcome, i, _UNKNOWN_SPAN)
    if outcome == CLEARED:
        be_cleared(state, i)
    else:
        wait_for_retry(tape, state, i)


def _during(tape: MachineInput, state: State, event: int, i: int) -> None:
    """First input, checkpoint and hit: they tell of the open attempt and change nothing."""
    level = tape.level[i]
    if state.phase != PLAYING or (level != NOWHERE and level != state.level):
        tape.marks[i] |= _NO_EFFECT
        return
    note_progress(tape, state, i)
    if event == HIT:
        state.hits += 1
    elif event == FIRST_INPUT:
        if state.settling >= 0:
            tape.marks[i] |= _NO_EFFECT
        else:
            state.settling = span(tape, state.opened_at, i)


def _pause_or_resume(tape: MachineInput, state: State, event: int, i: int) -> None:
    """Time between a pause and its resume is not active time, while playing or down."""
    level = tape.level[i]
    was_cut, state.cut = state.cut, False
    same_level = level == NOWHERE or level == state.level
    if not same_level or (state.phase != PLAYING and state.phase != DOWN):
        tape.marks[i] |= _NO_EFFECT
        return
    if state.phase == PLAYING:
        note_progress(tape, state, i)
    if (event == PAUSE) == state.pausing:
        tape.marks[i] |= _NO_EFFECT if was_cut or state.phase == DOWN else _UNMATCHED_PAUSE
    elif event == PAUSE:
        state.pausing, state.pause_from = True, tape.time[i]
    else:
        state.pausing = False
        state.paused += max(0.0, tape.time[i] - state.pause_from)


def _session_end(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """The sitting ends, and with it an open attempt."""
    state.end = tape.end[i]
    if state.phase != PLAYING:
        return
    if (
        tape.implied
        and state.end == END_FINISHED
        and is_last(tape, state, state.level)
        and not within(tape, state, state.visit_at, i)
    ):
        imply_complete(tape, out, state, i)
        return
    note_progress(tape, state, i)
    close_attempt(tape, out, state, ENDS[state.end], i)
