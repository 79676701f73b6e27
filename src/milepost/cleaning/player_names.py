"""Names of players: players under one name, however it is spelled."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from functools import lru_cache
from typing import Final

import numpy as np

from milepost.arrays import Ints
from milepost.level_names import folded, natural_key
from milepost.logs.interface import Records, Sessions
from milepost.vocabulary import BIT

_SPELLING: Final = BIT["player_spelling"]


@lru_cache(maxsize=2)
def spellings(sessions: Sessions) -> Mapping[str, str]:
    """The names of players that are spelled otherwise than most sessions spell them, each with that commonest spelling.

    Of equally common spellings it is the first by name.
    """
    counts = Counter(name for name in sessions.player if name is not None)
    groups: dict[str, list[str]] = {}
    for name in counts:
        groups.setdefault(folded(name), []).append(name)
    found = {}
    for names in groups.values():
        if len(names) > 1:
            common = min(names, key=lambda name: (-counts[name], natural_key(name)))
            found.update({name: common for name in names if name != common})
    return found


@lru_cache(maxsize=1)
def players_of(sessions: Sessions) -> tuple[list[str], Ints]:
    """The players' names, and per session its player; a session without one is its own."""
    codes: dict[str, int] = {}
    player = [codes.setdefault(name, len(codes)) for name in player_names(sessions)]
    return list(codes), np.array(player, dtype=np.int64)


def player_names(sessions: Sessions) -> list[str]:
    """Per session, its player's name under the commonest spelling; a session without one is its own."""
    called = spellings(sessions)
    named = (given or session for given, session in zip(sessions.player, sessions.name, strict=True))
    return [called.get(name, name) for name in named] if called else list(named)


def mark_spellings(records: Records, sessions: Sessions) -> None:
    """Mark the records that spell their player otherwise than most do; those that differ from their session bear a mark."""
    called = spellings(sessions)
    if not called:
        return
    odd = np.array([name in called for name in sessions.player], dtype=np.bool_)[records.session]
    records.marks[records.named & odd] ^= _SPELLING
