"""Sessions that several players share: each of them has the session's records."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np

from milepost.arrays import Bools
from milepost.errors import LogError
from milepost.logs.interface import Log, Records, Sessions
from milepost.logs.records.fields import TOGETHER
from milepost.vocabulary import COPY


def for_each_player(log: Log) -> Log:
    """The log with a session of several players once for each of them, with all of its records.

    The records of the further ones bear the mark of a copy, and are counted nowhere.
    """
    shared = [number for number, name in enumerate(log.sessions.player) if name is not None and TOGETHER in name]
    if not shared:
        return log
    sessions = Sessions(**{name: list(values) for name, values in vars(log.sessions).items()})
    tables = [log.records.columns()]
    for number in shared:
        first, *others = (sessions.player[number] or "").split(TOGETHER)
        sessions.player[number] = first
        own = log.records.rows(log.records.session == number)
        own["marks"] = own["marks"] | COPY
        for name in others:
            tables.append(own | {"session": np.full(len(own["session"]), len(sessions.name))})
            for column, values in vars(sessions).items():
                values.append(name if column == "player" else values[number])
    columns = {name: np.concatenate([table[name] for table in tables]) for name in tables[0]}
    return replace(log, sessions=sessions, records=Records.of(columns))


@lru_cache(maxsize=1)
def copied(sessions: Sessions) -> Bools:
    """Per session, whether it is there once more for another of its players."""
    if len(set(sessions.name)) == len(sessions.name):
        return np.zeros(len(sessions.name), np.bool_)
    first = {name: number for number, name in reversed(list(enumerate(sessions.name)))}
    return np.array([first[name] != number for number, name in enumerate(sessions.name)], dtype=np.bool_)


def require_one_player(sessions: Sessions, file: str) -> None:
    """Refuse sessions of several players, where a log is divided by its players.

    Raises:
        LogError: there is one.
    """
    shared = next((n for n, player in enumerate(sessions.player) if player is not None and TOGETHER in player), None)
    if shared is not None:
        raise LogError(
            f"{file}: the session {sessions.name[shared]!r} has several players, and logs with such sessions are not "
            "divided by player. Leave out --jobs, --memory, --cluster and pack; --memory 100GB has a large log read as a whole."
        )
