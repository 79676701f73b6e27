"""Views of the attributes of tries: how tries of a level differed, and how that goes with clearing it."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypedDict

from milepost.reports.interface import Column, View
from milepost.reports.views import count_column, share_columns
from milepost.wording import NOTHING, safe

if TYPE_CHECKING:
    from milepost.measures.attribute_effects import AttributeRow, AttributeTries

_FEW = 5  # players, of fewer of whom nothing is claimed


class _Line(TypedDict):
    """A value of an attribute, which is named at its first value only."""

    attribute: str
    value: str
    tries: int
    players: int
    try_clear: float | None
    try_clear_low: float | None
    try_clear_high: float | None
    odds: str


def attributes_view(rows: list[AttributeRow]) -> View[_Line]:
    """Return the view of how tries differed."""
    lines = [_line(row, place, tries) for row in rows for place, tries in enumerate(row["values"])]
    columns: tuple[Column[_Line], ...] = (
        Column("what a try began with", lambda line: safe(line["attribute"]), left=True),
        Column("value", lambda line: safe(line["value"]), left=True),
        count_column("tries", "tries"),
        count_column("players", "players"),
        *share_columns("a try clears", "try_clear", 0, 1),
        Column("odds of clearing", lambda line: line["odds"], left=True),
    )
    notes = ["Odds: against the value that most tries began with. Who had which was not drawn by lot: it may be the players."]
    return View("What differed when it was tried", columns, lines, notes if lines else [])


def _line(row: AttributeRow, place: int, tries: AttributeTries) -> _Line:
    return _Line(
        attribute=row["attribute"].removeprefix("start.") if not place else "",
        value="not given" if tries["value"] is None else tries["value"],
        tries=tries["tries"],
        players=tries["players"],
        try_clear=tries["try_clear"],
        try_clear_low=tries["try_clear_low"],
        try_clear_high=tries["try_clear_high"],
        odds="1, the usual" if not place else _odds(tries),
    )


def _odds(tries: AttributeTries) -> str:
    if tries["odds"] is None:
        return NOTHING
    low, high = tries["odds_low"], tries["odds_high"]
    span = f" ({low:.2g}–{high:.2g})" if low is not None and high is not None else ""
    return f"{tries['odds']:.2g} times{span}" + (", too few players" if tries["players"] < _FEW else "")
