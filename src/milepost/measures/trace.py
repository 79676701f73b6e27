"""One session attempt by attempt, as an analyst would read it aloud."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NotRequired, TypedDict

import numpy as np

from milepost.errors import UsageError
from milepost.level_names import nearest
from milepost.measures.interface import Table
from milepost.playback.play import FullPlay, Play, with_records
from milepost.vocabulary import FINDINGS, MOVE_KINDS, OUTCOMES

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
    """The sessions, and their moves."""

    traced: list[Traced]
    moves: list[TracedMove]


@dataclass(frozen=True)
class Trace:
    """The attempts and moves of some sessions.

    Attributes:
        session: the session's name, or that of a player, all of whose sessions are shown; None for every session.
        offset: seconds that a recording ran before the session's first record.
    """

    session: str | None = None
    offset: float = 0.0

    def __call__(self, play: Play) -> Table[TraceRow, TraceTotals]:
        """Rows an attempt; the totals list the sessions with their ends, and the moves.

        Raises:
            UsageError: there is no such session or player.
        """
        chosen = self._chosen(play)
        table = play.attempts
        rows = [self._row(play, k) for k in np.flatnonzero(np.isin(table.session, chosen)).tolist()]
        moves = [self._move(play, n) for n in np.flatnonzero(np.isin(play.moves.session, chosen)).tolist()]
        return Table(rows, TraceTotals(traced=[self._session(play, session) for session in chosen], moves=moves))

    def _chosen(self, play: Play) -> list[int]:
        """The sessions to show, in order of play."""
        names, players = play.gated.log.sessions.name, play.gated.players
        order: list[int] = play.gated.sequence.tolist()
        if self.session is None:
            return order
        chosen = [n for n in order if self.session in (names[n], players[play.gated.player[n]])]
        if not chosen:
            some = f" Some of the {len(names)} sessions: {', '.join(names[n] for n in order[:6])}."
            near = nearest(self.session, [*players, *names]) or some
            raise UsageError(f"no session or player is called {self.session!r}.{near}")
        return chosen

    def _row(self, play: Play, k: int) -> TraceRow:
        table = play.attempts
        active, settling, progress = (float(column[k]) for column in (table.active, table.settling, table.progress))
        return {
            "session": play.gated.log.sessions.name[table.session[k]],
            "level": play.stops[table.level[k]],
            "clock": float(table.opened[k]) + self.offset,
            "until": float(table.closed[k]) + self.offset,
            "try": int(table.number[k]) if table.taken[k] else None,
            "void": not table.taken[k],
            "rerun": bool(table.rerun[k]),
            "outcome": OUTCOMES[table.outcome[k]],
            "cause": _cause(play, k),
            "active": _known(active),
            "paused": float(table.paused[k]),
            "settling": _known(settling),
            "progress": _known(progress),
            "hits": int(table.hits[k]),
            "repairs": _repairs(with_records(play), int(table.opened_at[k]), int(table.closed_at[k])),
        }

    def _move(self, play: Play, number: int) -> TracedMove:
        moves = play.moves
        target = int(moves.target[number])
        return {
            "session": play.gated.log.sessions.name[moves.session[number]],
            "clock": float(moves.time[number]) + self.offset,
            "from": play.stops[moves.origin[number]],
            "to": play.stops[target] if target >= 0 else None,
            "kind": MOVE_KINDS[moves.kind[number]],
        }

    def _session(self, play: Play, session: int) -> Traced:
        gated = play.gated
        ended = float(play.session_times.last[session])
        return {
            "session": gated.log.sessions.name[session],
            "player": gated.players[gated.player[session]],
            "build": gated.log.sessions.build[session],
            "end": play.end.name(session),
            "ended": None if np.isnan(ended) else ended + self.offset,
            "tags": gated.log.sessions.tags[session],
        }


def _known(value: float) -> float | None:
    return None if np.isnan(value) else value


def _cause(play: Play, k: int) -> str | None:
    code = play.around.cause[k]
    return play.gated.log.causes[code] if code >= 0 else None


def _repairs(play: FullPlay, first: int, last: int) -> list[str]:
    """The findings on the session's records from the opening to the closing of an attempt."""
    marks = play.gated.log.records.marks[play.gated.order[first : last + 1]]
    together: int = np.bitwise_or.reduce(marks) if len(marks) else 0
    return [finding.code for number, finding in enumerate(FINDINGS) if int(together) >> number & 1]
