"""Sessions as strips: one under the other, a level a column, so that a stretch of trouble is seen as a column."""

from __future__ import annotations

from milepost.figures.shared import collect_marks
from milepost.figures.style import Sheet, names_across, shorten
from milepost.measures.trace import TraceRow
from milepost.reports.document_types import TraceDocument
from milepost.wording import plural, words

# Told apart by shape as well as by colour.
_MARKS = {
    "complete": ("|", "water"),
    "death": ("x", "brick"),
    "reset": ("+", "lantern"),
    "left": (">", "faint"),
    "quit": ("s", "brick"),
    "time_up": ("D", "faint"),
    "crash": ("*", "brick"),
    "unknown": ("o", "faint"),
}
_MOST_NAMES = 90


def draw_trace(sheet: Sheet, document: TraceDocument) -> None:
    """Draw on an empty figure: one session along its clock, or many along the course."""
    if len(document["traced"]) == 1:
        _draw_one(sheet, document)
    else:
        _draw_many(sheet, document)


def _draw_one(sheet: Sheet, document: TraceDocument) -> None:
    rows, session = document["levels"], document["traced"][0]
    failures = sum(row["outcome"] in ("death", "reset") for row in rows)
    sheet.title(
        f"{shorten(session['session'], 40)}: {plural(len(rows), 'attempt')}, {plural(failures, 'failure')}; its end: "
        f"{words(session['end'])}",
        "A bar is an attempt, from its opening to its closing; the mark at its end says how it ended.",
    )
    axes = sheet.axes(0.17, 0.09, 0.8, 0.74)
    names = list(dict.fromkeys(row["level"] for row in rows))
    places = [names.index(row["level"]) for row in rows]
    begun, lasted = [row["clock"] / 60 for row in rows], [(row["until"] - row["clock"]) / 60 for row in rows]
    axes.barh(places, lasted, left=begun, color=sheet.look.pale, height=0.5)
    with collect_marks(axes) as marks:
        for row, place in zip(rows, places, strict=True):
            shape, colour = _MARKS[row["outcome"]]
            marks.plot(row["until"] / 60, place, shape, color=sheet.look.of(colour), markersize=9, markeredgewidth=2)
    axes.set_yticks(range(len(names)), [shorten(name) for name in names], fontsize=min(10.5, 400 / max(1, len(names))))
    axes.set_ylim(len(names) - 0.5, -0.5)
    axes.set_xlabel("minutes on the session's clock", color=sheet.look.ink)
    axes.grid(axis="x", color=sheet.look.grid)
    _key(sheet, rows)


def _draw_many(sheet: Sheet, document: TraceDocument) -> None:
    rows, sessions = document["levels"], [session["session"] for session in document["traced"]]
    levels = list(document["course"]["levels"])
    failures: dict[str, int] = {}
    for row in rows:
        failures[row["level"]] = failures.get(row["level"], 0) + (row["outcome"] in ("death", "reset"))
    worst = max(levels, key=lambda level: failures.get(level, 0), default="")
    sheet.title(
        f"{plural(len(sessions), 'session')}: failures pile up at {shorten(worst, 26)} ({failures.get(worst, 0)})",
        "A row is a session, a column a level; a mark is an attempt, in its order.",
    )
    axes = sheet.axes(0.15, 0.2, 0.83, 0.64)
    tries: dict[tuple[str, str], list[TraceRow]] = {}
    for row in rows:
        if row["level"] in levels:
            tries.setdefault((row["session"], row["level"]), []).append(row)
    size = max(1.5, min(6.0, 240 / max(1, len(sessions))))
    with collect_marks(axes) as marks:
        for (session, level), attempts in tries.items():
            for number, row in enumerate(attempts):
                shape, colour = _MARKS[row["outcome"]]
                spot = levels.index(level) - 0.42 + 0.84 * (number + 0.5) / len(attempts)
                marks.plot(spot, sessions.index(session), shape, color=sheet.look.of(colour), markersize=size)
    names = [shorten(name, 18) for name in sessions] if len(sessions) <= _MOST_NAMES else []
    axes.set_yticks(range(len(names)), names, fontsize=min(9.0, 340 / max(1, len(sessions))))
    names_across(axes, levels)
    axes.set_ylim(len(sessions) - 0.5, -0.5)
    axes.vlines([n + 0.5 for n in range(len(levels) - 1)], -0.5, len(sessions) - 0.5, color=sheet.look.grid, linewidth=0.6)
    _key(sheet, rows)


def _key(sheet: Sheet, rows: list[TraceRow]) -> None:
    """The marks that are in the figure, with their meaning."""
    from matplotlib.lines import Line2D

    seen = [outcome for outcome in _MARKS if any(row["outcome"] == outcome for row in rows)]
    handles = [Line2D([], [], linestyle="", marker=_MARKS[o][0], color=sheet.look.of(_MARKS[o][1]), label=words(o)) for o in seen]
    sheet.figure.legend(
        handles=handles, loc="upper right", bbox_to_anchor=(0.985, 0.905), ncols=len(seen), frameon=False, fontsize=9.5
    )
