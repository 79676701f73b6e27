"""The document of a plan of a test, and what people see of it."""

from __future__ import annotations

from typing import NotRequired

from milepost.comparison.pilot_players import Pilot
from milepost.comparison.power import CURVE, PowerRow, PowerTotals
from milepost.reports.build_document import FORMAT
from milepost.reports.head_types import Settings
from milepost.reports.interface import AnyView, Column, View
from milepost.wording import number, percent, plural, safe

_ASKED = {
    "compare": "a level that differs by {change:+.2g} logits between two builds",
    "spike": "a level that is {change:+.2g} logits harder than its surroundings",
    "drop-off": "a level that loses {change:+.3g} points more of its players in one of two builds",
}


class PowerDocument(PowerTotals):
    """The document of `power`; with one level only, its figures stand at the top, too."""

    format: int
    command: str
    levels: list[PowerRow]
    level: NotRequired[str]
    question: NotRequired[str]
    change: NotRequired[float]
    players: NotRequired[int]
    power: NotRequired[float]
    power_low: NotRequired[float]
    power_high: NotRequired[float]
    players_for_80: NotRequired[int | None]
    settings: NotRequired[Settings]


def power_document(pilot: Pilot, rows: list[PowerRow], alone: bool) -> PowerDocument:
    """The document.

    Args:
        pilot: what the rows rest on.
        rows: a row a level.
        alone: whether one level was asked for.
    """
    report = PowerDocument(format=FORMAT, command="power", pilot_players=pilot.players, curve_players=list(CURVE), levels=rows)
    if alone:
        first = rows[0]
        report["level"], report["question"], report["change"] = first["level"], first["question"], first["change"]
        report["players"], report["power"] = first["players"], first["power"]
        report["power_low"], report["power_high"] = first["power_low"], first["power_high"]
        report["players_for_80"] = first["players_for_80"]
    return report


def power_views(report: PowerDocument) -> list[AnyView]:
    """How many players it takes, level by level."""
    first = report["levels"][0]
    where = "in all" if first["question"] == "spike" else "in each build"
    asked = _ASKED[first["question"]].format(change=first["change"]).replace("-", "−")
    columns: tuple[Column[PowerRow], ...] = (
        Column("level", lambda row: safe(row["level"]), left=True),
        Column(f"with {first['players']} players", lambda row: percent(row["power"])),
        Column("range", _span, rank=1),
        Column("players for 80 %", _format_for_80),
    )
    return [View(f"The chance of seeing {asked}", columns, report["levels"], [f"Players {where}.", *_source(report)])]


def _span(row: PowerRow) -> str:
    return f"{percent(row['power_low']).removesuffix(' %')}–{percent(row['power_high'])}"


def _format_for_80(row: PowerRow) -> str:
    return "over a million" if row["players_for_80"] is None else number(row["players_for_80"])


def _source(report: PowerDocument) -> list[str]:
    if report["pilot_players"] is None:
        return ["There is no pilot: levels are taken to be as hard as their targets, give or take half a logit."]
    return [f"By a pilot of {plural(report['pilot_players'], 'player')}, whom those to come are taken to be like."]
