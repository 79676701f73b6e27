"""Legs in the state machine: what comes next, what is missing on a route, and when a leg is done.

Every function takes the tape, the outputs and the state; stops, legs and places are numbers.
"""

from __future__ import annotations

from milepost.playback.machine_io import MachineInput, MachineOutput, State


def leg_of(tape: MachineInput, state: State, stop: int) -> int:
    """The leg of a stop in the order of the session's build."""
    return tape.leg[state.order * tape.n_stops + stop]


def is_next_leg(tape: MachineInput, state: State, here: int, there: int) -> bool:
    """Return whether a leg is the next one, legs of optional levels being passed over."""
    base, leg = state.order * tape.n_stops, here + 1
    while leg < there and tape.passed_over[base + leg]:
        leg += 1
    return here < there <= leg


def has_tried(tape: MachineInput, out: MachineOutput, state: State, stop: int) -> bool:
    """Return whether the player has an attempt at a stop."""
    return out.tally.owner[stop] == state.player and out.tally.tries[stop] > 0


def route_missing(tape: MachineInput, out: MachineOutput, state: State, target: int, origin: int) -> bool:
    """Return whether a level of the target's route before it, that is not optional and not the origin, was never tried."""
    route = tape.route[target]
    if route < 0:
        return False
    base = state.order * tape.n_stops
    for place in range(tape.leg_first[base + tape.leg[base + target]], tape.rank[base + target]):
        stop = tape.stop_at[base + place]
        if tape.route[stop] == route and not tape.optional[stop] and stop != origin and not has_tried(tape, out, state, stop):
            return True
    return False


def tried_in_leg(tape: MachineInput, out: MachineOutput, state: State, leg: int) -> bool:
    """Return whether the player has an attempt at some level of a leg."""
    base = state.order * tape.n_stops
    for place in range(tape.leg_first[base + leg], tape.leg_stop[base + leg]):
        if has_tried(tape, out, state, tape.stop_at[base + place]):
            return True
    return False


def leg_done(tape: MachineInput, out: MachineOutput, state: State, leg: int) -> bool:
    """Return whether the player has done a leg: enough of its levels, or all of one route and all that have none."""
    base, cleared, routes = state.order * tape.n_stops, 0, False
    first, stop_place = tape.leg_first[base + leg], tape.leg_stop[base + leg]
    for place in range(first, stop_place):
        stop = tape.stop_at[base + place]
        routes = routes or tape.route[stop] >= 0
        if tape.required[base + stop]:
            cleared += _cleared(out, state, stop)
    if not routes:
        return cleared >= tape.needs[base + leg]
    if not _all_cleared(tape, out, state, leg, -1):
        return False
    for place in range(first, stop_place):
        route = tape.route[tape.stop_at[base + place]]
        if route >= 0 and _all_cleared(tape, out, state, leg, route):
            return True
    return False


def _all_cleared(tape: MachineInput, out: MachineOutput, state: State, leg: int, route: int) -> bool:
    """Return whether all levels that a leg needs of a route, or of none, are cleared."""
    base = state.order * tape.n_stops
    for place in range(tape.leg_first[base + leg], tape.leg_stop[base + leg]):
        stop = tape.stop_at[base + place]
        if tape.route[stop] == route and tape.required[base + stop] and not _cleared(out, state, stop):
            return False
    return True


def _cleared(out: MachineOutput, state: State, stop: int) -> bool:
    return out.tally.owner[stop] == state.player and out.tally.clears[stop] > 0
