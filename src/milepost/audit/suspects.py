"""All rules on what looks odd, in the order in which it is told."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from milepost.audit import suspect_play, suspect_starts, suspect_timing
from milepost.audit.evidence import Evidence, Suspect
from milepost.audit.promise_checks import broken_promise
from milepost.playback.play import Play

RULES: Final[tuple[Callable[[Evidence], list[Suspect]], ...]] = (
    suspect_timing.time_unit,
    suspect_starts.similar_names,
    suspect_starts.past_the_end,
    suspect_starts.misnamed_target,
    suspect_play.untagged_skip,
    suspect_play.start_override,
    suspect_play.passed_level,
    suspect_play.carried_over,
    suspect_play.unprompted_reset,
    suspect_timing.reset_burst,
    suspect_timing.doubled_logic,
    suspect_timing.vanished_event,
    suspect_play.death_before_input,
    suspect_play.stuck,
    suspect_play.stuck_in_level,
    suspect_play.stuck_at_start,
    suspect_play.input_under_overlay,
    suspect_play.reset_without_actor,
    suspect_timing.idle_span,
    suspect_timing.overlapping_sessions,
    suspect_play.uncleared_level,
    suspect_play.failed_transition,
    suspect_play.crash_at_clear,
    suspect_play.jumped_start,
    suspect_play.fallen_back,
    suspect_timing.overlay_storm,
    suspect_starts.drifting_start,
    suspect_starts.knob_mismatch,
    suspect_starts.makers_in,
    broken_promise,
    suspect_starts.unknown_mark,
)


def find_suspects(play: Play) -> tuple[Suspect, ...]:
    """Return all that looks odd in a play."""
    return play.compute_once(_suspects)


def _suspects(play: Play) -> tuple[Suspect, ...]:
    evidence = Evidence(play)
    return tuple(suspect for rule in RULES for suspect in rule(evidence))
