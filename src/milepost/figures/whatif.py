"""The figure of a what-if: players still playing, measured, projected, and with the change."""

from __future__ import annotations

from typing import TYPE_CHECKING

from milepost.difficulty.row_types import WhatIfRow
from milepost.figures.shared import draw_retention, names_at_ends, share_axis
from milepost.figures.style import Sheet, names_across, shorten
from milepost.reports.document_types import WhatIfDocument
from milepost.wording import listed, percent, plural

if TYPE_CHECKING:
    from matplotlib.axes import Axes


def draw_whatif(sheet: Sheet, document: WhatIfDocument) -> None:
    """Draw on an empty figure: three lines over the course, and a mark at each level that was changed."""
    rows, look = document["levels"], sheet.look
    sheet.title(
        finding(document),
        "Measured, with its 95 % band: players still there after each level. Projected: by the fitted model, in which "
        "players give up after failures alone.",
    )
    axes = sheet.axes(0.055, 0.21, 0.81, 0.66)
    share_axis(axes, look)
    if rows:
        draw_retention(axes, look, rows, document["min_players"])
        _draw_projected(axes, sheet, rows)
    names_across(axes, [row["level"] for row in rows])


def changed_levels(rows: list[WhatIfRow]) -> list[WhatIfRow]:
    """The levels that were changed."""
    return [row for row in rows if row["changed"] != row["difficulty"]]


def finding(document: WhatIfDocument) -> str:
    """Return a title on the effect of the change."""
    rows, gained = document["levels"], document["gained"]
    names = [shorten(row["level"], 22) for row in changed_levels(rows)]
    if not names:
        return "Nothing was changed"
    others = [plural(len(names) - 3, "more level")] if len(names) > 3 else []
    more = f"{abs(gained):.1f} {'more' if gained >= 0 else 'fewer'} of {plural(document['players'], 'player')}"
    return f"{listed(names[:3] + others)} changed: about {more} at the end"


def _draw_projected(axes: Axes, sheet: Sheet, rows: list[WhatIfRow]) -> None:
    look, place = sheet.look, range(len(rows))
    axes.plot(place, [row["projected"] for row in rows], color=look.faint, linewidth=1.4, linestyle="--")
    axes.plot(place, [row["projected_changed"] for row in rows], color=look.lantern, linewidth=2)
    for n, row in enumerate(rows):
        if row in changed_levels(rows):
            axes.axvline(n, color=look.lantern, linewidth=0.8, linestyle=":")
    ends = [
        (rows[-1]["projected"], "projected as it is", look.faint),
        (rows[-1]["projected_changed"], "with the change", look.lantern),
    ]
    ends.append((rows[-1]["retention"], f"measured: {percent(rows[-1]['retention'])}", look.water))
    names_at_ends(axes, len(rows) - 1, ends)
