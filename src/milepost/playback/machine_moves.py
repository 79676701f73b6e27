"""Moves in the state machine: transitions, what comes next, what is missing on a route, and when a leg is done."""

from __future__ import annotations

from typing import Final

from milepost.playback.machine_actions import clear, close_attempt, place, within
from milepost.playback.machine_io import DOWN, NOWHERE, OUT, PLAYING, MachineInput, MachineOutput, State
from milepost.vocabulary import ADVANCE, BIT, END_SKIP, ENTRY, EXIT, LATE, LEFT, PASSED, REPEAT, RESTART, RETURN, SETBACK, SKIP


def leg_of(tape: MachineInput, state: State, stop: int) -> int:
    """The leg of a stop in the order of the session's build."""
    return tape.leg[state.order * tape.n_stops + stop]


def is_next_leg(tape: MachineInput, state: State, from_leg: int, to_leg: int) -> bool:
    """Return whether a leg is the next one, legs of optional levels being passed over."""
    base, leg = state.order * tape.n_stops, from_leg + 1
    while leg < to_leg and tape.passed_over[base + leg]:
        leg += 1
    return from_leg < to_leg <= leg


def has_tried(tape: MachineInput, out: MachineOutput, state: State, stop: int) -> bool:
    """Return whether the player has an attempt at a stop."""
    return out.tally.owner[stop] == state.player and out.tally.tries[stop] > 0


def route_missing(tape: MachineInput, out: MachineOutput, state: State, target: int, origin: int) -> bool:
    """Return whether a level of the target's route before it, that is not optional and not the origin, was never tried."""
    route = tape.route[target]
    if route < 0:
        return False
    base = state.order * tape.n_stops
    for at in range(tape.leg_first[base + tape.leg[base + target]], tape.rank[base + target]):
        stop = tape.stop_at[base + at]
        if tape.route[stop] == route and not tape.optional[stop] and stop != origin and not has_tried(tape, out, state, stop):
            return True
    return False


def tried_in_leg(tape: MachineInput, out: MachineOutput, state: State, leg: int) -> bool:
    """Return whether the player has an attempt at some level of a leg."""
    base = state.order * tape.n_stops
    for at in range(tape.leg_first[base + leg], tape.leg_stop[base + leg]):
        if has_tried(tape, out, state, tape.stop_at[base + at]):
            return True
    return False


def leg_done(tape: MachineInput, out: MachineOutput, state: State, leg: int) -> bool:
    """Return whether the player has done a leg: enough of its levels, or all of one route and all that have none."""
    base, cleared, routes = state.order * tape.n_stops, 0, False
    first, stop_place = tape.leg_first[base + leg], tape.leg_stop[base + leg]
    for at in range(first, stop_place):
        stop = tape.stop_at[base + at]
        routes = routes or tape.route[stop] >= 0
        if tape.required[base + stop]:
            cleared += _cleared(out, state, stop)
    if not routes:
        return cleared >= tape.needs[base + leg]
    if not _are_all_cleared(tape, out, state, leg, -1):
        return False
    for at in range(first, stop_place):
        route = tape.route[tape.stop_at[base + at]]
        if route >= 0 and _are_all_cleared(tape, out, state, leg, route):
            return True
    return False


def _are_all_cleared(tape: MachineInput, out: MachineOutput, state: State, leg: int, route: int) -> bool:
    """Return whether all levels that a leg needs of a route, or of none, are cleared."""
    base = state.order * tape.n_stops
    for at in range(tape.leg_first[base + leg], tape.leg_stop[base + leg]):
        stop = tape.stop_at[base + at]
        if tape.route[stop] == route and tape.required[base + stop] and not _cleared(out, state, stop):
            return False
    return True


def _cleared(out: MachineOutput, state: State, stop: int) -> bool:
    return out.tally.owner[stop] == state.player and out.tally.clears[stop] > 0


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
    from_place, to_place = place(tape, state, state.level), place(tape, state, target)
    n_levels = tape.n_levels[state.order]
    if from_place >= n_levels or to_place >= n_levels or within(tape, state, state.visit_at, i):
        return False
    if tape.is_line:
        return to_place == from_place + 1
    leg, next_leg = leg_of(tape, state, state.level), leg_of(tape, state, target)
    if leg == next_leg:
        return to_place > from_place and tape.route[target] >= 0 and tape.route[target] == tape.route[state.level]
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
    from_leg, to_leg = leg_of(tape, state, origin), leg_of(tape, state, target)
    back = RESTART if target == tape.run_opens else SETBACK
    tries = out.tally.tries[origin] if out.tally.owner[origin] == state.player else 0
    flash = closes == origin and tries == 1 and within(tape, state, state.visit_at, i)
    if from_leg == to_leg:
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
    if to_leg < from_leg:
        return back
    if is_next_leg(tape, state, from_leg, to_leg) and not route_missing(tape, out, state, target, NOWHERE):
        if flash:
            return PASSED
        if tried_in_leg(tape, out, state, from_leg):
            if not leg_done(tape, out, state, from_leg):
                tape.marks[i] |= _ADVANCE_WITHOUT_CLEAR
            return ADVANCE
    if has_tried(tape, out, state, target):
        return RETURN
    return PASSED if double or tape.inferred else SKIP
