"""How the chance to tell a change grows with players, as a figure: a line a level."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from milepost.figures.style import Palette, Sheet, shorten
from milepost.reports.power_views import PowerDocument
from milepost.wording import number, plural

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_WANTED: Final = 0.8


def draw_power(sheet: Sheet, document: PowerDocument) -> None:
    """Draw on an empty figure: players across on a logarithmic scale, the chance upwards."""
    look, rows, players = sheet.look, document["levels"], document["curve_players"]
    sheet.title(finding(document), _explained(rows[0]["players"]))
    axes = sheet.axes(0.06, 0.1, 0.92, 0.76)
    axes.grid(axis="both", color=look.grid)
    axes.set_xscale("log")
    axes.axhline(_WANTED, color=look.lantern, linewidth=1.4, linestyle=":")
    alone = len(rows) == 1
    for row in rows:
        axes.plot(players, row["curve"], color=look.water, linewidth=2 if alone else 1, alpha=1 if alone else 0.55)
    _name_lines(axes, look, document)
    axes.axvline(rows[0]["players"], color=look.faint, linewidth=1)
    axes.set_ylim(0, 1.03)
    axes.set_yticks([0, 0.25, 0.5, 0.75, 1], ["0", "25 %", "50 %", "75 %", "100 %"])
    ticks = [count for count in (10, 20, 40, 100, 200, 400, 1000, 2000) if players[0] <= count <= players[-1]]
    axes.set_xticks(ticks, [number(tick) for tick in ticks])
    axes.set_xticks([], minor=True)
    axes.set_xlabel("players" + (" in each build" if rows[0]["question"] != "spike" else ""), color=look.ink)


def _explained(players: int) -> str:
    """Return what the lines are, for the place under the title."""
    asked = f"Upright: {plural(players, 'player')}, as in the table."
    return f"Chance of seeing the change, by players; one line for each level. Dotted: 80 %. {asked}"


def finding(document: PowerDocument) -> str:
    """How many players it takes, in a sentence."""
    rows = document["levels"]
    needed = sorted(count for row in rows if (count := row["players_for_80"]) is not None)
    if not needed:
        return "No number of players would tell this in 80 of 100 tests"
    if len(rows) == 1:
        return f"{shorten(rows[0]['level'], 30)}: {plural(needed[0], 'player')} tell it in 80 of 100 tests"
    return f"It takes {number(needed[0])} to {number(needed[-1])} players, by level, to tell it in 80 of 100 tests"


def _name_lines(axes: Axes, look: Palette, document: PowerDocument) -> None:
    """The levels that take fewest and most players, where their lines reach 80 %."""
    rows = sorted((row["players_for_80"], row["level"]) for row in document["levels"] if row["players_for_80"])
    ends = [(rows[0], -10, "right"), (rows[-1], 10, "left")] if len(rows) > 1 else [(row, 10, "left") for row in rows]
    for (needed, level), away, side in ends:
        if document["curve_players"][0] <= needed <= document["curve_players"][-1]:
            axes.plot(needed, _WANTED, "o", color=look.lantern, markersize=6)
            axes.annotate(
                f"{shorten(level, 22)}: {number(needed)}",
                (needed, _WANTED),
                (away, 9 if away < 0 else -14),
                textcoords="offset points",
                ha=side,
                fontsize=10,
                color=look.ink,
            )
