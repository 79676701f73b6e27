"""Exclusions from a log: suspect sessions, records after a jump, attempts, and ends that were no decision."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.logs.interface import BareLog

Span = tuple[int, int]  # where an attempt is opened and closed, as places in the session's order of replay
Places = Mapping[str, frozenset[Span]]  # attempts per session, by its name


@dataclass(frozen=True)
class Exclusion:
    """An exclusion; it names sessions, so that it holds for whatever part of the log is replayed.

    Attributes:
        codes: the suspects that are left out.
        sessions: the sessions that are.
        cuts: per session that ends with a jump, the place of the record that it is cut at.
        void: the attempts that are void.
        cleared: attempts that count as cleared.
        faults: the sessions whose end was no decision.
        coarse: the sessions whose clock counts whole seconds, as judged before anything was left out, so that the places hold.
    """

    codes: tuple[str, ...] = ()
    sessions: frozenset[str] = frozenset()
    cuts: Mapping[str, int] = field(default_factory=dict)
    void: Places = field(default_factory=dict)
    cleared: Places = field(default_factory=dict)
    faults: frozenset[str] = frozenset()
    coarse: frozenset[str] = frozenset()

    @property
    def replays(self) -> bool:
        """Return whether the log has to be replayed anew without it."""
        return bool(self.sessions or self.cuts)

    def kept(self, log: BareLog) -> Bools:
        """Per session of a log, whether it stays."""
        return np.array([name not in self.sessions for name in log.sessions.name], dtype=np.bool_)

    def clocks(self, log: BareLog) -> Bools:
        """Per session, whether its clock counts whole seconds."""
        return np.array([name in self.coarse for name in log.sessions.name], dtype=np.bool_)

    def ends_at(self, log: BareLog, bounds: Ints) -> Ints:
        """Per session, where its records end that are replayed: at its bound, or where it is cut."""
        stops = bounds[1:].copy()
        for session, name in enumerate(log.sessions.name):
            if name in self.cuts:
                stops[session] = min(stops[session], bounds[session] + self.cuts[name])
        return stops
