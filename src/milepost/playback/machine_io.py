"""Input and output of the state machine: columns going in, columns coming out, and one session's state.

In the plain interpreter the columns are lists, which it indexes fastest; nothing here or in ``machine`` uses more
of Python than indexing, attributes and calls, so that the same functions also compile over arrays.
"""

from __future__ import annotations

from typing import NamedTuple, Protocol, TypeVar

OUT, PLAYING, DOWN, DONE = range(4)  # the phases; DONE is "cleared"
NOWHERE = -1
BY_RECORDS = -2  # of where a run begins
V = TypeVar("V")


class MachineColumn(Protocol[V]):
    """A list, or an array."""

    def __getitem__(self, place: int, /) -> V:
        """The value at a place."""

    def __setitem__(self, place: int, value: V, /) -> None:
        """Put a value there."""


class MachineInput(NamedTuple):
    """The records in replay order, the course, and the rules; column i is the i-th record.

    ``is_place`` says per stop whether it is a place, no level. ``end`` is per record the number of its cause among the
    causes of a session's end, or the outcome that the end of a run gives. ``run_opens`` is the level at which a run begins;
    NOWHERE where any level will do, ``BY_RECORDS`` where records say it. ``rank`` is the place of each stop in each order of
    levels, order by order; ``n_levels`` is per order how many levels it has. ``is_line`` says that every leg has one level;
    else ``leg`` is the leg of each stop and ``stop_at`` the stop at each place, ``leg_first``, ``leg_stop``, ``needs`` and
    ``passed_over`` are by leg, ``required`` says which stops count for what a leg needs, all order by order; ``route`` (-1:
    none) and ``optional`` are by stop.
    """

    event: MachineColumn[int]
    level: MachineColumn[int]
    to: MachineColumn[int]
    time: MachineColumn[float]
    second: MachineColumn[int]
    progress: MachineColumn[float]
    end: MachineColumn[int]
    fault: MachineColumn[bool]
    marks: MachineColumn[int]
    rank: MachineColumn[int]
    is_line: bool
    leg: MachineColumn[int]
    stop_at: MachineColumn[int]
    leg_first: MachineColumn[int]
    leg_stop: MachineColumn[int]
    needs: MachineColumn[int]
    passed_over: MachineColumn[bool]
    required: MachineColumn[bool]
    route: MachineColumn[int]
    optional: MachineColumn[bool]
    n_levels: MachineColumn[int]
    n_stops: int
    is_place: MachineColumn[bool]
    run_opens: int
    window: float
    instant: float
    implied: bool
    inferred: bool
    keep_shortcuts: bool


class Tally(NamedTuple):
    """Per stop, how often the present player has tried and cleared it; rows of another player count as zero."""

    owner: MachineColumn[int]
    tries: MachineColumn[int]
    clears: MachineColumn[int]


class Attempts(NamedTuple):
    """The attempts as they are closed. ``active`` is NaN where the duration is not known."""

    session: MachineColumn[int]
    level: MachineColumn[int]
    visit: MachineColumn[int]
    opened: MachineColumn[float]
    closed: MachineColumn[float]
    active: MachineColumn[float]
    paused: MachineColumn[float]
    settling: MachineColumn[float]
    progress: MachineColumn[float]
    hits: MachineColumn[int]
    outcome: MachineColumn[int]
    opened_at: MachineColumn[int]
    closed_at: MachineColumn[int]


class MoveColumns(NamedTuple):
    """The transitions that count, with their kinds."""

    session: MachineColumn[int]
    at: MachineColumn[int]
    origin: MachineColumn[int]
    target: MachineColumn[int]
    kind: MachineColumn[int]


class MachineOutput(NamedTuple):
    """The machine's output columns."""

    tally: Tally
    attempts: Attempts
    moves: MoveColumns


class MachineSessions(NamedTuple):
    """The sessions in the order of play, and what becomes of each.

    ``session`` is in the order of play; the other columns are by session: its player, whether its clock is coarse, by which order
    of levels it is replayed, where its records begin (one more than sessions), where it is cut (its bound as a rule), how it
    ended, and whether it has no end of its own.
    """

    session: MachineColumn[int]
    player: MachineColumn[int]
    coarse: MachineColumn[bool]
    order: MachineColumn[int]
    bounds: MachineColumn[int]
    cut: MachineColumn[int]
    end: MachineColumn[int]
    endless: MachineColumn[bool]


class State:
    """One session's state, and how much has been written so far.

    Positions (``..._at``) are numbers of records; the times are those records' times. ``attempting.begin`` sets what
    belongs to a session.
    """

    __slots__ = (
        "attempts",
        "clear_at",
        "clear_fresh",
        "clear_level",
        "coarse",
        "cut",
        "echo",
        "end",
        "hits",
        "hop_at",
        "hop_from",
        "hop_to",
        "level",
        "moves",
        "opened_at",
        "order",
        "over",
        "over_row",
        "pause_from",
        "paused",
        "pausing",
        "phase",
        "player",
        "progress",
        "ready_at",
        "session",
        "settling",
        "visit",
        "visit_at",
        "visit_first",
    )

    attempts: int  # written so far, as are moves
    moves: int
    visit: int
    session: int
    player: int
    coarse: bool
    order: int
    phase: int
    level: int
    opened_at: int
    ready_at: int
    visit_at: int
    visit_first: int
    hits: int
    progress: float
    settling: float
    paused: float
    pause_from: float
    pausing: bool
    cut: bool
    echo: int
    clear_at: int
    clear_level: int
    clear_fresh: bool
    hop_at: int
    hop_from: int
    hop_to: int
    over: int
    over_row: int
    end: int

    def __init__(self) -> None:
        self.attempts = self.moves = self.visit = 0
        self.player, self.over = NOWHERE, NOWHERE


TRUTHS = frozenset({"clear_fresh", "coarse", "cut", "pausing"})  # fields of a state that are true or false
FLOATS = frozenset({"pause_from", "paused", "progress", "settling"})  # fields that are seconds or shares
