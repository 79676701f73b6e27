"""Kinds of rows in a sheet that are not one event each: an attempt, a stay in a level, or a player."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from milepost.errors import MapError

ROW_RESULTS: Final = ("complete", "death", "reset", "quit", "time_up", "crash")  # of a row that is an attempt
OF_STAYS: Final = ("tries", "seconds", "cleared")
COLUMNS: Final = ("started", "ended", "lasted", "result", *OF_STAYS)
_OF: Final = {
    "attempt": {"started", "ended", "lasted", "result"},
    "stay": {"started", *OF_STAYS},
    "player": {"levels", "cell", *OF_STAYS},
}


@dataclass(frozen=True)
class RowKind:
    """The kind of a row.

    Attributes:
        each: `attempt`, `stay` or `player`; None where a record is an event.
        started, ended, lasted, result: the columns that say when an attempt began and ended, how long it took, and how it ended.
        tries, seconds, cleared: the columns of a stay; of a player, patterns of columns in which * is the level.
        levels: of a player, a pattern of columns that are the levels; ``cell`` is what their cells say.
    """

    each: str | None = None
    started: str | None = None
    ended: str | None = None
    lasted: str | None = None
    result: str | None = None
    tries: str | None = None
    seconds: str | None = None
    cleared: str | None = None
    levels: str | None = None
    cell: str | None = None

    def columns(self) -> dict[str, str]:
        """The columns that have to be there, by what they are."""
        if self.each == "player":
            return {}
        return {name: column for name in COLUMNS if (column := getattr(self, name))}

    def patterns(self) -> dict[str, str]:
        """The patterns of columns, by what their cells say; none but where a row is a player."""
        if self.each != "player":
            return {}
        if self.levels and self.cell:
            return {self.cell: self.levels}
        return {name: pattern for name in OF_STAYS if (pattern := getattr(self, name))}


ONE_EVENT: Final = RowKind()  # a record is an event


def read_row_kind(table: Mapping[str, object], path: str) -> RowKind:
    """Return the kind of row that the table [rows] gives.

    Raises:
        MapError: it makes no sense.
    """
    each = table.get("each")
    given = {name: table[name] for name in (*COLUMNS, "levels", "cell") if name in table}
    if each is None:
        if given:
            raise MapError(f'{path}: rows.{next(iter(given))} goes with each: say what a row is, such as each = "attempt".')
        return ONE_EVENT
    if not isinstance(each, str) or each not in _OF:
        raise MapError(f"{path}: rows.each must be one of {', '.join(_OF)}, not {each!r}.")
    for name, column in given.items():
        if name not in _OF[each]:
            raise MapError(f'{path}: rows.{name} does not go with each = "{each}", which takes {", ".join(sorted(_OF[each]))}.')
        if not isinstance(column, str) or not column:
            raise MapError(f"{path}: rows.{name} must be a column of the log, not {column!r}.")
    _require(each, given, path)
    return RowKind(each, **{name: str(column) for name, column in given.items()})


def _require(each: str, given: Mapping[str, object], path: str) -> None:
    if each == "attempt" and "result" not in given:
        raise MapError(f"{path}: rows.result: name the column that says how an attempt ended.")
    if each == "stay" and not given.keys() & set(OF_STAYS):
        raise MapError(f"{path}: rows: name a column for tries, seconds or cleared.")
    if each == "player":
        if ("levels" in given) != ("cell" in given) or not given.keys() & {"levels", *OF_STAYS}:
            raise MapError(f'{path}: rows: name levels and cell, or patterns such as tries = "* tries", in which * is the level.')
        if "cell" in given and given["cell"] not in OF_STAYS:
            raise MapError(f"{path}: rows.cell must be one of {', '.join(OF_STAYS)}, not {given['cell']!r}.")
        for name in ("levels", *OF_STAYS):
            if name in given and str(given[name]).count("*") != 1:
                raise MapError(f"{path}: rows.{name} must be a pattern with one * in it, not {given[name]!r}.")
