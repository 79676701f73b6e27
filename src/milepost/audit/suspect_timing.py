"""Suspects in the timing: units, bursts, doubled records, idle time, sessions at once, events that vanish."""

from __future__ import annotations

from math import log
from typing import Final

import numpy as np

from milepost.audit.evidence import Evidence, Suspect
from milepost.audit.signs import IDLE_SECONDS
from milepost.measures.cells import cells
from milepost.playback.tallies import tallies_of
from milepost.vocabulary import EVENTS, N_SETTLED
from milepost.wording import seconds

# How many of each a second has.
_UNITS: Final = {"hours": 1 / 3600, "minutes": 1 / 60, "seconds": 1.0, "frames": 60.0, "milliseconds": 1e3, "microseconds": 1e6}
_TOLD: Final = ("frames", "milliseconds", "microseconds")  # those that a log map can set
_TELLING: Final = 5.0  # by how much another unit has to fit better, in squared standard deviations
_SHORTEST: Final = 1.0  # seconds; a median try that is shorter is not believed
_WHOLE: Final = 0.98  # share of whole numbers among times that are counted
_EXPECTED = 10.0  # an event expected this often and not seen has vanished


def time_unit(evidence: Evidence) -> list[Suspect]:
    """Times that fit another unit far better than seconds: by tries, gaps, whole numbers and planned times together."""
    table = evidence.play.attempts
    known = table.active[(table.outcome < N_SETTLED) & (table.active > 0)]
    if len(known) < 5 or all(epoch is not None for epoch in evidence.play.gated.log.sessions.epoch):
        return []
    signs = _signs_of_unit(evidence, float(np.median(known)))
    odd = {
        unit: sum(((log(value) - log(usual) - log(size)) / spread) ** 2 for value, usual, spread in signs)
        for unit, size in _UNITS.items()
    }
    counted = tallies_of(evidence.play).whole >= _WHOLE  # frames and milliseconds are counted
    short = float(np.median(known)) < _SHORTEST
    odd = {unit: value for unit, value in odd.items() if unit == "seconds" or (counted if unit in _TOLD else short)}
    best = min(odd, key=lambda unit: odd[unit])
    if best == "seconds" or odd["seconds"] - odd[best] < _TELLING:
        return []
    guess = f"are these {best}?" if best in _TOLD else "which unit do the times have?"
    why = f"the median try takes {seconds(float(np.median(known)))}: {guess} Set [time] unit in a log map"
    return [Suspect("time_unit", [], len(known), frozenset(table.session.tolist()), why)]


def _signs_of_unit(evidence: Evidence, typical: float) -> list[tuple[float, float, float]]:
    """Figures that tell of the unit, each with what it is in seconds as a rule, and how far its logarithm spreads."""
    play = evidence.play
    signs = [(typical, 30.0, 1.3)]
    gaps = tallies_of(play).gap
    if gaps is not None:
        signs.append((gaps, 8.0, 1.3))
    course = play.course.levels if play.course else ()
    cell = cells(play)
    over = [
        float(np.median(own)) / level.par_seconds
        for n, level in enumerate(course)
        if level.par_seconds and len(own := cell.seconds[(cell.level == n) & cell.cleared & ~cell.untimed & (cell.seconds > 0)])
    ]
    if over:
        signs.append((float(np.median(over)), 1.2, 0.7))
    return signs


def reset_burst(evidence: Evidence) -> list[Suspect]:
    """Resets that follow each other faster than any hand."""
    why = "resets every frame: one cause seems to fire as long as it lasts"
    return evidence.by_rows("reset_burst", evidence.signs.bursts, why)


def doubled_logic(evidence: Evidence) -> list[Suspect]:
    """Sessions in which every event comes a second time, always the same moment later."""
    doubled = evidence.signs.doubled
    if not len(doubled.session):
        return []
    why = f"every event comes twice, {np.median(doubled.lag):.3g} s apart: do two copies of the logic run?"
    return [Suspect("doubled_logic", [], int(doubled.records.sum()), frozenset(doubled.session.tolist()), why)]


def overlay_storm(evidence: Evidence) -> list[Suspect]:
    """A word that is not ours, many times in a second, as when something is drawn or asked anew in every frame."""
    why = "a word that is none of ours, more than four times in a second: does something fire in every frame?"
    return evidence.by_rows("overlay_storm", evidence.signs.storms, why)


def idle_span(evidence: Evidence) -> list[Suspect]:
    """Long silences within an attempt, without a pause."""
    why = f"nothing logged for over {IDLE_SECONDS:.0f} s within an attempt, and no pause"
    return evidence.by_rows("idle_span", evidence.signs.idle, why)


def overlapping_sessions(evidence: Evidence) -> list[Suspect]:
    """Sessions of one player that run at the same time."""
    gated, times = evidence.play.gated, evidence.play.session_times
    spans: dict[int, list[tuple[float, float, int]]] = {}
    for session, epoch in enumerate(gated.log.sessions.epoch):
        least, most = float(times.least[session]), float(times.most[session])
        if epoch is not None and least == least:  # NaN: nothing of it is replayed
            begin = epoch / 1e9
            spans.setdefault(int(gated.player[session]), []).append((begin + least, begin + most, session))
    found: set[int] = set()
    later: set[int] = set()
    for own_spans in spans.values():
        own_spans.sort()
        for before, after in zip(own_spans, own_spans[1:], strict=False):
            if after[0] < before[1] - 1.0:
                found |= {before[2], after[2]}
                later.add(after[2])
    why = "sessions of one player run at the same time: do two people share the name?"
    return [Suspect("overlapping_sessions", [], len(found), frozenset(found), why, leaves=frozenset(later))] if found else []


def vanished_event(evidence: Evidence) -> list[Suspect]:
    """Event words that one build logs and another, with as much play, never does."""
    codes: dict[str, int] = {}
    build = np.array([codes.setdefault(name, len(codes)) for name in evidence.builds], dtype=np.int64)
    if len(codes) < 2:
        return []
    counts = evidence.events_by_build(build, len(codes))
    total = counts.sum(axis=1)
    found = []
    for name, code in codes.items():
        others = np.delete(counts, code, axis=0).sum(axis=0) / max(1, np.delete(total, code).sum())
        for event in np.flatnonzero((counts[code] == 0) & (others * total[code] >= _EXPECTED)).tolist():
            why = f"build {name or 'without a name'} never logs {EVENTS[event]}, which other builds do"
            sessions = frozenset(np.flatnonzero(build == code).tolist())
            expected = round(float(others[event] * total[code]))
            found.append(
                Suspect(
                    "vanished_event",
                    [],
                    expected,
                    sessions,
                    f"{why} (about {expected} would be expected)",
                    [name] if name else [],
                )
            )
    return found
