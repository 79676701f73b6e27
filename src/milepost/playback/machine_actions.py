"""Opening and closing of visits and attempts: what every rule of the state machine does to the state.

Every function takes the tape, the outputs and the state; ``i``, ``at`` and ``since`` are numbers of records.
"""

from __future__ import annotations

from typing import Final

from milepost.playback.machine_io import DONE, DOWN, NOWHERE, OUT, PLAYING, MachineInput, MachineOutput, State
from milepost.vocabulary import BIT, CLEARED, DIED, EXACT, LEFT, UNTIMED, WAS_RESET

TOLERANCE: Final = 1e-9
_UNKNOWN: Final = float("nan")
_START_WHILE_PLAYING: Final = BIT["start_while_playing"]
_INSTANT_CLEAR: Final = BIT["instant_clear"]
_FLASH_ATTEMPT: Final = BIT["flash_attempt"]
_FLASH_VISIT: Final = BIT["flash_visit"]


# Time, and what "within w" means


def within(tape: MachineInput, state: State, since: int, i: int) -> bool:
    """Return whether record ``i`` comes within the repeat window of record ``since``."""
    if tape.marks[i] & EXACT:
        return False
    if state.coarse:
        return i - since <= 1 and bool(tape.second[i] <= tape.second[since])
    return bool(tape.time[i] - tape.time[since] <= tape.window + TOLERANCE)


def place(tape: MachineInput, state: State, stop: int) -> int:
    """The place of a stop in the order of the session's build; at least the number of its levels where it has none."""
    return tape.rank[state.order * tape.n_stops + stop]


def span(tape: MachineInput, since: int, i: int) -> float:
    """Seconds from record ``since`` to record ``i``, not below zero."""
    length: float = tape.time[i] - tape.time[since]
    return max(0.0, length)


# Opening and closing


def begin(state: State, session: int, player: int, coarse: bool, order: int) -> None:
    """Start a session: out of the levels, nothing remembered."""
    if player != state.player:
        state.over = NOWHERE  # the end of the player's run, while no other has begun
    state.over_row = NOWHERE  # the attempt that it closed, in this session
    state.session, state.player, state.coarse, state.order = session, player, coarse, order
    state.phase, state.level = OUT, NOWHERE
    state.opened_at = state.ready_at = NOWHERE
    state.visit_at, state.visit_first = NOWHERE, state.attempts
    state.hits, state.progress, state.settling = 0, -1.0, -1.0
    state.paused, state.pause_from, state.pausing, state.cut = 0.0, 0.0, False, False
    state.echo = NOWHERE  # the level cleared last, while no visit to it was opened since
    state.clear_at, state.clear_level, state.clear_fresh = NOWHERE, NOWHERE, False
    state.hop_at, state.hop_from, state.hop_to = NOWHERE, NOWHERE, NOWHERE  # the transition kept last
    state.end = NOWHERE  # the cause of the session's end, once it has ended


def new_visit(tape: MachineInput, out: MachineOutput, state: State, level: int, at: int) -> None:
    """Begin a stay in a level, with the record ``at``."""
    end_visit(tape, out, state)
    if level != state.level:
        end_pause(state)
    state.visit += 1
    state.visit_at, state.visit_first = at, state.attempts
    state.level = level
    if state.echo == level:
        state.echo = NOWHERE


def end_visit(tape: MachineInput, out: MachineOutput, state: State) -> None:
    """Drop the visit that ends here if the level was left as soon as it was entered."""
    first, last = state.visit_first, state.attempts - 1
    state.visit_first = state.attempts
    if state.coarse or last < first:
        return
    attempts = out.attempts
    for k in range(first, last + 1):
        if attempts.outcome[k] != LEFT:
            return
    if tape.marks[attempts.closed_at[last]] & EXACT:
        return
    if attempts.closed[last] - attempts.opened[first] <= tape.window + TOLERANCE:
        tape.marks[attempts.closed_at[last]] |= _FLASH_VISIT
        state.attempts = state.visit_first = first


