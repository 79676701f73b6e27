"""Views of how tries of a level differed, by attributes and by layouts, and how that goes with clearing it."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypedDict

from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.views import count_column, share_columns
from milepost.wording import NOTHING, listed, percent, plural, safe

if TYPE_CHECKING:
    from milepost.measures.attribute_effects import AttributeRow, AttributeTries
    from milepost.measures.layouts import LayoutRow, WorstLayout
    from milepost.reports.document_types import LayoutsDocument
    from milepost.reports.interface import AnyView

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


def layouts_view(report: LayoutsDocument) -> list[AnyView]:
    """How much the layout matters."""
    columns: tuple[Column[LayoutRow], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True),
        Column("layout", lambda row: safe(row["layout"]), left=True),
        count_column("players", "players", 2),
        count_column("tries", "tries"),
        *share_columns("a try clears", "try_clear", 0, 1),
        Column("", lambda row: "" if row["enough"] else "few tries", left=True),
    )
    between, levels = report["between_layouts"], report["between_levels"]
    few_clear = "Hardest, each with how often chance alone would make one of the layouts stand out so"
    spread = "The spread between layouts cannot be told: no level has two layouts with enough tries."
    if between is not None:
        spread = (
            f"Beyond chance, try-clear rates differ by {100 * between:.0f} points "
            f"({_points(report['between_layouts_low'], report['between_layouts_high'])}; standard deviation) between layouts "
            f"of a level, over {plural(report['levels_compared'], 'level')}"
        )
        across = _points(report["between_levels_low"], report["between_levels_high"])
        spread += f", and by {100 * levels:.0f} points ({across}) between levels." if levels is not None else "."
    worst = listed(
        [f"{safe(w['level'])} {safe(w['layout'])} ({percent(w['try_clear'])} of {w['tries']}{_luck(w)})" for w in report["worst"]]
    )
    return [
        View(
            "Layouts: what the chance inside a level does",
            columns,
            report["levels"],
            [spread, f"{few_clear}: {worst}." if worst else "No layout has enough tries.", *source_notes(report)],
        )
    ]


def _points(low: float | None, high: float | None) -> str:
    return NOTHING if low is None or high is None else f"{100 * low:.0f}–{100 * high:.0f}"


def _luck(row: WorstLayout) -> str:
    luck = row["luck"]
    return "" if luck is None else f"; by luck {percent(luck) if luck >= 0.005 else 'below 1 %'}"
