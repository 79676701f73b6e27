"""Transitions in the state machine: the game goes on to another level, or to a place that is none."""

from __future__ import annotations

from typing import Final

from milepost.playback.machine_actions import close_attempt, place, within
from milepost.playback.machine_io import DOWN, NOWHERE, OUT, PLAYING, MachineInput, MachineOutput, State
from milepost.playback.machine_legs import (
    has_tried,
    imply_complete,
    is_next_leg,
    leg_done,
    leg_of,
    moves_on,
    note_progress,
    route_missing,
    tried_in_leg,
)
from milepost.vocabulary import ADVANCE, BIT, END_SKIP, ENTRY, EXIT, LATE, LEFT, PASSED, REPEAT, RESTART, RETURN, SETBACK, SKIP

_REPEATED_TRANSITION: Final = BIT["repeated_transition"]
_LEVEL_MISMATCH: Final = BIT["level_mismatch"]
_DOUBLE_TRANSITION: Final = BIT["double_transition"]
_ADVANCE_WITHOUT_CLEAR: Final = BIT["advance_without_clear"]


def transition(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """The game goes on to another level, or to a place that is none."""
    origin, target = tape.level[i], tape.to[i]
    at_once = state.hop_at != NOWHERE and i - state.hop_at == 1 and within(tape, state, state.hop_at, i)
    if at_once and origin == state.hop_from and target == state.hop_to:
        tape.marks[i] |= _REPEATED_TRANSITION
        return
    expected = state.hop_to if state.phase == OUT else state.level
    if expected != NOWHERE and origin != expected:
        tape.marks[i] |= _LEVEL_MISMATCH
        if (state.phase == PLAYING or state.phase == DOWN) and target == state.level:
            tape.marks[i] |= LATE
            return
    double = at_once and origin == state.hop_to
    if double:
        tape.marks[i] |= _DOUBLE_TRANSITION
    if target != NOWHERE and moves_on(tape, out, state, target, i):
        imply_complete(tape, out, state, i)
    closes = NOWHERE
    if state.phase == PLAYING:
        note_progress(tape, state, i)
        closes = state.level
        close_attempt(tape, out, state, LEFT, i)
    kind = _kind(tape, out, state, closes, double, i)
    moves = out.moves
    moves.session[state.moves], moves.at[state.moves] = state.session, i
    moves.origin[state.moves], moves.target[state.moves], moves.kind[state.moves] = origin, target, kind
    state.moves += 1
    state.phase, state.hop_at, state.hop_from, state.hop_to = OUT, i, origin, target
    if kind == SKIP and not tape.keep_shortcuts:
        state.end = END_SKIP


def _kind(tape: MachineInput, out: MachineOutput, state: State, closes: int, double: bool, i: int) -> int:
    """The kind of a transition: the first that fits. ``closes`` is the level whose attempt it closed, or NOWHERE."""
    origin, target = tape.level[i], tape.to[i]
    if target == NOWHERE:
        return EXIT
    before, after, n_levels = place(tape, state, origin), place(tape, state, target), tape.n_levels[state.order]
    if after >= n_levels:
        return EXIT
    if before >= n_levels:
        return ENTRY
    if after == before:
        return REPEAT
    if not tape.is_line:
        return _kind_by_legs(tape, out, state, closes, double, i)
    if after < before:
        return RESTART if target == tape.run_opens else SETBACK
    tally = out.tally
    tries = tally.tries[origin] if tally.owner[origin] == state.player else 0
    if after == before + 1 and tries > 0:
        if closes == origin and tries == 1 and within(tape, state, state.visit_at, i):
            return PASSED
        if tally.clears[origin] == 0:
            tape.marks[i] |= _ADVANCE_WITHOUT_CLEAR
        return ADVANCE
    if tally.owner[target] == state.player and tally.tries[target] > 0:
        return RETURN
    return PASSED if double or tape.inferred else SKIP


def _kind_by_legs(tape: MachineInput, out: MachineOutput, state: State, closes: int, double: bool, i: int) -> int:
    """The kind of a transition between two levels of a course whose legs have several."""
    origin, target = tape.level[i], tape.to[i]
    here, there = leg_of(tape, state, origin), leg_of(tape, state, target)
    back = RESTART if target == tape.run_opens else SETBACK
    tries = out.tally.tries[origin] if out.tally.owner[origin] == state.player else 0
    flash = closes == origin and tries == 1 and within(tape, state, state.visit_at, i)
    if here == there:
        same_route = tape.route[origin] >= 0 and tape.route[origin] == tape.route[target]
        if same_route and place(tape, state, target) < place(tape, state, origin):
            return back
        if flash and not has_tried(tape, out, state, target):
            return PASSED
        if has_tried(tape, out, state, target):
            return RETURN
        if route_missing(tape, out, state, target, origin):
            return PASSED if double else SKIP
        return ADVANCE
    if there < here:
        return back
    if is_next_leg(tape, state, here, there) and not route_missing(tape, out, state, target, NOWHERE):
        if flash:
            return PASSED
        if tried_in_leg(tape, out, state, here):
            if not leg_done(tape, out, state, here):
                tape.marks[i] |= _ADVANCE_WITHOUT_CLEAR
            return ADVANCE
    if has_tried(tape, out, state, target):
        return RETURN
    return PASSED if double or tape.inferred else SKIP
