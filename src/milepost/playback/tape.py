"""What the state machine reads and writes: columns going in, columns coming out, and one session's state.

In the plain interpreter the columns are lists, which it indexes fastest; nothing here or in ``machine`` uses more
of Python than indexing, attributes and calls, so that the same functions also compile over arrays.
"""

from __future__ import annotations

from typing import Any, NamedTuple

OUT, PLAYING, DOWN, DONE = range(4)  # the phases; DONE is "cleared"
NOWHERE = -1


class Tape(NamedTuple):
    """The records in replay order, the course, and the rules; column i is the i-th record.

    ``next_level`` gives per stop the level after it in the course, NOWHERE after the last and for unplaced stops;
    ``placed`` says which stops have a place in the course. ``end`` is per record the number of its cause among the
    causes of a session's end.
    """

    event: Any
    level: Any
    to: Any
    time: Any
    second: Any
    progress: Any
    end: Any
    fault: Any
    marks: Any
    n_levels: int
    is_place: Any
    window: float
    instant: float
    implied: bool
    inferred: bool
    keep_shortcuts: bool


class Tally(NamedTuple):
    """Per stop, how often the present player has tried and cleared it; rows of another player count as zero."""

    owner: Any
    tries: Any
    clears: Any


class Attempts(NamedTuple):
    """The attempts as they are closed. ``active`` is NaN where the duration is not known."""

    session: Any
    level: Any
    visit: Any
    opened: Any
    closed: Any
    active: Any
    paused: Any
    settling: Any
    progress: Any
    hits: Any
    outcome: Any
    opened_at: Any
    closed_at: Any


class Moves(NamedTuple):
    """The transitions that count, with their kinds."""

    session: Any
    at: Any
    origin: Any
    target: Any
    kind: Any


class State:
    """One session's state, and how much has been written so far.

    Positions (``..._at``) are numbers of records; the times are those records' times.
    """

    __slots__ = (
        "attempts", "clear_at", "clear_fresh", "clear_level", "coarse", "cut", "echo", "end", "hits", "hop_at",
        "hop_from", "hop_to", "level", "moves", "opened_at", "pause_from", "paused", "pausing", "phase", "player",
        "progress", "ready_at", "session", "settling", "visit", "visit_at", "visit_first",
    )  # fmt: skip

    def __init__(self) -> None:
        self.attempts = 0  # written so far
        self.moves = 0
        self.visit = 0
        self.begin(0, 0, False)

    def begin(self, session: int, player: int, coarse: bool) -> None:
        """Start a session: out of the levels, nothing remembered."""
        self.session, self.player, self.coarse = session, player, coarse
        self.phase, self.level = OUT, NOWHERE
        self.opened_at = self.ready_at = NOWHERE
        self.visit_at, self.visit_first = NOWHERE, self.attempts
        self.hits, self.progress, self.settling = 0, -1.0, -1.0
        self.paused, self.pause_from, self.pausing, self.cut = 0.0, 0.0, False, False
        self.echo = NOWHERE  # the level cleared last, while no visit to it was opened since
        self.clear_at, self.clear_level, self.clear_fresh = NOWHERE, NOWHERE, False
        self.hop_at, self.hop_from, self.hop_to = NOWHERE, NOWHERE, NOWHERE  # the transition kept last
        self.end = NOWHERE  # the cause of the session's end, once it has ended
