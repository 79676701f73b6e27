"""Small rules of the state machine that several events share."""

from __future__ import annotations

from typing import Final

from milepost.playback.machine_actions import clear, place, within
from milepost.playback.machine_io import NOWHERE, OUT, PLAYING, MachineInput, MachineOutput, State
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


def moves_on(tape: MachineInput, state: State, target: int, i: int) -> bool:
    """Return whether going to ``target`` implies, in a log without completions, that the level played was cleared."""
    if not tape.implied or state.phase != PLAYING:
        return False
    here = place(tape, state, state.level)
    if here >= tape.n_levels[state.order] - 1:
        return False
    return place(tape, state, target) == here + 1 and not within(tape, state, state.visit_at, i)


def imply_complete(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """Clear the level played, since play moves on in a log without completions."""
    tape.marks[i] |= _IMPLIED_COMPLETE
    note_progress(tape, state, i)
    clear(tape, out, state, i)
