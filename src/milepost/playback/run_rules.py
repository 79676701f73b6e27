"""Runs in the state machine: what ends one closes what is open, and play after it is no play until the next one begins."""

from __future__ import annotations

from typing import Final

from milepost.playback.machine_actions import close_attempt, within
from milepost.playback.machine_io import NOWHERE, OUT, PLAYING, MachineInput, MachineOutput, State
from milepost.playback.machine_moves import note_progress
from milepost.vocabulary import (
    BIT,
    CLEARED,
    COMPLETE,
    DEATH,
    DIED,
    LEFT,
    RESET,
    RETRY,
    RUN_END,
    RUN_START,
    SESSION_END,
    START,
    TRANSITION,
    WAS_RESET,
)

_AFTER_END: Final = BIT["after_end"]


def of_runs(tape: MachineInput, out: MachineOutput, state: State, event: int, i: int) -> bool:
    """Return whether a record is about runs alone: it begins or ends one, or comes between two of them."""
    if event == RUN_START:
        state.over = NOWHERE
        return True
    if event == RUN_END:
        end_run(tape, out, state, i)
        return True
    return event != SESSION_END and after_run(tape, out, state, event, i)


def end_run(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """The run ends, and with it an open attempt, as the record says; the level is left, and no move waits for its start."""
    state.over, state.over_row = i, NOWHERE
    if state.phase == PLAYING:
        note_progress(tape, state, i)
        before = state.attempts
        close_attempt(tape, out, state, tape.end[i], i)
        if state.attempts > before:
            state.over_row = before
    state.phase = OUT
    state.hop_at, state.hop_from, state.hop_to = NOWHERE, NOWHERE, NOWHERE
    state.echo, state.clear_fresh = NOWHERE, False


def after_run(tape: MachineInput, out: MachineOutput, state: State, event: int, i: int) -> bool:
    """Return whether a record of a level comes after its run has ended and before the next one begins, so that it is no play."""
    level = tape.level[i]
    outcome = event == COMPLETE or event == DEATH or event == RESET
    if outcome and state.over_row != NOWHERE and level == state.level and within(tape, state, state.over, i):
        _belong(tape, out, state, event, i)
        return True
    opens = event == START or event == RETRY or outcome
    if tape.run_opens != NOWHERE:
        opens = opens and level == tape.run_opens
    else:
        opens = (opens or event == TRANSITION) and level != NOWHERE and not tape.is_place[level]
    if opens:
        state.over = NOWHERE
    if state.over == NOWHERE:
        return False
    tape.marks[i] |= _AFTER_END
    return True


def _belong(tape: MachineInput, out: MachineOutput, state: State, event: int, i: int) -> None:
    """Let an outcome right after the run's end be that of the attempt which that closed."""
    k, attempts, tally = state.over_row, out.attempts, out.tally
    state.over_row = NOWHERE
    outcome = CLEARED if event == COMPLETE else DIED if event == DEATH else WAS_RESET
    if attempts.outcome[k] == LEFT:
        attempts.outcome[k] = outcome
        if outcome == CLEARED:
            tally.clears[state.level] += 1
    if attempts.outcome[k] == outcome:
        attempts.closed_at[k] = i
        if tape.progress[i] > attempts.progress[k]:
            attempts.progress[k] = tape.progress[i]
