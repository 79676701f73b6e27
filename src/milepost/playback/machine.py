"""The state machine of the replay: one function a rule, one call a record.

The rules are those of ``docs/definitions.md``; the findings they lead to are bits on the record. Every function
takes the tape, the outputs and the state, and the number ``i`` of the record.
"""

from __future__ import annotations

from typing import Final

from milepost.playback.attempting import (
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
)  # fmt: skip
from milepost.playback.tape import DONE, DOWN, NOWHERE, OUT, PLAYING, Attempts, Moves, Sittings, State, Tally, Tape
from milepost.vocabulary import (
    ADVANCE,
    BIT,
    CLEARED,
    COMPLETE,
    CRASH,
    DEATH,
    DIED,
    END_FINISHED,
    END_SKIP,
    END_UNKNOWN,
    ENTRY,
    EXIT,
    FIRST_INPUT,
    HIT,
    LATE,
    LEFT,
    PASSED,
    PAUSE,
    QUIT,
    REPEAT,
    RESET,
    RESUME,
    RETRY,
    RETURN,
    SESSION_END,
    SESSION_START,
    SETBACK,
    SKIP,
    START,
    TIME_UP,
    TRANSITION,
    UNKNOWN,
    WAS_RESET,
)  # fmt: skip

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
_FAULT_RESET: Final = BIT["fault_reset"]
_REPEATED_TRANSITION: Final = BIT["repeated_transition"]
_LEVEL_MISMATCH: Final = BIT["level_mismatch"]
_DOUBLE_TRANSITION: Final = BIT["double_transition"]
_ADVANCE_WITHOUT_CLEAR: Final = BIT["advance_without_clear"]
_AFTER_SKIP: Final = BIT["after_skip"]
_UNMATCHED_PAUSE: Final = BIT["unmatched_pause"]
_NO_EFFECT: Final = BIT["no_effect"]
_AFTER_END: Final = BIT["after_end"]
_IMPLIED_COMPLETE: Final = BIT["implied_complete"]


def run_sessions(
    tape: Tape, tally: Tally, attempts: Attempts, moves: Moves, state: State, sittings: Sittings, first: int, stop: int
) -> None:  # fmt: skip
    """Replay the sittings from ``first`` up to ``stop``, in their order."""
    for number in range(first, stop):
        session = sittings.session[number]
        begin(state, session, sittings.player[session], sittings.coarse[session])
        start, end = sittings.bounds[session], sittings.bounds[session + 1]
        sittings.endless[session] = run_session(tape, tally, attempts, moves, state, start, end)
        sittings.end[session] = state.end


def run_session(tape: Tape, tally: Tally, attempts: Attempts, moves: Moves, state: State, first: int, stop: int) -> bool:
    """Replay the records from ``first`` up to ``stop`` as one session; whether it has no end of its own."""
    for i in range(first, stop):
        if state.end == NOWHERE:
            _record(tape, tally, attempts, moves, state, i)
        else:
            tape.marks[i] |= _AFTER_SKIP if state.end == END_SKIP else _AFTER_END
    endless = state.end == NOWHERE
    if endless:
        state.end = END_UNKNOWN
        if state.phase == PLAYING:
            close_attempt(tape, tally, attempts, state, UNKNOWN, stop - 1)
    end_visit(tape, attempts, state)
    return endless


def _record(tape: Tape, tally: Tally, attempts: Attempts, moves: Moves, state: State, i: int) -> None:
    """Send one record to its rule."""
    event, level = tape.event[i], tape.level[i]
    if event == SESSION_START:
        return
    if event == PAUSE or event == RESUME:
        _pause_or_resume(tape, state, event, i)
    elif event == SESSION_END:
        _session_end(tape, tally, attempts, state, i)
    elif event == TRANSITION:
        _transition(tape, tally, attempts, moves, state, i)
    elif level != NOWHERE and tape.is_place[level]:
        tape.marks[i] |= _NO_EFFECT
    elif event == START or event == RETRY:
        _start(tape, tally, attempts, state, event, i)
    elif event == DEATH:
        _death(tape, tally, attempts, state, i)
    elif event == RESET:
        _reset(tape, tally, attempts, state, i)
    elif event == COMPLETE:
        _complete(tape, tally, attempts, state, i)
    else:
        _during(tape, state, event, i)


# The events, by phase


