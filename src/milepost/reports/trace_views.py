"""Views of sessions: one attempt by attempt, or a strip for each."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypedDict

from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.notes_and_recordings import notes_view
from milepost.reports.views import count_column
from milepost.wording import clock, listed, percent, safe, seconds, words

if TYPE_CHECKING:
    from milepost.measures.trace import Traced, TraceRow
    from milepost.reports.document_types import TraceDocument
    from milepost.reports.interface import AnyView

_LETTERS = {"complete": "✓", "death": "✗", "reset": "r", "left": "→", "quit": "q", "time_up": "t", "crash": "!", "unknown": "?"}


def trace_view(report: TraceDocument) -> list[AnyView]:
    """Sessions attempt by attempt, or a strip for each where there are many."""
    several = len(report["traced"]) > 3
    views: list[AnyView] = [_strips(report)] if several else [_one_session(report, session) for session in report["traced"]]
    return [*views, notes_view(report["noted"])] if report.get("noted") else views


def _one_session(report: TraceDocument, session: Traced) -> View[TraceRow]:
    own = [row for row in report["levels"] if row["session"] == session["session"]]
    columns: tuple[Column[TraceRow], ...] = (
        Column("clock", lambda row: clock(row["clock"])),
        Column("level", lambda row: safe(row["level"]), left=True),
        Column("try", lambda row: "void" if row["void"] else f"{row['try']}{' again' if row['rerun'] else ''}"),
        Column("lasted", lambda row: seconds(row["active"]) if row["active"] is not None else "unknown"),
        Column("ended", lambda row: _ending(row), left=True),
        Column("at", lambda row: _place_of_end(row), rank=1),
        Column("repairs", lambda row: ", ".join(row["repairs"]), left=True, rank=2),
    )
    tags = [f"{safe(name)} {safe(value)}" for name, value in sorted(session["tags"].items())]
    moves = [
        f"{clock(m['clock'])} {m['kind']} from {safe(m['from'])} to {safe(m['to'] or 'outside')}"
        for m in report["moves"]
        if m["session"] == session["session"] and m["kind"] != "advance"
    ]
    ended = f"The session ended at {clock(session['ended'])}: {words(session['end'])}."
    about = listed(
        [f"player {safe(session['player'])}", *([f"build {safe(session['build'])}"] if session["build"] else []), *tags]
    )
    recorded = f" Recording: {safe(session.get('link', session['recording']))}." if "recording" in session else ""
    notes = [f"{about[0].upper()}{about[1:]}. {ended}{recorded}", *([f"Other moves: {listed(moves)}."] if moves else [])]
    return View(f"Session {safe(session['session'])}", columns, own, notes)


def _place_of_end(row: TraceRow) -> str:
    """How far the attempt got, where it did not get to the end."""
    return "" if row["progress"] is None or row["outcome"] == "complete" else percent(row["progress"])


def _ending(row: TraceRow) -> str:
    return words(row["outcome"]) + (f" ({safe(row['cause'])})" if row["cause"] and row["cause"] != row["outcome"] else "")


class _Strip(TypedDict):
    """A session in letters."""

    session: str
    end: str
    strip: str
    n: int


def _strips(report: TraceDocument) -> View[_Strip]:
    """A letter an attempt, a column a level, so that a stretch of trouble shows."""
    rows = []
    for session in report["traced"]:
        own = [row for row in report["levels"] if row["session"] == session["session"]]
        strip = "".join(_LETTERS[row["outcome"]] for row in own)
        rows.append(_Strip(session=session["session"], end=words(session["end"]), strip=strip, n=len(own)))
    columns: tuple[Column[_Strip], ...] = (
        Column("session", lambda row: safe(row["session"]), left=True),
        count_column("attempts", "n"),
        Column("end", lambda row: row["end"], left=True, rank=1),
        Column("attempts in order", lambda row: row["strip"], left=True),
    )
    letters = listed([f"{letter} {words(name)}" for name, letter in _LETTERS.items()])
    return View("Sessions attempt by attempt", columns, rows, [f"{letters}.", *source_notes(report)])
