"""The document that every measuring command gives: the course, who counts, what was found, and the rows."""

from __future__ import annotations

from typing import Any

import numpy as np

from milepost.logs.course import Course
from milepost.measures.interface import Table
from milepost.playback.play import Play
from milepost.wording import listed, plural


def document(command: str, play: Play, table: Table) -> dict[str, Any]:
    """The JSON document of a measure; its keys are described in docs/output.md."""
    counts = play.counts
    return {
        "command": command,
        "course": {"levels": play.stops[: play.n_levels], "inferred": play.inferred},
        "players": int(counts.sum()),
        "sessions": int(counts[play.gated.player].sum()) if len(play.gated.player) else 0,
        "left_out": {
            "debug_sessions": play.gated.debug_sessions,
            "players_without_attempt": int(np.count_nonzero(~counts)),
        },
        "findings": play.finding_counts(),
        **table.totals,
        "levels": table.rows,
    }


def described(report: dict[str, Any], course: Course | None, least: int) -> dict[str, Any]:
    """The document with what its readers need beside the figures: notes of the course, and the least number of players."""
    levels = course.levels if course else ()
    notes = {level.name: level.note for level in levels if level.note}
    still_open = [level.name for level in levels if level.open]
    extra: dict[str, Any] = {"min_players": least}
    if notes:
        extra["notes"] = notes
    if still_open:
        extra["open_levels"] = still_open
    return report | extra


def source_notes(report: dict[str, Any]) -> list[str]:
    """The lines under every table: who counts, who was left out, what was found in the log."""
    left_out, findings = report["left_out"], report["findings"]
    who = f"{plural(report['players'], 'player')} in {plural(report['sessions'], 'session')}."
    absent = left_out["players_without_attempt"]
    gone = [plural(left_out["debug_sessions"], "debug session")] if left_out["debug_sessions"] else []
    gone += [f"{plural(absent, 'player')} without an attempt"] if absent else []
    who += f" Left out: {listed(gone)}." if gone else " Nobody was left out."
    if report["course"]["inferred"]:
        who += " No course was given: the order of the levels is inferred from who was where first."
    if not findings:
        return [who + " Nothing was found in the log."]
    common = sorted(findings.items(), key=lambda item: (-item[1], item[0]))
    named = [f"{code} {count:,}" for code, count in common[:3]]
    more = [plural(len(common) - 3, "more kind")] if len(common) > 3 else []
    return [who + f" Found in the log: {plural(sum(findings.values()), 'finding')} ({listed(named + more)})."]
