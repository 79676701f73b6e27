"""A part of a log by itself: its own sessions, numbered among themselves, so that nobody has to hold the list of all."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from milepost.arrays import Ints
from milepost.logs.interface import BareLog, Log, Records, Sessions

Opened = Callable[[], BareLog]  # gives a log without its records when it is asked for


def own_sessions(records: Records) -> tuple[Ints, Records]:
    """The sessions of some records, rising, and the records with these numbered among themselves."""
    there = np.bincount(records.session) > 0
    return np.flatnonzero(there), replace(records, session=(np.cumsum(there) - 1)[records.session])


def by_itself(log: Log) -> Log:
    """A part that has the sessions of the whole with its own ones only."""
    own, records = own_sessions(log.records)
    places = own.tolist()
    sessions = Sessions(**{name: [values[place] for place in places] for name, values in vars(log.sessions).items()})
    return replace(log, sessions=sessions, records=records, numbers=own)
