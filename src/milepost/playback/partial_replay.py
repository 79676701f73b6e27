"""A play with the sessions of some players replayed anew, so that the others need not be."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Final, TypeVar

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.numerics.whole_numbers import stable_order
from milepost.playback.attempt_context import AroundAttempts
from milepost.playback.attempt_tables import AttemptTable, Ends
from milepost.playback.play import Play

MOST_RECORDS: Final = 2_000_000  # of a log, from which no player is replayed anew without being asked
Table = TypeVar("Table", AttemptTable, AroundAttempts)


def with_replayed(play: Play, part: Play, sessions: Bools, kept: Bools) -> Play:
    """The play with what came of some players in another replay; its moves and what is known of its records stay as they were.

    Args:
        play: a play by a course.
        part: all sessions of these players that stay, replayed by the same course.
        sessions: per session of the play, whether it is one of these players'.
        kept: per session of the play, whether it stays.
    """
    of_part = np.flatnonzero(sessions & kept)
    stops = np.zeros(len(part.stops), np.int64)
    stops[part.gated.stops.code] = play.gated.stops.code
    own, theirs = play.attempts, part.attempts
    stay = np.flatnonzero(~sessions[own.session])
    session = of_part[theirs.session]
    theirs = replace(theirs, session=session, player=play.gated.player[session], level=stops[theirs.level])
    sequence = play.gated.sequence[kept[play.gated.sequence]]
    rank = np.zeros(len(play.gated.player), np.int64)
    rank[sequence] = np.arange(len(sequence))
    order = stable_order(rank[np.concatenate((own.session[stay], session))])
    end = play.end.codes.copy()
    end[of_part] = part.end.codes
    return replace(
        play,
        gated=replace(play.gated, sequence=sequence),
        attempts=_joined(own, theirs, stay, order),
        end=Ends(end),
        known={AroundAttempts: _joined(play.around, part.around, stay, order)},
    )


def _joined(own: Table, theirs: Table, stay: Ints, order: Ints) -> Table:
    """Rows of one table that stay, and all of another, in order."""
    columns = {one.name: np.concatenate((getattr(own, one.name)[stay], getattr(theirs, one.name)))[order] for one in fields(own)}
    return type(own)(**columns)
