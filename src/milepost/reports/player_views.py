"""Views on players: a row each, and what their skills are together."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.difficulty.skill import FEWEST_PLAYERS
from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.views import count_column
from milepost.wording import NOTHING, listed, logits, percent, plural, rate, safe, words

if TYPE_CHECKING:
    from milepost.difficulty.players import PlayerRow
    from milepost.difficulty.skill import SkillGroups
    from milepost.reports.document_types import PlayersDocument
    from milepost.reports.interface import AnyView


def players_view(report: PlayersDocument) -> list[AnyView]:
    """A row a player, the least able ones first."""
    columns: tuple[Column[PlayerRow], ...] = (
        Column("player", lambda row: safe(row["player"]), left=True),
        count_column("sessions", "sessions", 5),
        Column("minutes", lambda row: rate(row["minutes"]), rank=2),
        Column("furthest", lambda row: safe(row["furthest"] or NOTHING), left=True),
        count_column("tries", "tries", 3),
        count_column("clears", "clears", 4),
        Column("pace", lambda row: rate(row["pace"]), rank=4),
        Column("skill", lambda row: NOTHING if row["skill"] is None else logits(row["skill"], True)),
        Column("±", lambda row: NOTHING if row["skill_se"] is None else logits(row["skill_se"]), rank=1, said="error of skill"),
        Column("ended", lambda row: words(row["ended"]), left=True, rank=1),
        Column("watch", lambda row: safe(row["watch"] or ""), left=True, rank=6, said="session to watch"),
    )
    rows = sorted(report["roster"], key=lambda row: (row["skill"] is None, row["skill"] or 0.0))
    notes = [
        _said_of_groups(report["groups"]),
        "Skill: logits beyond a middling player, shrunken towards all where little was played; ±: its standard error.",
        "Pace: a clearing try's time over all players' median, the median over levels; below 1 is faster.",
        *source_notes(report),
    ]
    return [View("Players, the least able first", columns, rows, notes)]


def _said_of_groups(groups: SkillGroups) -> str:
    """One spread, or two groups."""
    if groups["better"] is None:
        return f"Fewer than {FEWEST_PLAYERS} players with a settled try: too few to look for groups."
    count, p_value = plural(groups["players"], "player"), groups["p_value"] or 0.0
    if not groups["better"]:
        return f"One spread of skill describes these {count} as well as two groups do (p {p_value:.2f})."
    each = [f"{percent(share)} about {logits(mean, True)}" for share, mean in zip(groups["shares"], groups["means"], strict=True)]
    return f"Two groups describe these {count} better than one spread (p {p_value:.2f}): {listed(each)} logits."
