"""One session attempt by attempt, as an analyst would read it aloud."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NotRequired, TypedDict

import numpy as np

from milepost.arrays import none_if_nan
from milepost.errors import UsageError
from milepost.level_names import suggest_nearest
from milepost.measures.interface import Table
from milepost.playback.play import FullPlay, Play, with_records
from milepost.vocabulary import COPY, DROPPED, EVENTS, FINDINGS, MOVE_KINDS, OUTCOMES
from milepost.wording import ENDED

# An attempt of a session; times are seconds on the session's clock.
TraceRow = TypedDict(
    "TraceRow",
    {
        "session": str,
        "level": str,
        "clock": float,
        "until": float,
        "try": int | None,
        "void": bool,
        "rerun": bool,
        "outcome": str,
        "cause": str | None,
        "active": float | None,
        "paused": float,
        "settling": float | None,
        "progress": float | None,
        "hits": int,
        "repairs": list[str],
    },
)
# A move of a session.
TracedMove = TypedDict("TracedMove", {"session": str, "clock": float, "from": str, "to": str | None, "kind": str})


class TracedRecord(TypedDict):
    """A record of a session as logged, and what it did: what it opened, closed or moved, and the findings on it."""

    session: str
    clock: float
    event: str
    level: str | None
    to: str | None
    place: str
    used: bool
    did: list[str]
    findings: list[str]


class Traced(TypedDict):
    """A session, and its end."""

    session: str
    player: str
    build: str | None
    end: str
    ended: float | None
    tags: dict[str, str]
    recording: NotRequired[str]
    link: NotRequired[str]


class TraceTotals(TypedDict):
    """The sessions, and their moves; their records where these are asked for."""

    traced: list[Traced]
    moves: list[TracedMove]
    records: NotRequired[list[TracedRecord]]


@dataclass(frozen=True)
class Trace:
    """The attempts and moves of some sessions.

    Attributes:
        session: the session's name, or that of a player, all of whose sessions are shown; None for every session.
        offset: seconds that a recording ran before the session's first record; None where there is none.
        events: whether each record is told, with what it did.
    """

    session: str | None = None
    offset: float | None = None
    events: bool = False

    def __call__(self, play: Play) -> Table[TraceRow, TraceTotals]:
        """Rows an attempt; the totals list the sessions with their ends, and the moves.

        Raises:
            UsageError: there is no such session or player.
        """
        chosen = self._chosen(play)
        table = play.attempts
        rows = [self._row(play, k) for k in np.flatnonzero(np.isin(table.session, chosen)).tolist()]
        moves = [self._move(play, n) for n in np.flatnonzero(np.isin(play.moves.session, chosen)).tolist()]
        totals = TraceTotals(traced=[self._session(play, session) for session in chosen], moves=moves)
        if self.events:
            totals["records"] = [row for session in chosen for row in self._records(with_records(play), session)]
        return Table(rows, totals)

    @property
    def _began(self) -> float:
        """Return the seconds that a recording had run, 0 where there is none."""
        return self.offset or 0.0

    def _chosen(self, play: Play) -> list[int]:
        """The sessions to show, in order of play."""
        names, players = play.gated.log.sessions.name, play.gated.players
        order: list[int] = play.gated.sequence.tolist()
        if self.session is None:
            return order
        chosen = [n for n in order if self.session in (names[n], players[play.gated.player[n]])]
        if not chosen:
            examples = f" Some of the {len(names)} sessions: {', '.join(names[n] for n in order[:6])}."
            near = suggest_nearest(self.session, [*players, *names]) or examples
            raise UsageError(f"no session or player is called {self.session!r}.{near}")
        return chosen

    def _row(self, play: Play, k: int) -> TraceRow:
        table = play.attempts
        active, settling, progress = (float(column[k]) for column in (table.active, table.settling, table.progress))
        return {
            "session": play.gated.log.sessions.name[table.session[k]],
            "level": play.stops[table.level[k]],
            "clock": float(table.opened[k]) + self._began,
            "until": float(table.closed[k]) + self._began,
            "try": int(table.number[k]) if table.taken[k] else None,
            "void": not table.taken[k],
            "rerun": bool(table.rerun[k]),
            "outcome": OUTCOMES[table.outcome[k]],
            "cause": _cause(play, k),
            "active": none_if_nan(active),
            "paused": float(table.paused[k]),
            "settling": none_if_nan(settling),
            "progress": none_if_nan(progress),
            "hits": int(table.hits[k]),
            "repairs": _repairs(with_records(play), int(table.opened_at[k]), int(table.closed_at[k])),
        }

    def _move(self, play: Play, number: int) -> TracedMove:
        moves = play.moves
        target = int(moves.target[number])
        return {
            "session": play.gated.log.sessions.name[moves.session[number]],
            "clock": float(moves.time[number]) + self._began,
            "from": play.stops[moves.origin[number]],
            "to": play.stops[target] if target >= 0 else None,
            "kind": MOVE_KINDS[moves.kind[number]],
        }

    def _records(self, play: FullPlay, session: int) -> list[TracedRecord]:
        """The readable records of a session: those that are replayed in that order, the others where their time puts them."""
        gated, records = play.gated, play.gated.log.records
        begin, end = gated.bounds[session : session + 2].tolist()
        replayed = gated.order[begin:end]
        others = np.setdiff1d(np.flatnonzero((records.session == session) & (records.marks & COPY == 0)), replayed)
        rows = np.concatenate((replayed, others))
        after = np.searchsorted(np.maximum.accumulate(records.time[replayed]), records.time[others], side="right")
        rank = np.concatenate((np.arange(end - begin), after - 0.5))
        effects = _effects(play, session)
        did = [effects.get(place, []) for place in range(begin, end)] + [None] * len(others)
        return [self._record(play, int(rows[k]), did[k]) for k in np.argsort(rank, kind="stable").tolist()]

    def _record(self, play: FullPlay, row: int, did: list[str] | None) -> TracedRecord:
        gated, records = play.gated, play.gated.log.records
        event, level, to, marks = (int(column[row]) for column in (records.event, gated.level, gated.to, records.marks))
        findings = [finding for number, finding in enumerate(FINDINGS) if marks >> number & 1]
        return {
            "session": gated.log.sessions.name[records.session[row]],
            "clock": float(records.time[row]) + self._began,
            "event": EVENTS[event] if event >= 0 else gated.log.unknown_words[-1 - event],
            "level": play.stops[level] if level >= 0 else None,
            "to": play.stops[to] if to >= 0 else None,
            "place": f"{gated.log.files[records.file[row]]}:{records.line[row]}",
            "used": did is not None and not marks & DROPPED,
            "did": [] if did is None else did,
            "findings": [finding.code for finding in findings],
        }

    def _session(self, play: Play, session: int) -> Traced:
        gated = play.gated
        ended = float(play.session_times.last[session])
        return {
            "session": gated.log.sessions.name[session],
            "player": gated.players[gated.player[session]],
            "build": gated.log.sessions.build[session],
            "end": play.end.name(session),
            "ended": None if np.isnan(ended) else ended + self._began,
            "tags": gated.log.sessions.tags[session],
        }


def _effects(play: FullPlay, session: int) -> dict[int, list[str]]:
    """Return what the records of a session did, by their places in the order of replay."""
    table, moves, levels = play.attempts, play.moves, play.gated.level[play.gated.order]
    did: dict[int, list[str]] = {}
    for k in np.flatnonzero(table.session == session).tolist():
        name = "a try that is void" if not table.taken[k] else "a re-run" if table.rerun[k] else f"try {table.number[k]}"
        level, opened, closed = int(table.level[k]), int(table.opened_at[k]), int(table.closed_at[k])
        at = ["" if levels[place] == level else f" at {play.stops[level]}" for place in (opened, closed)]
        did.setdefault(closed, []).append(f"ended {name}{at[1]}: {ENDED[OUTCOMES[table.outcome[k]]]}")
        did.setdefault(opened, []).append(f"began {name}{at[0]}")
    for number in np.flatnonzero(moves.session == session).tolist():
        did.setdefault(int(moves.at[number]), []).append(MOVE_KINDS[moves.kind[number]])
    return did


def _cause(play: Play, k: int) -> str | None:
    code = play.around.cause[k]
    return play.gated.log.causes[code] if code >= 0 else None


def _repairs(play: FullPlay, first: int, last: int) -> list[str]:
    """The findings on the session's records from the opening to the closing of an attempt."""
    marks = play.gated.log.records.marks[play.gated.order[first : last + 1]]
    together: int = np.bitwise_or.reduce(marks) if len(marks) else 0
    return [finding.code for number, finding in enumerate(FINDINGS) if int(together) >> number & 1]
