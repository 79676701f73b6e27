"""The sessions of a store in few bytes, of which only those are made that somebody asks for."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final, cast

import numpy as np

from milepost.arrays import Bools, Ints
from milepost.logs.columnar.arrow import Arrow, codes_at, texts_at, values_of
from milepost.logs.interface import Sessions
from milepost.logs.store.tables import read_columns, restored

_TEXTS: Final = ("name", "player", "epoch")
_FEW: Final = ("build", "tags")  # in which few texts come often


@dataclass(frozen=True)
class SessionTable:
    """Sessions as they lie in a store.

    Attributes:
        texts: columns of texts as Arrow's arrays.
        few: columns in which few texts come often.
        debug: which say that they are debug.
        debug_only: those that only a refused record says are.
    """

    texts: dict[str, Arrow]
    few: dict[str, Arrow]
    debug: Bools
    debug_only: frozenset[str]

    @classmethod
    def read(cls, path: Path, debug_only: list[str]) -> SessionTable:
        """Return the session table of a file."""
        columns = read_columns(path, (*_TEXTS, *_FEW, "debug"), _FEW)
        texts, few = ({name: columns[name] for name in names} for names in (_TEXTS, _FEW))
        return cls(texts, few, values_of(columns["debug"]), frozenset(debug_only))

    def some(self, rows: Ints) -> Sessions:
        """Some of them by their numbers."""
        name, player, epoch = (
            cast("list[str | None]", [*map(restored, texts_at(self.texts[column], rows))]) for column in _TEXTS
        )
        build, tags = (_spelled_out(self.few[column], rows) for column in _FEW)
        known = {text: json.loads(text) for text in set(tags)}
        debug = zip(name, self.debug[rows].tolist(), strict=True)
        return Sessions(
            name=cast("list[str]", name),
            player=player,
            build=build,
            epoch=[None if text is None else int(text) for text in epoch],
            debug=[said or own in self.debug_only for own, said in debug],
            tags=[known[text] for text in tags],
        )


def _spelled_out(column: Arrow, rows: Ints) -> list[Any]:
    codes, texts = codes_at(column, rows)
    return [*np.array([*map(restored, texts), None], object)[codes]]


def sessions_of(columns: dict[str, list[Any]]) -> Sessions:
    """Sessions from the columns of a store."""
    own = {name: columns[name] for name in ("name", "player", "build", "debug")}
    epoch = [None if text is None else int(text) for text in columns["epoch"]]  # years far off do not fit into 64 bits
    return Sessions(**own, epoch=epoch, tags=[json.loads(tags) for tags in columns["tags"]])
