"""The product's own words: events, outcomes, kinds of move and finding codes, with their numbers in columns.

The numbers are what the columns hold; they are plain module constants so that the replay reads as a table of
rules and can be compiled.
"""

from __future__ import annotations

from typing import Final, NamedTuple, NewType

EVENTS: Final = (
    "session_start",
    "start",
    "first_input",
    "checkpoint",
    "hit",
    "death",
    "reset",
    "retry",
    "complete",
    "transition",
    "pause",
    "resume",
    "session_end",
    "run_start",
    "run_end",
)
(
    SESSION_START,
    START,
    FIRST_INPUT,
    CHECKPOINT,
    HIT,
    DEATH,
    RESET,
    RETRY,
    COMPLETE,
    TRANSITION,
    PAUSE,
    RESUME,
    SESSION_END,
    RUN_START,
    RUN_END,
) = range(15)
EVENT_CODES: Final = {word: code for code, word in enumerate(EVENTS)}
NEED_LEVEL: Final = frozenset({"start", "retry", "death", "reset", "complete", "transition"})
LEVEL_EVENTS: Final = (START, FIRST_INPUT, CHECKPOINT, HIT, DEATH, RESET, RETRY, COMPLETE, TRANSITION, PAUSE, RESUME)

TEXT_FIELDS: Final = frozenset({"session", "event", "level", "to", "player", "build", "cause", "actor", "id"})
NUMBER_FIELDS: Final = frozenset({"progress", "x", "y", "collected", "available"})
FIELDS: Final = frozenset((*TEXT_FIELDS, *NUMBER_FIELDS, "time", "seq"))

Outcome = NewType("Outcome", int)  # how an attempt ended
EndCause = NewType("EndCause", int)  # why a session ended; a type of its own, so that the two are never compared

OUTCOMES: Final = ("complete", "death", "reset", "left", "quit", "time_up", "crash", "unknown")
CLEARED, DIED, WAS_RESET, LEFT, QUIT, TIME_UP, CRASH, UNKNOWN = map(Outcome, range(8))
N_SETTLED: Final = 3  # the first three outcomes are settled

END_CAUSES: Final = ("quit", "time_up", "crash", "finished", "skip", "unknown", "fault")
END_QUIT, END_TIME_UP, END_CRASH, END_FINISHED, END_SKIP, END_UNKNOWN, END_FAULT = map(EndCause, range(7))
NOT_LOGGED: Final = frozenset({"skip", "fault"})  # ends that no log gives: they are found

MOVE_KINDS: Final = ("exit", "entry", "repeat", "setback", "passed", "advance", "return", "skip", "restart")
EXIT, ENTRY, REPEAT, SETBACK, PASSED, ADVANCE, RETURN, SKIP, RESTART = range(9)


class Finding(NamedTuple):
    """A finding code: what it means, what was done about it, and how much it may matter (low, medium, high)."""

    code: str
    meaning: str
    done: str
    weight: str = "low"


