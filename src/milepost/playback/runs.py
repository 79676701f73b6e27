"""Runs: from a fresh beginning to an end state, numbered per player over all sessions."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Final

import numpy as np

from milepost.arrays import Bools, Column, Ints
from milepost.logs.interface import ABSENT
from milepost.numerics.whole_numbers import stable_order
from milepost.playback.play import FullPlay, Play
from milepost.vocabulary import CLEARED, DIED, DROPPED, END_CAUSES, RUN_END, RUN_START, START, WAS_RESET

RUN_CAUSES: Final = ("won", "failed", "abandoned", *END_CAUSES)
WON, FAILED, ABANDONED = range(3)
_FROM_SESSION: Final = 3  # where the causes of a session's end begin among those of a run
_BEGINS, _ATTEMPT, _ENDS = range(3)  # kinds of happenings


@dataclass(frozen=True, eq=False, repr=False)
class RunMarks:
    """The records that say where runs begin and end, as columns; in the order of sessions.

    ``place`` is the record's place in its session's order of replay; ``cause`` is one of ``RUN_CAUSES`` for an end. ``tags``
    has per tag what a beginning says, as codes.
    """

    session: Ints
    place: Ints
    begins: Bools
    cause: Ints
    tags: dict[str, Column]

    @classmethod
    def of(cls, play: FullPlay) -> RunMarks:
        """Look through a play's records."""
        gated, records = play.gated, play.gated.log.records
        event = records.event[gated.order]
        at = np.flatnonzero((event == RUN_START) | (event == RUN_END))
        at = at[records.marks[gated.order[at]] & DROPPED == 0]
        rows = gated.order[at]
        session = records.session[rows]
        by_name = {"won": WON, "failed": FAILED}
        causes = np.array([*(by_name.get(cause, ABANDONED) for cause in gated.log.causes), ABANDONED])
        tags = {name: column[rows] for name, column in records.tags.items()} if len(rows) else {}
        return cls(session, at - gated.bounds[session], event[at] == RUN_START, causes[records.cause[rows]], tags)

    @classmethod
    def merged(cls, parts: list[RunMarks]) -> RunMarks:
        """Return the run marks of a log, added up from its parts."""
        names = dict.fromkeys(name for part in parts for name in part.tags)
        columns = {field.name: np.concatenate([getattr(part, field.name) for part in parts]) for field in fields(cls)[:4]}
        tags = {
            name: np.concatenate([part.tags.get(name, np.full(len(part.session), ABSENT, np.int8)) for part in parts])
            for name in names
        }
        order = stable_order(columns["session"])
        return cls(**{name: column[order] for name, column in columns.items()}, tags={name: tags[name][order] for name in tags})


@dataclass(frozen=True, eq=False, repr=False)
class Runs:
    """The runs, by player and then in the order of play; columns of one length, and the run of each attempt.

    Attributes:
        player: whose it is.
        number: the number among the player's, from 1.
        cause: how it ended, one of ``RUN_CAUSES``.
        mark: the record that began it, by its place in ``RunMarks``; -1 where none did.
        of_attempt: per attempt, its run.
    """

    player: Ints
    number: Ints
    cause: Ints
    mark: Ints
    of_attempt: Ints

    def __len__(self) -> int:
        """How many there are."""
        return len(self.player)


@dataclass(frozen=True, eq=False, repr=False)
class _Happenings:
    """Beginnings, attempts and ends in the order of play, by player: what each is, in which session, and its row."""

    player: Ints
    rank: Ints
    kind: Ints
    row: Ints


def find_runs(play: Play) -> Runs:
    """The runs of a play, those without an attempt left out."""
    return play.compute_once(_runs)


def _runs(play: Play) -> Runs:
    seen = _happenings(play)
    begins = _beginnings(play, seen)
    run = np.cumsum(begins) - 1
    of_attempt = np.empty(len(play.attempts), np.int64)
    tries = seen.kind == _ATTEMPT
    of_attempt[seen.row[tries]] = run[tries]
    player, mark = seen.player[begins], np.where(seen.kind[begins] == _BEGINS, seen.row[begins], ABSENT)
    cause = _causes(play, seen, run, len(player))
    filled = np.bincount(run[tries], minlength=len(player)) > 0
    renumbered = np.cumsum(filled) - 1
    first = np.ones(int(filled.sum()), np.bool_)
    first[1:] = np.diff(player[filled]) != 0
    place = np.arange(len(first))
    number = place - np.maximum.accumulate(np.where(first, place, 0)) + 1
    return Runs(player[filled], number, cause[filled], mark[filled], renumbered[of_attempt])


