"""Columns that are not whole by themselves: a name that stands in the first row of a block alone, and minutes beside seconds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import permutations
from typing import Final

import numpy as np

from milepost.arrays import Bools, Floats
from milepost.drafts.column_roles import rising_share
from milepost.drafts.heading_words import heading_says
from milepost.drafts.query_text import quoted
from milepost.drafts.sampled_table import CellColumn, SampledTable
from milepost.logs.mapping.sampling import flat

_FEWEST_BLOCKS: Final = 3
_MOST_GIVEN: Final = 0.5  # of the rows, that begin a block
_AT_BLOCKS: Final = 0.9  # of the steps back in time, that stand where a block begins
_RISING: Final = 0.98


def completing_query(records: Sequence[Mapping[str, object]]) -> str | None:
    """Return a query that makes such columns whole; None where there are none."""
    table = SampledTable.of([flat(record) for record in records])
    filled = _filled(table)
    clock = _clock(table, [column.name for column in filled])
    if not filled and clock is None:
        return None
    text = ", ".join(f"{_last_given(column.name)} AS {quoted(column.name)}" for column in filled)
    taken = f" REPLACE ({text})" if filled else ""
    return f"SELECT *{taken}{'' if clock is None else f', {clock}'} FROM log"


def _last_given(name: str) -> str:
    """The last value of a column from the first row to each one."""
    return f"LAST_VALUE(NULLIF(CAST({quoted(name)} AS VARCHAR), '') IGNORE NULLS) OVER (ROWS UNBOUNDED PRECEDING)"


def _filled(table: SampledTable) -> list[CellColumn]:
    """The columns that say something in the first row of each block only."""
    for column in table.columns.values():
        begins = column.codes >= 0
        if not begins[0] or not _FEWEST_BLOCKS <= begins.sum() <= _MOST_GIVEN * table.records:
            continue
        named = max(heading_says("player", column.name), heading_says("session", column.name)) > 0
        if (named and len(column.words) == begins.sum()) or any(_restarts(own, begins) for own in _times(table)):
            return [own for own in table.columns.values() if bool(((own.codes >= 0) == begins).all())]
    return []


def _times(table: SampledTable) -> Iterator[Floats]:
    for column in table.columns.values():
        if column.times is not None and column.given == 1.0 and len(column.words) > _FEWEST_BLOCKS:
            yield column.times[0]


def _restarts(times: Floats, begins: Bools) -> bool:
    """Return whether times begin anew where blocks do, and nowhere else."""
    back, at = np.diff(times) < 0, begins[1:]
    most = float(back[at].mean()) if at.any() else 0.0
    return most > 0.8 and float(at[back].mean()) >= _AT_BLOCKS


def _clock(table: SampledTable, filled: Sequence[str]) -> str | None:
    """Two whole numbers, the second of which is below 60, as one in the smaller unit, where that rises and neither does alone."""
    if any(own.times is not None and own.times[1].kind != "number" and own.given > 0.9 for own in table.columns.values()):
        return None
    groups = [_as_group(own, own.name in filled) for own in table.columns.values() if own.given > 0.9 or own.name in filled]
    whole = {name: own.numbers for name, own in table.columns.items() if own.numbers is not None and own.given == 1.0}
    for (large, of_large), (small, of_small) in permutations(whole.items(), 2):
        if not _fits_clock(of_large, of_small):
            continue
        for codes in groups:
            alone = max(rising_share(of_small, codes), 0.0)
            if rising_share(of_large, codes) > _RISING > alone + 0.1 and rising_share(60 * of_large + of_small, codes) > _RISING:
                return f"60 * {_number(large)} + {_number(small)} AS {quoted(f'{large}:{small}')}"
    return None


def _as_group(column: CellColumn, filled: bool) -> np.ndarray:
    """Per row its group; the blocks that a column begins, where it is one that has to be filled."""
    return np.cumsum(column.codes >= 0) if filled else column.codes


def _number(name: str) -> str:
    return f"CAST({quoted(name)} AS DOUBLE)"


def _fits_clock(large: Floats, small: Floats) -> bool:
    rounds = bool((large == np.floor(large)).all()) and float(large.min()) >= 0
    return rounds and 30 < float(small.max()) < 60 and float(small.min()) >= 0 and len(np.unique(small)) > 10 < len(large)