def _start(tape: Tape, tally: Tally, attempts: Attempts, state: State, event: int, i: int) -> None:
    """A level becomes playable, or a new try begins."""
    level = tape.level[i]
    here = state.phase != OUT and level == state.level
    if here and state.phase == PLAYING:
        if within(tape, state, state.opened_at, i):
            tape.marks[i] |= _REPEATED_START
            return
        _note_fault(tape, i)
        close_attempt(tape, tally, attempts, state, LEFT if tape.fault[i] else WAS_RESET, i)
    elif not (here and state.phase == DOWN):
        if not here:
            if event == START and _moves_on(tape, state, level, i):
                _imply_complete(tape, tally, attempts, state, i)
            leave(tape, tally, attempts, state, i)
            if event == RETRY:
                tape.marks[i] |= _RETRY_WITHOUT_START
        new_visit(tape, attempts, state, level, i)
    open_attempt(state, i)


def _death(tape: Tape, tally: Tally, attempts: Attempts, state: State, i: int) -> None:
    """The player fails."""
    level = tape.level[i]
    if state.phase == OUT or level != state.level:
        _outcome_elsewhere(tape, tally, attempts, state, DIED, i)
    elif state.phase == PLAYING:
        _note_progress(tape, state, i)
        fail(tape, tally, attempts, state, DIED, i)
    elif state.phase == DONE:
        tape.marks[i] |= _DEATH_AFTER_COMPLETE
    elif within(tape, state, state.ready_at, i):
        tape.marks[i] |= _REPEATED_DEATH
    else:
        tape.marks[i] |= _IMPLIED_RETRY
        open_implied(state, state.ready_at)
        _note_progress(tape, state, i)
        fail(tape, tally, attempts, state, DIED, i)


def _reset(tape: Tape, tally: Tally, attempts: Attempts, state: State, i: int) -> None:
    """The level is put back without a death."""
    level = tape.level[i]
    here = state.phase != OUT and level == state.level
    if here and state.phase == PLAYING:
        _note_progress(tape, state, i)
        _note_fault(tape, i)
        fail(tape, tally, attempts, state, LEFT if tape.fault[i] else WAS_RESET, i)
        return
    if here and state.phase == DOWN:
        wait_for_retry(tape, state, i)
        return
    if here:
        new_visit(tape, attempts, state, level, i)
    elif _pending(state, level):
        tape.marks[i] |= _IMPLIED_START
        new_visit(tape, attempts, state, level, state.hop_at)
        open_attempt(state, state.hop_at)
        _note_progress(tape, state, i)
        close_attempt(tape, tally, attempts, state, WAS_RESET, i)
    else:
        leave(tape, tally, attempts, state, i)
        tape.marks[i] |= _RESET_WITHOUT_START
        new_visit(tape, attempts, state, level, i)
    wait_for_retry(tape, state, i)


def _complete(tape: Tape, tally: Tally, attempts: Attempts, state: State, i: int) -> None:
    """The level is cleared."""
    level = tape.level[i]
    if state.phase == OUT or level != state.level:
        _outcome_elsewhere(tape, tally, attempts, state, CLEARED, i)
    elif state.phase == DONE:
        tape.marks[i] |= _REPEATED_COMPLETE
    else:
        if state.phase == DOWN:
            tape.marks[i] |= _IMPLIED_RETRY
            open_implied(state, state.ready_at)
        _note_progress(tape, state, i)
        clear(tape, tally, attempts, state, i)


def _outcome_elsewhere(tape: Tape, tally: Tally, attempts: Attempts, state: State, outcome: int, i: int) -> None:
    """A death or clear in a level that is not the current one: an echo, a run-up, or play whose start is missing."""
    level = tape.level[i]
    if level == state.echo and not _pending(state, level):
        tape.marks[i] |= _REPEATED_COMPLETE if outcome == CLEARED else _DEATH_AFTER_COMPLETE
        return
    if outcome == CLEARED and state.clear_fresh and level != state.clear_level and within(tape, state, state.clear_at, i):
        tape.marks[i] |= _REPEATED_COMPLETE
        return
    if _pending(state, level):
        tape.marks[i] |= _IMPLIED_START
        new_visit(tape, attempts, state, level, state.hop_at)
        open_attempt(state, state.hop_at)
        _note_progress(tape, state, i)
        close_attempt(tape, tally, attempts, state, outcome, i)
    else:
        leave(tape, tally, attempts, state, i)
        tape.marks[i] |= _OUTCOME_WITHOUT_START
        new_visit(tape, attempts, state, level, i)
        open_attempt(state, i)
        _note_progress(tape, state, i)
        write_attempt(tape, tally, attempts, state, outcome, i, _UNKNOWN_SPAN)
    if outcome == CLEARED:
        be_cleared(state, i)
    else:
        wait_for_retry(tape, state, i)


def _during(tape: Tape, state: State, event: int, i: int) -> None:
    """First input, checkpoint and hit: they tell of the open attempt and change nothing."""
    level = tape.level[i]
    if state.phase != PLAYING or (level != NOWHERE and level != state.level):
        tape.marks[i] |= _NO_EFFECT
        return
    _note_progress(tape, state, i)
    if event == HIT:
        state.hits += 1
    elif event == FIRST_INPUT:
        if state.settling >= 0:
            tape.marks[i] |= _NO_EFFECT
        else:
            state.settling = span(tape, state.opened_at, i)


