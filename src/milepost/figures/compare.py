"""Two builds side by side as a figure: what each level did, beside what all did together."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from milepost.comparison.row_types import CompareRow
from milepost.comparison.sentences import Phrases
from milepost.figures.shared import MarkBatch, collect_marks
from milepost.figures.style import Palette, Sheet, names_across, shorten
from milepost.reports.document_types import CompareDocument
from milepost.wording import listed, plural

if TYPE_CHECKING:
    from matplotlib.axes import Axes

# Told apart by shape as well as by colour.
_SHAPES: Final = {"harder": ("^", "brick"), "easier": ("v", "water"), "same": ("s", "faint"), "no_telling": ("o", "faint")}
_SAME: Final = 0.5  # logits to each side of the shift that are nothing to a player
_ROOM: Final = 0.35
_MOST: Final = 6.0  # logits; what lies beyond is drawn at the edge


def draw_compare(sheet: Sheet, document: CompareDocument) -> None:
    """Draw on an empty figure: levels in order, what each did with its interval, and the shift as a line."""
    rows, look = document["levels"], sheet.look
    compared = document["compared"]
    before, after = shorten(compared["before"], 20), shorten(compared["after"], 20)
    builds = compared["key"] == "build"
    claim = f"got harder from {before} to {after}" if builds else f"are harder with {after} than with {before}"
    common = "what all did together" if builds else "what all have in common"
    sheet.title(
        finding(document),
        f"Logits by which levels {claim}, with 95 % intervals. Line: {common}; band: the same for all that matters."
        + (" Diamonds: a knob was changed there." if builds else ""),
    )
    axes = sheet.axes(0.055, 0.21, 0.925, 0.65)
    axes.grid(axis="y", color=look.grid)
    axes.axhline(0, color=look.grid, linewidth=1.4)
    shift = document["shift"]["size"] or 0.0
    axes.axhspan(shift - _SAME, shift + _SAME, color=look.pale, alpha=0.45, linewidth=0)
    axes.axhline(shift, color=look.water, linewidth=1.4)
    with collect_marks(axes) as marks:
        for place, row in enumerate(rows):
            _draw_level((axes, marks), look, place, row, shift)
    names_across(axes, [row["level"] for row in rows])
    low, high = axes.get_ylim()
    axes.set_ylim(max(low, shift - _MOST) - _ROOM, min(high, shift + _MOST) + 2 * _ROOM)
    _mark_knobs(axes, look, rows)
    axes.set_ylabel(f"harder in {after} by (logits)", color=look.ink)


def finding(document: CompareDocument) -> str:
    """Return a title on what got easier and harder."""
    rows, compared = document["levels"], document["compared"]
    words = Phrases(compared["key"], shorten(compared["before"], 16), shorten(compared["after"], 16), causal=False)
    parts = []
    for verdict in ("easier", "harder"):
        names = [shorten(row["level"], 20) for row in rows if row["verdict"] == verdict]
        more = [plural(len(names) - 3, "more")] if len(names) > 3 else []
        claim = words.verdict(verdict)
        claim = claim if words.builds or len(names) < 2 else claim.replace("is ", "are ", 1)
        parts += [f"{listed(names[:3] + more)} {claim}"] if names else []
    shift = document["shift"]
    size, low, high = shift["size"], shift["low"], shift["high"]
    if size is not None and low is not None and high is not None and not low <= 0 <= high:
        parts.append(words.verdict_of_all("harder" if size > 0 else "easier").replace("All", "all", 1))
    return "; ".join(parts) or "Too few players to say that any level is harder or easier"


def _draw_level(on: tuple[Axes, MarkBatch], look: Palette, place: int, row: CompareRow, shift: float) -> None:
    (axes, marks), verdict = on, row["verdict"]
    if verdict is None or row["delta"] is None:
        if row["status"] != "both":
            axes.text(place, shift, row["status"], rotation=90, ha="center", va="center", fontsize=9, color=look.faint)
        return
    shape, role = _SHAPES[verdict]
    colour = look.of(role)
    low = -_MOST if row["delta_low"] is None else max(-_MOST, row["delta_low"])
    high = _MOST if row["delta_high"] is None else min(_MOST, row["delta_high"])
    middle = max(-_MOST, min(_MOST, row["delta"]))
    marks.plot([place, place], [shift + low, shift + high], color=colour, linewidth=1.4)
    is_claimed = verdict in ("harder", "easier")
    marks.plot(
        place,
        shift + middle,
        shape,
        color=colour,
        markersize=11 if is_claimed else 7,
        markerfacecolor=look.paper if verdict == "no_telling" else colour,
    )
    if is_claimed:
        end, away, side = (high, 5, "bottom") if verdict == "harder" else (low, -5, "top")
        axes.annotate(
            f"{shorten(row['level'], 20)}\n{verdict}",
            (place, shift + end),
            (0, away),
            textcoords="offset points",
            ha="center",
            va=side,
            fontsize=10,
            color=colour,
        )


def _mark_knobs(axes: Axes, look: Palette, rows: list[CompareRow]) -> None:
    """Diamonds at the foot of levels of which a knob was changed."""
    bottom = axes.get_ylim()[0]
    changed = [place for place, row in enumerate(rows) if row["knobs"]]
    axes.plot(changed, [bottom] * len(changed), "D", color=look.lantern, markersize=6, clip_on=False)