def open_attempt(state: State, at: int) -> None:
    """Open an attempt at the time of record ``at``."""
    state.phase, state.opened_at = PLAYING, at
    state.hits, state.progress, state.settling = 0, -1.0, -1.0
    end_pause(state)
    state.paused = 0.0
    state.clear_fresh = False


def open_implied(state: State, at: int) -> None:
    """Open an attempt in the past, at record ``at``; what was paused since then stays counted."""
    state.phase, state.opened_at = PLAYING, at
    state.hits, state.progress, state.settling = 0, -1.0, -1.0
    state.clear_fresh = False


def end_pause(state: State) -> None:
    """End a pause that goes on, and remember that it was cut off."""
    if state.pausing:
        state.pausing, state.cut = False, True


def close_attempt(tape: MachineInput, out: MachineOutput, state: State, outcome: int, i: int) -> None:
    """Close the open attempt with an outcome at record ``i``; a failure as short as a flash leaves no attempt."""
    if state.pausing:
        state.paused += max(0.0, tape.time[i] - state.pause_from)
    end_pause(state)
    active = max(0.0, span(tape, state.opened_at, i) - state.paused)
    state.phase = OUT
    failed = outcome == DIED or outcome == WAS_RESET
    if failed and not state.coarse and not tape.marks[i] & EXACT and active <= tape.window + TOLERANCE:
        tape.marks[i] |= _FLASH_ATTEMPT
        return
    if tape.marks[i] & UNTIMED:
        active = _UNKNOWN
    elif outcome == CLEARED and not state.coarse and active < tape.instant - TOLERANCE:
        tape.marks[i] |= _INSTANT_CLEAR
    write_attempt(tape, out, state, outcome, i, active)


def write_attempt(tape: MachineInput, out: MachineOutput, state: State, outcome: int, i: int, active: float) -> None:
    """Write the attempt that closes at record ``i`` down."""
    k, level = state.attempts, state.level
    attempts, tally = out.attempts, out.tally
    attempts.session[k], attempts.level[k], attempts.visit[k] = state.session, level, state.visit
    attempts.opened[k], attempts.closed[k] = tape.time[state.opened_at], tape.time[i]
    attempts.active[k], attempts.paused[k] = active, state.paused
    attempts.settling[k], attempts.progress[k] = state.settling, state.progress
    attempts.hits[k], attempts.outcome[k] = state.hits, outcome
    attempts.opened_at[k], attempts.closed_at[k] = state.opened_at, i
    state.attempts = k + 1
    if tally.owner[level] != state.player:
        tally.owner[level], tally.tries[level], tally.clears[level] = state.player, 0, 0
    tally.tries[level] += 1
    if outcome == CLEARED:
        tally.clears[level] += 1


def fail(tape: MachineInput, out: MachineOutput, state: State, outcome: int, i: int) -> None:
    """Close the open attempt as failed; the level waits for a new try from here."""
    close_attempt(tape, out, state, outcome, i)
    wait_for_retry(tape, state, i)


def wait_for_retry(tape: MachineInput, state: State, i: int) -> None:
    """Be down in the level, ready from record ``i``."""
    state.phase, state.ready_at = DOWN, i
    state.paused = 0.0
    if state.pausing:
        state.pause_from = tape.time[i]


def clear(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """Close the open attempt as cleared."""
    close_attempt(tape, out, state, CLEARED, i)
    be_cleared(state, i)


def be_cleared(state: State, i: int) -> None:
    """Be in the level as cleared, from record ``i``."""
    state.phase, state.echo = DONE, state.level
    state.clear_at, state.clear_level, state.clear_fresh = i, state.level, True


def leave(tape: MachineInput, out: MachineOutput, state: State, i: int) -> None:
    """Close an attempt that is open in another level as left."""
    if state.phase == PLAYING:
        close_attempt(tape, out, state, LEFT, i)
        tape.marks[i] |= _START_WHILE_PLAYING
