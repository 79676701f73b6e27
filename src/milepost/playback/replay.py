"""Runs the state machine over a gated log."""

from __future__ import annotations

from dataclasses import replace
from typing import Final

import numpy as np

from milepost.arrays import Column, Ints
from milepost.cleaning.gate import Gated, gate
from milepost.cleaning.names import reorder
from milepost.cleaning.selection import Exclusion
from milepost.course.course import Course
from milepost.errors import LogError
from milepost.logs.interface import ABSENT, BareLog, Log
from milepost.numerics.whole_numbers import distinct
from milepost.playback.attempt_filters import without
from milepost.playback.attempt_tables import AttemptTable, Ends, MoveTable, numbered_tries
from milepost.playback.engine import run
from milepost.playback.infer import MOST_LEVELS, Precedence, infer_order, precedence
from milepost.playback.play import FullPlay
from milepost.progress import SILENT, Progress
from milepost.rules import ReplayRules
from milepost.vocabulary import CLEARED

MOST_RECORDS: Final = 2_000_000  # of a log, from which no player is replayed anew without being asked


def replay_log(
    log: Log, course: Course | None, rules: ReplayRules, progress: Progress = SILENT, exclusion: Exclusion | None = None
) -> FullPlay:
    """Judge a log's records and replay them.

    Without a course the order of the levels is inferred from who was where first, and the log is replayed by it.

    Raises:
        LogError: no course is given and the log has more level names than an order can be inferred for.
    """
    gated = gate(log, course, rules.keep_debug, exclusion=exclusion)
    if course is not None:
        progress.step("replaying", len(gated.sequence))
        return replay_gated(gated, rules, None, progress)
    progress.step("inferring the order of the levels", len(gated.sequence))
    order = infer_order(levels_in_play(gated, rules, progress), gated.stops.names)
    progress.step("replaying", len(gated.sequence))
    return replay_gated(gated, rules, order, progress)


def levels_in_play(gated: Gated, rules: ReplayRules, progress: Progress = SILENT) -> Precedence:
    """Return the levels that were attempted, and their order of first attempts, as long as no order is known.

    Raises:
        LogError: there are more levels than an order can be inferred for.
    """
    attempts = _replay(gated, rules, True, progress).attempts
    require_few(distinct(attempts.level), gated.log)
    return precedence(attempts.player, attempts.level)


def require_few(levels: Ints, log: BareLog) -> None:
    """Refuse more levels than an order can be inferred for.

    Raises:
        LogError: there are more.
    """
    if len(levels) > MOST_LEVELS:
        raise LogError(
            f"{log.files[0]}: more than {MOST_LEVELS:,} different levels. Is `level` the right field? "
            "If it is, give their order with --course."
        )


def replay_gated(gated: Gated, rules: ReplayRules, order: list[int] | None, progress: Progress) -> FullPlay:
    """Replay what the gate let through, by the course or by an inferred order of stops."""
    if order is None:
        return _replay(gated, rules, False, progress)
    return _replay(_with_stops(gated, order), rules, True, progress)


def _with_stops(gated: Gated, order: list[int]) -> Gated:
    stops = reorder(gated.stops, order)
    records = gated.log.records
    extended = np.append(stops.code, ABSENT)
    return replace(gated, stops=stops, level=extended[records.level], to=extended[records.to])


def _replay(gated: Gated, rules: ReplayRules, inferred: bool, progress: Progress) -> FullPlay:
    written = run(gated, rules, inferred, progress)
    times = gated.log.records.time[gated.order[written.moves["at"]]]
    gated = _marked(gated, written.marks)
    moves = MoveTable(player=gated.player[written.moves["session"]], time=times, **written.moves)
    play = FullPlay(gated, _attempt_table(written.attempts, gated), moves, Ends(written.end), written.endless, inferred, rules)
    return play if gated.exclusion is None else without(play, gated.exclusion)


def _marked(gated: Gated, in_order: Ints) -> Gated:
    """Return the log with the replay's findings on the records."""
    marks = gated.log.records.marks.copy()
    marks[gated.order] = in_order
    return replace(gated, log=replace(gated.log, records=replace(gated.log.records, marks=marks)))


def _attempt_table(columns: dict[str, Column], gated: Gated) -> AttemptTable:
    for name in ("settling", "progress"):
        columns[name][columns[name] < 0] = np.nan
    player, nothing = gated.player[columns["session"]], np.zeros(len(columns["session"]), np.bool_)
    number, rerun = numbered_tries(player, columns["level"], columns["outcome"] == CLEARED, nothing)
    return AttemptTable(player=player, number=number, rerun=rerun, void=nothing, aside=nothing, **columns)
