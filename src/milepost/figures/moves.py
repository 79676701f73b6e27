"""Moves as arcs over the course: setbacks below the line, skips and other jumps above it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.figures.style import Palette, Sheet, names_across, shorten
from milepost.measures.moves import MoveRow, setbacks_by_starts
from milepost.reports.document_types import MovesDocument
from milepost.wording import plural, seconds, words

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_ABOVE = {"advance": "pale", "skip": "lantern", "passed": "lantern", "return": "water"}


def draw_moves(sheet: Sheet, document: MovesDocument) -> None:
    """Draw on an empty figure: the levels on a line, an arc for each kind of move between two of them."""
    names = document["course"]["levels"]
    place = {name: number for number, name in enumerate(names)}
    spans = [
        (place[move["from"]], place[to], move)
        for move in [*document["moves"], *setbacks_by_starts(document)]
        if (to := move["to"]) in place and move["from"] in place and move["from"] != to
    ]
    sheet.title(
        finding(document),
        "Above: on to later levels (pale: to the next one; orange: skipped or passed). Below: "
        "setbacks. The wider the arc's line, the more often; the number is how often.",
    )
    axes = sheet.axes(0.03, 0.22, 0.94, 0.64)
    most = max([move["count"] for _, _, move in spans] + [1])
    for start, end, move in spans:
        _arc(axes, sheet.look, start, end, move, most)
    axes.plot(range(len(names)), [0] * len(names), "o", color=sheet.look.ink, markersize=4, zorder=3)
    names_across(axes, names)
    above, below = max([end - start for start, end, _ in spans] + [2]), max([start - end for start, end, _ in spans] + [1])
    axes.set_ylim(-0.75 * below - 0.6, 0.62 * above + 0.6)
    axes.set_yticks([])


def finding(document: MovesDocument) -> str:
    """Return a title on the moves."""
    setbacks = [move for move in document["moves"] if move["kind"] == "setback"]
    starts = setbacks_by_starts(document)
    if not setbacks and starts:
        count = sum(move["count"] for move in starts)
        return f"{plural(count, 'start')} at an earlier level after a failure, without a move there: were players put back?"
    if not setbacks:
        return f"Nobody was set back; {plural(sum(m['count'] for m in document['moves']), 'move')} in all"
    count = sum(move["count"] for move in setbacks)
    cost = sum(move["cost"] or 0.0 for move in setbacks)
    worst = max(setbacks, key=lambda move: (move["count"], move["cost"] or 0.0))
    return (
        f"{plural(count, 'setback')}, most from {shorten(worst['from'], 22)} ({worst['count']}), "
        f"cost {seconds(cost)} of replay in all"
    )


def _arc(axes: Axes, look: Palette, start: int, end: int, move: MoveRow, most: int) -> None:
    from matplotlib.patches import Arc

    below = end < start
    colour = look.of("brick" if below else _ABOVE.get(move["kind"], "faint"))
    span, middle = abs(end - start), (start + end) / 2
    width = 1.0 + 5.0 * move["count"] / most
    axes.add_patch(
        Arc(
            (middle, 0), span, span * 1.1, theta1=180 if below else 0, theta2=360 if below else 180, color=colour, linewidth=width
        )
    )
    if move["kind"] != "advance":
        side = -1 if below else 1
        axes.annotate(
            plural(move["count"], words(move["kind"]), words(move["kind"]) if move["kind"] == "passed" else None),
            (middle, side * span * 0.55),
            (0, side * 5),
            textcoords="offset points",
            ha="center",
            va="top" if below else "bottom",
            fontsize=10,
            color=look.ink,
        )
