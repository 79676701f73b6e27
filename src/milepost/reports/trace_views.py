"""Views on sessions, attempt by attempt, and on players."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypedDict

from milepost.difficulty.players import FEWEST_PLAYERS
from milepost.reports.build_document import source_notes
from milepost.reports.interface import Column, View
from milepost.reports.notes_and_recordings import notes_view
from milepost.reports.views import count_column
from milepost.vocabulary import FINDINGS
from milepost.wording import NOTHING, clock, listed, logits, percent, plural, rate, safe, seconds, words

if TYPE_CHECKING:
    from milepost.difficulty.players import PlayerRow, SkillGroups
    from milepost.measures.trace import Traced, TracedRecord, TraceRow
    from milepost.reports.document_types import PlayersDocument, TraceDocument
    from milepost.reports.interface import AnyView

_DONE = {finding.code: finding.done for finding in FINDINGS}
_LETTERS = {"complete": "✓", "death": "✗", "reset": "r", "left": "→", "quit": "q", "time_up": "t", "crash": "!", "unknown": "?"}


def trace_view(report: TraceDocument) -> list[AnyView]:
    """Sessions attempt by attempt, or a strip for each where there are many."""
    several = len(report["traced"]) > 3
    views: list[AnyView] = [_strips(report)] if several else [_view_session(report, session) for session in report["traced"]]
    views += [_records(report)] if "records" in report else []
    return [*views, notes_view(report["noted"])] if report.get("noted") else views


def _records(report: TraceDocument) -> View[TracedRecord]:
    """Each record, and what it did."""
    of_session: Column[TracedRecord] = Column("session", lambda row: safe(row["session"]), left=True)
    columns: tuple[Column[TracedRecord], ...] = (
        *([of_session] if len(report["traced"]) > 1 else []),
        Column("clock", lambda row: clock(row["clock"])),
        Column("record", lambda row: safe(row["event"]), left=True),
        Column("level", lambda row: safe(row["level"] or ""), left=True),
        Column("to", lambda row: safe(row["to"] or ""), left=True, rank=2),
        Column("what it did", _word_deeds, left=True),
        Column("place", lambda row: safe(row["place"]), left=True, rank=1),
    )
    rows = report.get("records", [])
    unused = sum(not row["used"] for row in rows)
    notes = [f"{plural(len(rows), 'record')}, {unused} of them not used."] if unused else []
    return View("Record by record", columns, rows, notes)


def _word_deeds(row: TracedRecord) -> str:
    """What a record did, and what was found on it and done about it."""
    done = [f"{code}: {_DONE[code]}" for code in row["findings"]]
    return "; ".join([*map(safe, row["did"]), *done]) or ("" if row["used"] else "not used")


def _view_session(report: TraceDocument, session: Traced) -> View[TraceRow]:
    levels = [row for row in report["levels"] if row["session"] == session["session"]]
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
    return View(f"Session {safe(session['session'])}", columns, levels, notes)


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
        levels = [row for row in report["levels"] if row["session"] == session["session"]]
        strip = "".join(_LETTERS[row["outcome"]] for row in levels)
        rows.append(_Strip(session=session["session"], end=words(session["end"]), strip=strip, n=len(levels)))
    columns: tuple[Column[_Strip], ...] = (
        Column("session", lambda row: safe(row["session"]), left=True),
        count_column("attempts", "n"),
        Column("end", lambda row: row["end"], left=True, rank=1),
        Column("attempts in order", lambda row: row["strip"], left=True),
    )
    letters = listed([f"{letter} {words(name)}" for name, letter in _LETTERS.items()])
    return View("Sessions attempt by attempt", columns, rows, [f"{letters}.", *source_notes(report)])


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
        Column(
            "±", lambda row: NOTHING if row["skill_se"] is None else logits(row["skill_se"]), rank=1, full_title="error of skill"
        ),
        Column("ended", lambda row: words(row["ended"]), left=True, rank=1),
        Column("watch", lambda row: safe(row["watch"] or ""), left=True, rank=6, full_title="session to watch"),
    )
    rows = sorted(report["roster"], key=lambda row: (row["skill"] is None, row["skill"] or 0.0))
    notes = [
        _word_groups(report["groups"]),
        "Skill: logits beyond a middling player, shrunken towards all where little was played; ±: its standard error.",
        "Pace: a clearing try's time over all players' median, the median over levels; below 1 is faster.",
        *source_notes(report),
    ]
    return [View("Players, the least able first", columns, rows, notes)]


def _word_groups(groups: SkillGroups) -> str:
    """One spread, or two groups."""
    if groups["better"] is None:
        return f"Fewer than {FEWEST_PLAYERS} players with a settled try: too few to look for groups."
    count, p_value = plural(groups["players"], "player"), groups["p_value"] or 0.0
    if not groups["better"]:
        return f"One spread of skill describes these {count} as well as two groups do (p {p_value:.2f})."
    each = [f"{percent(share)} about {logits(mean, True)}" for share, mean in zip(groups["shares"], groups["means"], strict=True)]
    return f"Two groups describe these {count} better than one spread (p {p_value:.2f}): {listed(each)} logits."
