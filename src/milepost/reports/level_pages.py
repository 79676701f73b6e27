"""A page on each level, out of a whole report: what `level` says of one, for all of them at once."""

from __future__ import annotations

from typing import Any

from milepost.measures.interface import Row
from milepost.reports.interface import Column, View
from milepost.reports.level_views import level_view
from milepost.reports.views import count_column
from milepost.wording import percent, rate, safe

_SIDE = 2
_MOST_CAUSES, _MOST_TRIES = 8, 12
_KEYS = ("level", "players", "settled", "try_clear", "try_clear_low", "try_clear_high", "p50")


def level_pages(report: dict[str, Any]) -> list[list[View]]:
    """Per level of the course, its views: in words, its neighbours and builds, causes, tries, and sessions to watch."""
    return [_page(report, place) for place in range(len(report["course"]["levels"]))]


def _page(report: dict[str, Any], place: int) -> list[View]:
    one = _of_level(report, place)
    own = [view for view in level_view(one) if view.rows or view.notes]
    return [view for view in (own[0], _causes(one), _tries(one), *own[1:]) if view.rows or view.notes]


def _of_level(report: dict[str, Any], place: int) -> dict[str, Any]:
    """What `level` would say, as its document."""
    tries, count = report["attempts"]["levels"], len(report["course"]["levels"])
    plan = report["plan"][place] if report["plan"] else {}
    near = range(max(0, place - _SIDE), min(count, place + _SIDE + 1))
    return {
        "course": report["course"], "players": report["players"], "min_players": report["min_players"],
        "level": report["course"]["levels"][place], "place": place + 1, "plan": plan,
        **{name: report[name]["levels"][place] for name in ("funnel", "attempts", "times", "deaths")},
        "note": report.get("notes", {}).get(report["course"]["levels"][place]), "first_level": None,
        "builds": sorted(report["builds"]["names"]),
        "neighbours": [{key: tries[n][key] for key in _KEYS} | {"builds": report["builds"]["levels"][n]} for n in near],
        "watch": report["watch"][place],
    }  # fmt: skip


def _causes(one: dict[str, Any]) -> View:
    """Deaths by cause."""
    deaths = one["deaths"]
    rows: list[Row] = [{"cause": cause, **own} for cause, own in list(deaths["causes"].items())[:_MOST_CAUSES]]
    if deaths["without_cause"]:
        rows.append({"cause": None, "deaths": deaths["without_cause"], "players": None, "per_player_reached": None})
    columns = (
        Column("cause", lambda row: "none given" if row["cause"] is None else safe(row["cause"]), left=True),
        count_column("deaths", "deaths"), count_column("players", "players"),
        Column("per player", lambda row: rate(row["per_player_reached"])),
    )  # fmt: skip
    return View("What of", columns, rows)


def _tries(one: dict[str, Any]) -> View:
    """Who was still trying, try by try."""
    columns = (
        count_column("try", "k"), count_column("tried", "at_risk"), count_column("cleared", "cleared"),
        Column("not cleared after it", lambda row: percent(row["survival"])),
    )  # fmt: skip
    steps = one["attempts"]["distribution"]
    return View("Try by try", columns, [step for step in steps if step["cleared"] or step["k"] <= 2][:_MOST_TRIES])