def _happenings(play: Play) -> _Happenings:
    marks, table, gated = play.summary(RunMarks), play.attempts, play.gated
    rank = np.empty(len(gated.player), np.int64)
    rank[gated.sequence] = np.arange(len(gated.sequence))
    session = np.concatenate((marks.session, table.session))
    place = np.concatenate((marks.place, table.opened_at - gated.bounds[table.session]))
    kind = np.concatenate((np.where(marks.begins, _BEGINS, _ENDS), np.full(len(table), _ATTEMPT)))
    row = np.concatenate((np.arange(len(marks.session)), np.arange(len(table))))
    order = np.lexsort((row, place, rank[session]))
    return _Happenings(gated.player[session][order], rank[session][order], kind[order], row[order])


def _beginnings(play: Play, seen: _Happenings) -> Bools:
    """Return a mask of the happenings that begin a run."""
    new_player = np.diff(seen.player, prepend=-1) != 0
    begins = (seen.kind == _BEGINS) | new_player
    tries = np.flatnonzero(seen.kind == _ATTEMPT)
    rows = seen.row[tries]
    rule = play.course.runs if play.course else None
    if rule is not None and rule.at is not None:
        at_stop = play.attempts.level[rows] == play.stops.index(rule.at)
        follows = np.diff(rows, prepend=-1) == 1  # the player's attempts lie one after the other
        elsewhere = np.append(True, play.attempts.level[rows][1:] != play.attempts.level[rows][:-1]) & follows
        begins[tries] |= at_stop & (play.around.begun_as[rows] == START if rule.every_start else elsewhere)
    elif not len(play.summary(RunMarks).session):
        begins |= np.diff(seen.rank, prepend=-1) != 0  # without any mark a session is a run
    ended = np.append(False, (seen.kind == _ENDS)[:-1]) & (seen.kind == _ATTEMPT)
    starts: Bools = begins | ended  # what comes after an end begins the next one
    return starts


def _causes(play: Play, seen: _Happenings, run: Ints, count: int) -> Ints:
    """Per run, how it ended: as its record says; by a clear of the last level; by its last attempt, where the next begins in the
    same session; else by the end of its last session."""
    marks, table = play.summary(RunMarks), play.attempts
    cause = _find_last_sessions(play, seen, run, count)
    tries = seen.kind == _ATTEMPT
    last = np.full(count, ABSENT)
    last[run[tries]] = seen.row[tries]
    final = np.flatnonzero(np.diff(run, append=-1) != 0)  # the last happening of each run
    has_next = np.zeros(count, np.bool_)
    has_next[:-1] = (seen.rank[final[:-1]] == seen.rank[final[:-1] + 1]) & (
        seen.player[final[:-1]] == seen.player[final[:-1] + 1]
    )
    failed = (last >= 0) & table.ended(DIED, WAS_RESET)[last]
    cause = np.where(has_next, np.where(failed, FAILED, ABANDONED), cause)
    cause[_won(play, run[tries], seen.row[tries], count)] = WON
    ends = seen.kind == _ENDS
    cause[run[ends][::-1]] = marks.cause[seen.row[ends]][::-1]  # the first one stays
    return cause


def _won(play: Play, run: Ints, row: Ints, count: int) -> Ints:
    """The runs whose own clears do the last leg.

    Args:
        play: the play.
        run, row: per attempt, its run and its row.
        count: how many runs there are.
    """
    table, gated = play.attempts, play.gated
    if gated.orders.is_line:
        at_last: Bools = table.ended(CLEARED) & (table.level == gated.last_level[table.player])
        own_runs: Ints = run[at_last[row]]
        return own_runs
    cleared = np.zeros((len(play.stops), count), np.bool_)
    done = table.ended(CLEARED)[row]
    cleared[table.level[row[done]], run[done]] = True
    player = np.zeros(count, np.int64)
    player[run] = table.player[row]
    winners = []
    for order, last in enumerate(gated.orders.last.tolist()):
        players = np.flatnonzero((gated.order_of_player[player] == order) & (gated.last_leg[player] == last))
        if last >= 0:
            winners.append(players[gated.orders.done(order, cleared[:, players])[last]])
    return np.concatenate(winners) if winners else np.zeros(0, np.int64)


def _find_last_sessions(play: Play, seen: _Happenings, run: Ints, count: int) -> Ints:
    """Per run, the end of the session before the one in which the next begins; of the player's last run, of the last session."""
    final = np.flatnonzero(np.diff(run, append=-1) != 0)
    sequence = play.gated.sequence
    player = play.gated.player[sequence]
    last_of_player = np.full(len(play.gated.players), ABSENT)
    last_of_player[player] = np.arange(len(sequence))
    own_rank, last = seen.rank[final], last_of_player[seen.player[final]]
    following = np.append(seen.rank[final[:-1] + 1], -1) - 1
    same = np.append(seen.player[final[:-1]] == seen.player[final[:-1] + 1], False)
    rank = np.where(same, np.maximum(own_rank, following), last)
    assert len(final) == count
    return play.end.codes[sequence[rank]] + _FROM_SESSION