def _pause_or_resume(tape: Tape, state: State, event: int, i: int) -> None:
    """Time between a pause and its resume is not active time, while playing or down."""
    level = tape.level[i]
    was_cut, state.cut = state.cut, False
    here = level == NOWHERE or level == state.level
    if not here or (state.phase != PLAYING and state.phase != DOWN):
        tape.marks[i] |= _NO_EFFECT
        return
    if state.phase == PLAYING:
        _note_progress(tape, state, i)
    if (event == PAUSE) == state.pausing:
        tape.marks[i] |= _NO_EFFECT if was_cut or state.phase == DOWN else _UNMATCHED_PAUSE
    elif event == PAUSE:
        state.pausing, state.pause_from = True, tape.time[i]
    else:
        state.pausing = False
        state.paused += max(0.0, tape.time[i] - state.pause_from)


def _session_end(tape: Tape, tally: Tally, attempts: Attempts, state: State, i: int) -> None:
    """The sitting ends, and with it an open attempt."""
    state.end = tape.end[i]
    if state.phase != PLAYING:
        return
    if (
        tape.implied
        and state.end == END_FINISHED
        and state.level == tape.n_levels - 1
        and not within(tape, state, state.visit_at, i)
    ):
        _imply_complete(tape, tally, attempts, state, i)
        return
    _note_progress(tape, state, i)
    close_attempt(tape, tally, attempts, state, ENDS[state.end], i)


# Transitions


def _transition(tape: Tape, tally: Tally, attempts: Attempts, moves: Moves, state: State, i: int) -> None:
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
    if target != NOWHERE and _moves_on(tape, state, target, i):
        _imply_complete(tape, tally, attempts, state, i)
    closes = NOWHERE
    if state.phase == PLAYING:
        _note_progress(tape, state, i)
        closes = state.level
        close_attempt(tape, tally, attempts, state, LEFT, i)
    kind = _kind(tape, tally, state, closes, double, i)
    moves.session[state.moves], moves.at[state.moves] = state.session, i
    moves.origin[state.moves], moves.target[state.moves], moves.kind[state.moves] = origin, target, kind
    state.moves += 1
    state.phase, state.hop_at, state.hop_from, state.hop_to = OUT, i, origin, target
    if kind == SKIP and not tape.keep_shortcuts:
        state.end = END_SKIP


def _kind(tape: Tape, tally: Tally, state: State, closes: int, double: bool, i: int) -> int:
    """The kind of a transition: the first that fits. ``closes`` is the level whose attempt it closed, or NOWHERE."""
    origin, target = tape.level[i], tape.to[i]
    if target == NOWHERE or target >= tape.n_levels:
        return EXIT
    if origin >= tape.n_levels:
        return ENTRY
    if target == origin:
        return REPEAT
    if target < origin:
        return SETBACK
    tries = tally.tries[origin] if tally.owner[origin] == state.player else 0
    if target == origin + 1 and tries > 0:
        if closes == origin and tries == 1 and within(tape, state, state.visit_at, i):
            return PASSED
        if tally.clears[origin] == 0:
            tape.marks[i] |= _ADVANCE_WITHOUT_CLEAR
        return ADVANCE
    if tally.owner[target] == state.player and tally.tries[target] > 0:
        return RETURN
    return PASSED if double or tape.inferred else SKIP


# Small rules that several events share


def _pending(state: State, level: int) -> bool:
    """Whether a transition to the level waits for its start."""
    return state.phase == OUT and state.hop_at != NOWHERE and state.hop_to == level


def _note_progress(tape: Tape, state: State, i: int) -> None:
    """Progress on any event of the open attempt after its opening; only the greatest is kept."""
    level = tape.level[i]
    if (level == NOWHERE or level == state.level) and tape.progress[i] > state.progress:
        state.progress = tape.progress[i]


def _note_fault(tape: Tape, i: int) -> None:
    if tape.fault[i]:
        tape.marks[i] |= _FAULT_RESET


def _moves_on(tape: Tape, state: State, target: int, i: int) -> bool:
    """Whether going to ``target`` implies, in a log without completions, that the level played was cleared."""
    if not tape.implied or state.phase != PLAYING or state.level >= tape.n_levels - 1:
        return False
    return target == state.level + 1 and not within(tape, state, state.visit_at, i)


def _imply_complete(tape: Tape, tally: Tally, attempts: Attempts, state: State, i: int) -> None:
    tape.marks[i] |= _IMPLIED_COMPLETE
    _note_progress(tape, state, i)
    clear(tape, tally, attempts, state, i)
