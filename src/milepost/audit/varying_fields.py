"""Fields that differ within sessions, as a state of the game would."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from milepost.arrays import Column
from milepost.playback.attributes import is_given
from milepost.playback.play import FullPlay, summary
from milepost.vocabulary import DROPPED, NUMBER_FIELDS


@summary
@dataclass(frozen=True)
class Varying:
    """The fields and tags that differ within some session."""

    names: frozenset[str]

    @classmethod
    def of(cls, play: FullPlay) -> Varying:
        """Look through a play's records."""
        records = play.gated.log.records
        rows = np.flatnonzero(records.marks & DROPPED == 0)
        session = records.session[rows]
        columns = {name: getattr(records, name)[rows] for name in NUMBER_FIELDS} | {
            name: column[rows] for name, column in records.tags.items()
        }
        return cls(frozenset(name for name, column in columns.items() if _differs_within(session, column)))

    @classmethod
    def merged(cls, parts: list[Varying]) -> Varying:
        """Return the varying fields of a log, added up from its parts."""
        return cls(frozenset().union(*(part.names for part in parts)))


def _differs_within(session: Column, column: Column) -> bool:
    """Return whether some session has two values."""
    given = is_given(column)
    if not given.any():
        return False
    values, owner = column[given], session[given]
    first = np.zeros(int(owner.max()) + 1, values.dtype)
    first[owner[::-1]] = values[::-1]
    return bool(np.any(values != first[owner]))
