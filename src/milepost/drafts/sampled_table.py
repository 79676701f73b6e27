"""A sample of a foreign log as columns: what each cell says, as a text, as a code, as a number and as a time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np

from milepost.arrays import Floats, Ints
from milepost.drafts.time_forms import TimeForm, read_times
from milepost.logs.records.untyped_cells import decimal

_MOST_CELLS: Final = 200  # characters of a cell that are looked at


@dataclass(frozen=True)
class CellColumn:
    """A column of the sample; ``codes`` point into ``words`` and are -1 where the cell is empty."""

    name: str
    codes: Ints
    words: tuple[str, ...]

    @cached_property
    def given(self) -> float:
        """The share of records that have the column."""
        return float((self.codes >= 0).mean()) if len(self.codes) else 0.0

    @cached_property
    def numbers(self) -> Floats | None:
        """Per record its number, NaN where the cell is empty; None where some cells are no numbers."""
        values = [decimal(word) for word in self.words]
        if not values or any(value is None for value in values):
            return None
        return np.append(np.array(values, np.float64), np.nan)[self.codes]

    @cached_property
    def times(self) -> tuple[Floats, TimeForm] | None:
        """Per record its time in seconds or the log's units, and how it is written; None where the cells are no times."""
        read = read_times(self.words)
        return None if read is None else (np.append(read[0], np.nan)[self.codes], read[1])


@dataclass(frozen=True)
class SampledTable:
    """The sampled records as columns, in the log's order."""

    columns: dict[str, CellColumn]
    records: int

    @classmethod
    def of(cls, records: Sequence[Mapping[str, object]]) -> SampledTable:
        """Make columns of records."""
        names = dict.fromkeys(name for record in records for name in record)
        return cls({name: _column(name, records) for name in names}, len(records))


def _column(name: str, records: Sequence[Mapping[str, object]]) -> CellColumn:
    words: dict[str, int] = {}
    codes = np.full(len(records), -1, np.int64)
    for place, record in enumerate(records):
        value = record.get(name)
        if value is not None and value != "":
            codes[place] = words.setdefault(text_of_cell(value), len(words))
    return CellColumn(name, codes, tuple(words))


def text_of_cell(value: object) -> str:
    """A cell as a text, as a log map would meet it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        return str(int(value))
    return str(value)[:_MOST_CELLS]
