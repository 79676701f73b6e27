"""A measure for several groups side by side, each figure with its count."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from milepost.measures.interface import Row
from milepost.reports.interface import Column, View
from milepost.wording import NOTHING, number, percent, plural, rate, safe, seconds

Worded = Callable[[Any], str]

# Per command: the key of the count, and the figures with their wording.
HEADLINES: Final[dict[str, tuple[str, list[tuple[str, str, Worded]]]]] = {
    "funnel": ("reached", [("clear", "clear_rate", percent), ("lost", "drop_off", percent)]),
    "attempts": ("players", [("try clears", "try_clear", percent), ("50 %", "p50", number)]),
    "times": ("timed", [("50 %", "p50", seconds), ("clearing", "run_p50", seconds)]),
    "deaths": ("reached", [("deaths", "deaths", number), ("per player", "per_player_reached", rate)]),
    "coverage": ("players", [("minutes", "minutes", rate)]),
    "spikes": ("players", [("try clears", "try_clear", percent), ("verdict", "kind", str)]),
    "moves": ("advance", [("setbacks", "setback", number), ("skips", "skip", number)]),
    "ratings": ("rated", [("no band", "no_band", number)]),
}


def grouped_document(command: str, key: str, documents: list[tuple[str | None, dict[str, Any]]]) -> dict[str, Any]:
    """The JSON document: one of the command's documents for each value of the key; null for sessions without one."""
    return {"command": command, "by": key, "groups": [{"value": value, **report} for value, report in documents]}


def grouped_rows(report: dict[str, Any], key: str) -> list[Row]:
    """The rows of all groups for a plain table, each with its group."""
    return [{report["by"]: group["value"], **row} for group in report["groups"] for row in group[key]]


def grouped_view(report: dict[str, Any]) -> View:
    """Levels down, groups across."""
    count, figures = HEADLINES[report["command"]]
    names: list[str] = []
    for group in report["groups"]:
        names += [row["level"] for row in group["levels"] if row["level"] not in names]
    rows = [{"level": name, "cells": [_row_of(group, name) for group in report["groups"]]} for name in names]
    columns = [Column("level", lambda row: safe(row["level"]), left=True)]
    for place, group in enumerate(report["groups"]):
        title = safe(group["value"]) if group["value"] is not None else "not given"
        columns.append(Column(f"{title}: n", _cell(place, count, number)))
        for rank, (name, key, worded) in enumerate(figures):
            columns.append(Column(name, _cell(place, key, worded, count, group["min_players"]), rank=rank))
    least = report["groups"][0]["min_players"]
    sizes = "; ".join(
        f"{safe(group['value']) if group['value'] is not None else 'not given'}: "
        f"{plural(group['players'], 'player')} in {plural(group['sessions'], 'session')}"
        for group in report["groups"]
    )
    notes = [f"{sizes}.", f"In brackets: fewer than {least} players, of whom nothing is claimed."]
    return View(f"{report['command'].capitalize()} by {safe(report['by'])}", tuple(columns), rows, notes)


def _row_of(group: dict[str, Any], level: str) -> Row | None:
    return next((row for row in group["levels"] if row["level"] == level), None)


def _cell(place: int, key: str, worded: Worded, count: str | None = None, least: int = 0) -> Callable[[Row], str]:
    def text(row: Row) -> str:
        own = row["cells"][place]
        if own is None or own.get(key) is None:
            return NOTHING
        shown = worded(own[key])
        return f"({shown})" if count is not None and own[count] < least else shown

    return text
