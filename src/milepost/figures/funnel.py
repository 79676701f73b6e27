"""The funnel as a figure: who reached and cleared each level, and why players stopped there."""

from __future__ import annotations

from typing import Any

from milepost.figures.style import LIGHT, label_size, plain_axes, shortened, title
from milepost.measures.interface import Row
from milepost.vocabulary import END_CAUSES
from milepost.wording import percent, plural, words

_LOST = {"quit", "unknown"}
_MOST_LABELS = 60


def draw_funnel(figure: Any, document: dict[str, Any]) -> None:
    """Draw on an empty figure.

    Args:
        figure: a Matplotlib figure.
        document: the funnel's document.
    """
    rows = document["levels"]
    causes = [cause for cause in END_CAUSES if any(row[f"stopped_{cause}"] for row in rows)]
    title(figure, finding(document), "Bars: players who reached (pale) and cleared (dark) a level. Right: players who "
          "stopped there, by how their last session ended; dark red counts as lost.")  # fmt: skip
    left, right, top, bottom = 0.17, 0.975, 0.828, 0.03
    lanes = max(1, len(causes))
    split = right - 0.075 * lanes
    bars = figure.add_axes((left, bottom, split - left - 0.02, top - bottom))
    stops = figure.add_axes((split, bottom, right - split, top - bottom), sharey=bars)
    _draw_bars(bars, rows)
    _draw_stops(stops, rows, causes)


def finding(document: dict[str, Any]) -> str:
    """What the funnel says, in a sentence."""
    rows, players = document["levels"], document["players"]
    if not rows or not players:
        return "Nobody played a level of the course"
    worst = max(rows, key=lambda row: (row["lost"], -row["reached"]))
    end = f"{rows[-1]['cleared']} of {plural(players, 'player')} cleared the last level"
    if not worst["lost"]:
        return f"{end}; nobody was lost on the way"
    low, high = percent(worst["drop_off_low"]).removesuffix(" %"), percent(worst["drop_off_high"])
    return f"{end}; most were lost at {shortened(worst['level'], 30)}: {worst['lost']} of {worst['reached']} ({low}–{high})"


def _draw_bars(axes: Any, rows: list[Row]) -> None:
    plain_axes(axes)
    places = range(len(rows))
    most = max([row["reached"] for row in rows] + [1])
    axes.barh(places, [row["reached"] for row in rows], color=LIGHT.pale, height=0.74)
    axes.barh(places, [row["cleared"] for row in rows], color=LIGHT.water, height=0.74)
    size = label_size(len(rows))
    every = -(-len(rows) // _MOST_LABELS)
    shown = list(places)[::every]
    axes.set_yticks(shown, [shortened(rows[place]["level"]) for place in shown], fontsize=size)
    for place in shown:
        row = rows[place]
        axes.text(
            row["reached"] + most * 0.008,
            place,
            f"{row['cleared']} of {row['reached']}",
            va="center",
            fontsize=size * 0.9,
            color=LIGHT.ink,
        )
    axes.set_xlim(0, most * 1.12)
    axes.set_ylim(len(rows) - 0.5, -0.5)
    axes.set_xticks([])
    axes.set_title("cleared of reached", loc="left", fontsize=11, color=LIGHT.ink, pad=8)


def _draw_stops(axes: Any, rows: list[Row], causes: list[str]) -> None:
    plain_axes(axes)
    axes.tick_params(labelleft=False)
    most = max([row[f"stopped_{cause}"] for row in rows for cause in causes] + [1])
    for lane, cause in enumerate(causes):
        colour = LIGHT.brick if cause in _LOST else LIGHT.faint
        axes.axvline(lane, color=LIGHT.grid, linewidth=1)
        for place, row in enumerate(rows):
            count = row[f"stopped_{cause}"]
            if count:
                axes.barh(place, 0.5 * count / most, left=lane, color=colour, height=0.74)
                axes.text(
                    lane + 0.5 * count / most + 0.05,
                    place,
                    str(count),
                    va="center",
                    fontsize=label_size(len(rows)),
                    color=colour,
                )
        total = sum(row[f"stopped_{cause}"] for row in rows)
        axes.text(lane, -0.9, f"{words(cause)}\n{total}", fontsize=10.5, color=colour, va="bottom")
    axes.set_xlim(-0.05, max(1, len(causes)))
    axes.set_xticks([])