FINDINGS: Final = (
    Finding("unreadable_record", "not a record: broken, or without a usable session, time, event or level", "refused", "high"),
    Finding("bad_field", "a field of the wrong type or out of range", "field taken as absent", "medium"),
    Finding("unknown_event", "an event word that neither the list nor the map has", "ignored", "medium"),
    Finding("level_spelling", "a level name matched by its folded form only", "used under the course's name"),
    Finding("unknown_level", "a level that the course does not have", "kept, outside the course", "high"),
    Finding("duplicate_record", "a record that its session had before", "dropped"),
    Finding("coarse_clock", "sessions of a build that logs whole seconds only", "repeats judged by order", "medium"),
    Finding("foreign_actor", "set off by something other than the player", "ignored", "medium"),
    Finding("clock_backwards", "a time earlier than that of the record before", "kept in order, durations not below 0", "medium"),
    Finding("repeated_start", "a start right after the opening of the attempt", "dropped"),
    Finding("start_while_playing", "play began elsewhere while an attempt was open", "open attempt closed as left", "medium"),
    Finding("retry_without_start", "a retry in a level that was not started", "taken as a start", "medium"),
    Finding("repeated_death", "a death right after the failure", "dropped"),
    Finding("implied_retry", "an outcome after a failure with no retry logged", "retry put in at the failure", "medium"),
    Finding("death_after_complete", "a death in a level already cleared", "dropped"),
    Finding("repeated_complete", "a clear that fired again", "dropped"),
    Finding("implied_start", "an outcome after a transition with no start logged", "start put in at the transition", "medium"),
    Finding("reset_without_start", "a reset in a level that was not started", "visit opened, waiting for a try", "medium"),
    Finding("outcome_without_start", "an outcome in a level that was not started", "attempt of unknown duration", "medium"),
    Finding("instant_clear", "a clear sooner than a player could", "counted as it stands", "medium"),
    Finding("flash_attempt", "a failure as long as the repeat window or shorter", "dropped"),
    Finding("flash_visit", "a level left as soon as it was entered", "dropped"),
    Finding("fault_reset", "the level put back by something other than the player", "attempt closed as left", "medium"),
    Finding("repeated_transition", "the same transition again at once", "dropped"),
    Finding(
        "level_mismatch",
        "a transition from a level that was not the current one",
        "used as it stands, or dropped if late",
        "medium",
    ),
    Finding("double_transition", "two transitions in one go", "the level between was passed, not played", "medium"),
    Finding("advance_without_clear", "moved on from a level never cleared", "kept", "medium"),
    Finding("after_skip", "records after a skipped stretch", "dropped", "medium"),
    Finding("unmatched_pause", "a second pause, or a resume without a pause", "ignored"),
    Finding("no_effect", "an event that cannot apply where it stands", "ignored"),
    Finding("after_end", "records after the session's end", "dropped"),
    Finding("no_session_end", "a session without its end", "ended at its last record, cause unknown", "medium"),
    Finding("implied_complete", "moved on in a log without completions", "level counted as cleared", "medium"),
    Finding("row_without_result", "a row for an attempt, of which no result is known", "attempt taken as left", "medium"),
    Finding(
        "several_players",
        "another player than the session named first, and no list of them",
        "the first one named counts",
        "high",
    ),
    Finding("player_spelling", "a player's name matched by its folded form only", "used under the commonest spelling"),
    Finding("clock_wrapped", "a clock that passed midnight within a session", "went on after it, a day later", "medium"),
    Finding("player_tag_differs", "a session's tag that the table of players gives otherwise", "the table's tag used", "medium"),
)
SUSPECTS: Final = (
    "time_unit",
    "similar_names",
    "past_the_end",
    "misnamed_target",
    "untagged_skip",
    "start_override",
    "passed_level",
    "carried_over",
    "unprompted_reset",
    "reset_burst",
    "doubled_logic",
    "vanished_event",
    "death_before_input",
    "stuck",
    "stuck_in_level",
    "stuck_at_start",
    "input_under_overlay",
    "reset_without_actor",
    "idle_span",
    "overlapping_sessions",
    "uncleared_level",
    "failed_transition",
    "crash_at_clear",
    "jumped_start",
    "fallen_back",
    "overlay_storm",
    "drifting_start",
    "knob_mismatch",
    "makers_in",
    "broken_promise",
    "unknown_mark",
)  # what `check` lists as odd
BIT: Final = {finding.code: 1 << number for number, finding in enumerate(FINDINGS)}
UNTIMED: Final = 1 << 59  # no finding: the attempt that the record closes has no known duration
WHOLE: Final = 1 << 60  # beside UNTIMED: what went by since its opening is part of the time in the level all the same
ACTED: Final = 1 << 57  # no finding: the record says who set it off
COPY: Final = 1 << 58  # no finding: the record stands once more, for another player of its session, and is counted nowhere
EXACT: Final = 1 << 61  # no finding: the record was made of a row, so that the rules on repeats and flashes do not apply
LATE: Final = 1 << len(FINDINGS)  # beside level_mismatch: the transition came late and was dropped
DROPPED: Final = LATE | sum(
    BIT[code]
    for code in (
        "unknown_event",
        "duplicate_record",
        "foreign_actor",
        "repeated_start",
        "repeated_death",
        "death_after_complete",
        "repeated_complete",
        "repeated_transition",
        "after_skip",
        "unmatched_pause",
        "no_effect",
        "after_end",
    )
)
