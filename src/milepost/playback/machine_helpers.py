"""Small rules of the state machine that several events share."""

from __future__ import annotations

from typing import Final

from milepost.playback.machine_actions import clear, place, within
from milepost.playback.machine_io import NOWHERE, OUT, PLAYING, MachineInput, MachineOutput, State
from milepost.playback.machine_legs import is_next_leg, leg_of, route_missing
from milepost.vocabulary import BIT

_FAULT_RESET: Final = BIT["fault_reset"]
_IMPLIED_COMPLETE: Final = BIT["implied_complete"]


def pending(state: State, level: int) -> bool:
    """Return whether a transition to the level waits for its start."""
    return state.phase == OUT and state.hop_at != NOWHERE and state.hop_to == level


def note_progress(tape: MachineInput, state: State, i: int) -> None:
    """Progress on any event of the open attempt after its opening; only the greatest is kept."""
    level = tape.level[i]
    if (level == NOWHERE or level == state.level) and tape.progress[i] > state.progress:
        state.progress = tape.progress[i]


def note_fault(tape: MachineInput, i: int) -> None:
    """Note that something other than the player put the level back."""
    if tape.fault[i]:
        tape.marks[i] |= _FAULT_RESET


def moves_on(tape: MachineInput, out: MachineOutput, state: State, target: int, i: int) -> bool:
    """Return whether going to ``target`` implies, in a log without completions, that the level played was cleared."""
    if not tape.implied or state.phase != PLAYING:
        return False
    here, there = place(tape, state, state.level), place(tape, state, target)
    n_levels = tape.n_levels[state.order]
    if here >= n_levels or there >= n_levels or within(tape, state, state.visit_at, i):
        return False
    if tape.is_line:
        return there == here + 1
    leg, next_leg = leg_of(tape, state, state.level), leg_of(tape, state, target)
    if leg == next_leg:
        return there > here and tape.route[target] >= 0 and tape.route[target] == tape.route[state.level]
    return is_next_leg(tape, state, leg, next_leg) and not route_missing(tape, out, state, target, state.level)


def is_last(tape: MachineInput, state: State, level: int) -> bool:
    """Return whether a level is the last of the course, or one of its last leg."""
    last = tape.n_levels[state.order] - 1
    if tape.is_line or place(tape, state, level) > last:
        return place(tape, state, level) == last
    base, leg = state.order * tape.n_stops, leg_of(tape, state, level)
    later = leg_of(tape, state, tape.stop_at[base + last])
    while later > leg and tape.passed_over[base + later]:
        later -= 1
    return later == leg and not tape.passed_over[base + leg]


def imply_complete(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """Clear the level played, since play moves on in a log without completions."""
    tape.marks[i] |= _IMPLIED_COMPLETE
    note_progress(tape, state, i)
    clear(tape, out, state, i)
