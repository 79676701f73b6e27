"""Suspects in the timing: units, bursts, doubled records, idle time, sessions at once, events that vanish."""

from __future__ import annotations

import numpy as np

from milepost.audit.evidence import Evidence, Suspect
from milepost.audit.record_checks import IDLE_SECONDS
from milepost.audit.time_unit import guessed_unit
from milepost.vocabulary import EVENTS

_EXPECTED = 10.0  # an event expected this often and not seen has vanished


def time_unit(evidence: Evidence) -> list[Suspect]:
    """Times that fit another unit far better than seconds: by tries, gaps, whole numbers and planned times together."""
    guess = guessed_unit(evidence.play)
    if guess is None:
        return []
    sessions = frozenset(evidence.play.attempts.session.tolist())
    return [Suspect("time_unit", [], guess.tries, sessions, guess.why, weight="high")]


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
