"""Suspects in the timing: units, bursts, doubled records, idle time, sessions at once, events that vanish."""

from __future__ import annotations

import numpy as np

from milepost.audit.evidence import Evidence, Suspect
from milepost.logs.interface import Bools, Floats, Ints
from milepost.vocabulary import EVENTS, N_SETTLED, PAUSE, RESET
from milepost.wording import seconds

PLAUSIBLE_TRY = (1.0, 1800.0)  # seconds; a median try outside is not believed
_UNITS = ((60.0, "frames"), (1e3, "milliseconds"), (1e6, "microseconds"))
BURST_SECONDS, BURST_RESETS = 0.1, 4
IDLE_SECONDS = 120.0
_TWINS = 0.8  # share of records with a twin from which everything seems doubled
_LAG_STEP = 1e-3  # seconds to which lags are compared
_EXPECTED = 10.0  # an event expected this often and not seen has vanished


def time_unit(evidence: Evidence) -> list[Suspect]:
    """A median try far from what a try can take."""
    table = evidence.play.attempts
    known = table.active[(table.outcome < N_SETTLED) & ~np.isnan(table.active)]
    if len(known) < 5:
        return []
    median = float(np.median(known))
    low, high = PLAUSIBLE_TRY
    if low <= median <= high:
        return []
    fitting = [unit for per_second, unit in _UNITS if 2 <= median / per_second <= 600]
    guess = f"are these {fitting[0]}?" if median > high and fitting else "which unit do the times have?"
    why = f"the median try takes {seconds(median)}: {guess} Set [time] unit in a log map"
    return [Suspect("time_unit", [], len(known), frozenset(table.session.tolist()), why)]


def reset_burst(evidence: Evidence) -> list[Suspect]:
    """Resets that follow each other faster than any hand."""
    rows = np.flatnonzero(evidence.event == RESET)
    quick = np.zeros(len(rows), np.bool_)
    quick[1:] = _same(evidence, rows) & (np.diff(evidence.time[rows]) <= BURST_SECONDS)
    run = 0
    burst = np.zeros(len(rows), np.bool_)
    for place, follows in enumerate(quick.tolist()):
        run = run + 1 if follows else 0
        if run + 1 >= BURST_RESETS:
            burst[place - run : place + 1] = True
    return _records(evidence, rows[burst], "reset_burst", "resets every frame: one cause seems to fire as long as it lasts")


def _same(evidence: Evidence, rows: Ints) -> Bools:
    """Whether neighbouring rows are of one session and level."""
    same: Bools = (np.diff(evidence.session[rows]) == 0) & (np.diff(evidence.level[rows]) == 0)
    return same


def _records(evidence: Evidence, rows: Ints, code: str, why: str) -> list[Suspect]:
    if not len(rows):
        return []
    levels = evidence.level[rows]
    return [Suspect(code, evidence.names(levels[levels >= 0]), len(rows), frozenset(evidence.session[rows].tolist()), why)]


def doubled_logic(evidence: Evidence) -> list[Suspect]:
    """Sessions in which every event comes a second time, always the same moment later."""
    length = np.diff(evidence.play.gated.bounds)
    doubled, lags = _common_lags(evidence, length)
    if not len(doubled):
        return []
    why = f"every event comes twice, {np.median(lags):.3g} s apart: do two copies of the logic run?"
    return [Suspect("doubled_logic", [], int(length[doubled].sum()), frozenset(doubled.tolist()), why)]


