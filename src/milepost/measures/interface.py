"""What a measure is: a frozen settings object with one pure call on a play, giving a table."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Protocol

from milepost.playback.play import Play

Row = dict[str, Any]


@dataclass(frozen=True)
class Table:
    """The result of a measure: rows of plain values with the documented keys, and values for the whole course."""

    rows: list[Row]
    totals: Row = field(default_factory=dict)


class Measure(Protocol):
    """A measure with its settings."""

    def __call__(self, play: Play) -> Table:
        """Compute the measure."""


def with_interval(name: str, value: float | None, interval: tuple[float | None, float | None]) -> Row:
    """The three keys of a figure with its interval."""
    return {name: value, f"{name}_low": interval[0], f"{name}_high": interval[1]}


def share(part: int, whole: int) -> float | None:
    """A share; None of nothing."""
    return part / whole if whole else None


def beside(table: Table, extra: list[Row]) -> Table:
    """The table with more keys in each row."""
    return Table([row | more for row, more in zip(table.rows, extra, strict=True)], table.totals)
