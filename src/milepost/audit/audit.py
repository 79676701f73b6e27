"""The audit of a log: what is in it, what was found, what was done about it, and how far that moves the answer."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np

from milepost.arrays import Bools
from milepost.audit import suspect_names, suspect_play, suspect_timing
from milepost.audit.evidence import Evidence, Suspect
from milepost.audit.moved import moved, raw_beside_clean
from milepost.course.course import KnownFault
from milepost.logs.interface import Place, refused_in_all
from milepost.measures.interface import Row, Table
from milepost.numerics.whole_numbers import distinct
from milepost.playback.play import Play
from milepost.playback.tallies import PLACES, tallies_of, unknown_words
from milepost.vocabulary import EVENTS, FINDINGS, Finding

RULES: tuple[Callable[[Evidence], list[Suspect]], ...] = (
    suspect_timing.time_unit, suspect_names.similar_names, suspect_names.past_the_end, suspect_play.untagged_skip,
    suspect_play.start_override, suspect_play.passed_level, suspect_play.carried_over, suspect_play.unprompted_reset,
    suspect_timing.reset_burst, suspect_timing.doubled_logic, suspect_timing.vanished_event,
    suspect_play.death_before_input, suspect_play.stuck, suspect_timing.idle_span,
    suspect_timing.overlapping_sessions, suspect_play.uncleared_level,
)  # fmt: skip


def audit(play: Play) -> Table:
    """The audit: totals with details, suspects and what moved; a row a level with raw beside clean figures.

    Faults that are declared in the course are labelled as known.
    """
    known = play.course.known_faults if play.course else ()
    rows = raw_beside_clean(play)
    evidence = Evidence(play)
    suspects = [suspect for rule in RULES for suspect in rule(evidence)]
    return Table(
        rows,
        {
            **contents(play),
            "details": [_labelled(detail, known, evidence) for detail in details(play)],
            "suspects": [_labelled(_as_row(suspect), known, evidence) for suspect in suspects],
            "moved": moved(rows, int(play.counts.sum())),
        },
    )


def contents(play: Play) -> Row:
    """What is in the log: counts of everything, records used and reported adding up to all."""
    log, tallies = play.gated.log, tallies_of(play)
    refused = refused_in_all(log.refused)
    total = tallies.records + refused
    named = [build for build in log.sessions.build if build is not None]
    return {
        "files": log.files,
        "records": total,
        "used": tallies.records - tallies.dropped,
        "reported": tallies.dropped + refused,
        "builds": {build: named.count(build) for build in sorted(set(named))},
        "events": {word: count for word, count in zip(EVENTS, tallies.events.tolist(), strict=True) if count},
        "unknown_words": dict(sorted(unknown_words(play).items(), key=lambda item: (-item[1], item[0]))),
        "map": log.map_use,
        "levels_seen": len(distinct(play.attempts.level)),
        **_span(play),
    }


def _span(play: Play) -> Row:
    """From when to when the sessions run (with time stamps), and how long the longest and the median one is."""
    lengths = tallies_of(play).seconds
    stamps = [epoch for epoch in play.gated.log.sessions.epoch if epoch is not None]
    return {
        "first_day": _day(min(stamps)) if stamps else None,
        "last_day": _day(max(stamps)) if stamps else None,
        "median_session": float(np.median(lengths)) if len(lengths) else None,
        "longest_session": float(lengths.max()) if len(lengths) else None,
    }


def _day(epoch: int) -> str | None:
    from datetime import UTC, datetime, timedelta

    try:
        return (datetime(1970, 1, 1, tzinfo=UTC) + timedelta(microseconds=epoch // 1000)).date().isoformat()
    except OverflowError:
        return None


def details(play: Play) -> list[Row]:
    """Each finding: count, sessions, share of sessions, what was done, weight, and the first places."""
    found = [_refused(play)] if play.gated.log.refused else []
    for number, finding in enumerate(FINDINGS[1:], 1):
        if finding.code == "coarse_clock":
            found += _session_detail(play, finding.code, play.gated.coarse)
        elif finding.code == "no_session_end":
            found += _session_detail(play, finding.code, play.endless)
        elif number in tallies_of(play).findings:
            own = tallies_of(play).findings[number]
            found.append(_detail(play, finding.code, own.records, own.sessions, own.places))
    return sorted(found, key=lambda detail: -detail["count"])


def _detail(play: Play, code: str, count: int, sessions: int, places: Iterable[Place]) -> Row:
    log = play.gated.log
    finding = next(finding for finding in FINDINGS if finding.code == code)
    shown = [f"{log.files[place.file]}:{place.line}" for place in places]
    return _row(finding, count, sessions, len(log.sessions.name), shown)


def _row(finding: Finding, count: int, sessions: int, of: int, places: list[str]) -> Row:
    return {
        "code": finding.code, "count": count, "sessions": sessions, "session_share": sessions / of if of else None,
        "meaning": finding.meaning, "done": finding.done, "weight": finding.weight, "places": places,
    }  # fmt: skip


def _refused(play: Play) -> Row:
    log = play.gated.log
    places = [f"{log.files[item.place.file]}:{item.place.line} ({item.reason})" for item in log.refused[:PLACES]]
    sessions = {item.session for item in log.refused if item.session is not None}
    return _row(FINDINGS[0], refused_in_all(log.refused), len(sessions), len(log.sessions.name), places)


def _session_detail(play: Play, code: str, where: Bools) -> list[Row]:
    """A finding that is counted by session; its places are the sessions' last records."""
    sessions = np.flatnonzero(where)
    if not len(sessions):
        return []
    filled = sessions[play.session_times.file[sessions] >= 0][:PLACES]
    places = zip(play.session_times.file[filled].tolist(), play.session_times.line[filled].tolist(), strict=True)
    return [_detail(play, code, len(sessions), len(sessions), itertools.starmap(Place, places))]


def _as_row(suspect: Suspect) -> Row:
    return {
        "code": suspect.code, "levels": suspect.levels, "count": suspect.count, "sessions": len(suspect.sessions),
        "why": suspect.why, "builds": suspect.builds,
    }  # fmt: skip


def _labelled(row: Row, known: tuple[KnownFault, ...], evidence: Evidence) -> Row:
    """The row with the note of a declared fault that it is an instance of, if there is one."""
    for fault in known:
        levels: list[str] = row.get("levels", [])
        here = fault.level is None or fault.level in levels
        built = fault.build is None or fault.build in (row.get("builds") or evidence.builds)
        if fault.code == row["code"] and here and built:
            return row | {"known": fault.note or True}
    return row | {"known": None}


def hit(document: dict[str, Any], weight: str) -> bool:
    """Whether anything at least as weighty as ``weight`` was found that is not declared as known."""
    order = ("low", "medium", "high")
    heavy = order[order.index(weight) :]
    suspects = any(row["known"] is None for row in document["suspects"]) and weight != "high"
    return suspects or any(row["weight"] in heavy and row["known"] is None for row in document["details"])