def _common_lags(evidence: Evidence, length: Ints) -> tuple[Ints, Floats]:
    """The sessions of which nearly every event is repeated at one lag, and that lag."""
    session, step = _lags(evidence)
    if not len(session):
        return np.zeros(0, np.int64), np.zeros(0)
    span = int(step.max()) + 3
    keys, counts = np.unique(session * span + step, return_counts=True)
    commonest = np.lexsort((keys, -counts, keys // span))
    best = commonest[np.diff(keys[commonest] // span, prepend=-1) != 0]
    near = counts[best].copy()
    for side in (-1, 1):  # a lag may fall on either side of a step
        place = np.minimum(np.searchsorted(keys, keys[best] + side), len(keys) - 1)
        near += np.where(keys[place] == keys[best] + side, counts[place], 0)
    of = keys[best] // span
    twice = (length[of] >= 10) & (near >= _TWINS * length[of] / 2)
    return of[twice], (keys[best] % span)[twice] * _LAG_STEP


def _lags(evidence: Evidence) -> tuple[Ints, Ints]:
    """For each event that came before at its level in its session: the session, and how many steps of time ago."""
    if not len(evidence.event):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    kind = evidence.event * (evidence.level.max() + 2) + evidence.level
    key = evidence.session * (kind.max() - kind.min() + 1) + kind - kind.min()
    order = np.lexsort((evidence.time, key))
    lag = np.diff(evidence.time[order])
    again = (np.diff(key[order]) == 0) & (lag > 0)
    return evidence.session[order][1:][again], np.round(lag[again] / _LAG_STEP).astype(np.int64)


def idle_span(evidence: Evidence) -> list[Suspect]:
    """Long silences within an attempt, without a pause."""
    table = evidence.play.attempts
    count = len(evidence.event)
    change = np.zeros(count + 1, np.int64)
    np.add.at(change, table.opened_at, 1)
    np.add.at(change, table.closed_at, -1)
    inside = np.cumsum(change)[: max(0, count - 1)] > 0
    silent = inside & (np.diff(evidence.time) > IDLE_SECONDS) & (np.diff(evidence.session) == 0)
    rows = np.flatnonzero(silent & (evidence.event[: max(0, count - 1)] != PAUSE))
    return _records(
        evidence, rows, "idle_span", f"nothing logged for over {IDLE_SECONDS:.0f} s within an attempt, and no pause"
    )


def overlapping_sessions(evidence: Evidence) -> list[Suspect]:
    """Sessions of one player that run at the same time."""
    gated = evidence.play.gated
    spans: dict[int, list[tuple[float, float, int]]] = {}
    for session, epoch in enumerate(gated.log.sessions.epoch):
        own = evidence.time[gated.bounds[session] : gated.bounds[session + 1]]
        if epoch is not None and len(own):
            begin = epoch / 1e9
            spans.setdefault(int(gated.player[session]), []).append((begin + own.min(), begin + own.max(), session))
    found: set[int] = set()
    for own_spans in spans.values():
        own_spans.sort()
        for before, after in zip(own_spans, own_spans[1:], strict=False):
            if after[0] < before[1] - 1.0:
                found |= {before[2], after[2]}
    why = "sessions of one player run at the same time: do two people share the name?"
    return [Suspect("overlapping_sessions", [], len(found), frozenset(found), why)] if found else []


def vanished_event(evidence: Evidence) -> list[Suspect]:
    """Event words that one build logs and another, with as much play, never does."""
    codes: dict[str, int] = {}
    build = np.array([codes.setdefault(name, len(codes)) for name in evidence.builds], dtype=np.int64)
    if len(codes) < 2:
        return []
    counts = np.zeros((len(codes), len(EVENTS)), np.int64)
    np.add.at(counts, (build[evidence.session], evidence.event), 1)
    total = counts.sum(axis=1)
    found = []
    for name, code in codes.items():
        others = np.delete(counts, code, axis=0).sum(axis=0) / max(1, np.delete(total, code).sum())
        for event in np.flatnonzero((counts[code] == 0) & (others * total[code] >= _EXPECTED)).tolist():
            why = f"build {name or 'without a name'} never logs {EVENTS[event]}, which other builds do"
            sessions = frozenset(np.flatnonzero(build == code).tolist())
            expected = round(float(others[event] * total[code]))
            found.append(Suspect("vanished_event", [], expected, sessions, f"{why} (about {expected} would be expected)",
                                 [name] if name else []))  # fmt: skip
    return found
