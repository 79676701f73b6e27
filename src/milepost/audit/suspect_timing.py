"""Suspects in the timing: units, bursts, doubled records, idle time, sessions at once, events that vanish."""

from __future__ import annotations

from math import log
from typing import Final, NamedTuple

import numpy as np

from milepost.audit.evidence import Evidence, Suspect
from milepost.audit.record_checks import IDLE_SECONDS
from milepost.measures.time_counts import TypicalTimes
from milepost.playback.play import Summed
from milepost.playback.tallies import get_tallies
from milepost.vocabulary import EVENTS
from milepost.wording import seconds

_EXPECTED = 10.0  # an event expected this often and not seen has vanished


def time_unit(evidence: Evidence) -> list[Suspect]:
    """Times that fit another unit far better than seconds: by tries, gaps, whole numbers and planned times together."""
    guess = guess_unit(evidence.play)
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
    overlapping: set[int] = set()
    later: set[int] = set()
    for own_spans in spans.values():
        own_spans.sort()
        for before, after in zip(own_spans, own_spans[1:], strict=False):
            if after[0] < before[1] - 1.0:
                overlapping |= {before[2], after[2]}
                later.add(after[2])
    why = "sessions of one player run at the same time: do two people share the name?"
    return (
        [Suspect("overlapping_sessions", [], len(overlapping), frozenset(overlapping), why, leaves=frozenset(later))]
        if overlapping
        else []
    )


def vanished_event(evidence: Evidence) -> list[Suspect]:
    """Event words that one build logs and another, with as much play, never does."""
    codes: dict[str, int] = {}
    build = np.array([codes.setdefault(name, len(codes)) for name in evidence.builds], dtype=np.int64)
    if len(codes) < 2:
        return []
    counts = evidence.events_by_build(build, len(codes))
    total = counts.sum(axis=1)
    suspects = []
    for name, code in codes.items():
        others = np.delete(counts, code, axis=0).sum(axis=0) / max(1, np.delete(total, code).sum())
        for event in np.flatnonzero((counts[code] == 0) & (others * total[code] >= _EXPECTED)).tolist():
            why = f"build {name or 'without a name'} never logs {EVENTS[event]}, which other builds do"
            sessions = frozenset(np.flatnonzero(build == code).tolist())
            expected = round(float(others[event] * total[code]))
            suspects.append(
                Suspect(
                    "vanished_event",
                    [],
                    expected,
                    sessions,
                    f"{why} (about {expected} would be expected)",
                    [name] if name else [],
                )
            )
    return suspects


# How many of each a second has, and how a log map says so.
_UNITS: Final = {
    "days": 1 / 86_400,
    "hours": 1 / 3600,
    "minutes": 1 / 60,
    "seconds": 1.0,
    "frames": 60.0,
    "milliseconds": 1e3,
    "microseconds": 1e6,
    "nanoseconds": 1e9,
}
_SET_BY: Final = {
    "days": 'unit = "days"',
    "hours": 'unit = "h"',
    "minutes": 'unit = "min"',
    "frames": 'unit = "frames" and rate = 60',
    "milliseconds": 'unit = "ms"',
    "microseconds": 'unit = "us"',
    "nanoseconds": 'unit = "ns"',
}
_COUNTED: Final = ("frames", "milliseconds", "microseconds", "nanoseconds")  # which have no fractions
_TELLING: Final = 5.0  # by how much another unit has to fit better, in squared standard deviations
_SHORTEST: Final = 1.0  # seconds; a median try that is shorter is not believed
_WHOLE: Final = 0.98  # share of whole numbers among times that are counted
_LEAST: Final = 5  # tries


class Guess(NamedTuple):
    """A unit that fits far better than seconds.

    Attributes:
        unit: its name.
        tries: how many tries say so.
        why: what was seen and what to do, as a sentence without its stop.
    """

    unit: str
    tries: int
    why: str


def guess_unit(play: Summed) -> Guess | None:
    """The unit that fits a log's times far better than seconds; None where there is none, or all times are stamps."""
    times = play.sums(TypicalTimes)
    typical = times.settled.median()
    if typical is None or times.settled.total < _LEAST or not times.numeric:
        return None
    signs = _signs(play, typical)
    odd = {
        unit: sum(((log(value) - log(usual) - log(size)) / spread) ** 2 for value, usual, spread in signs)
        for unit, size in _UNITS.items()
    }
    counted, short = get_tallies(play).whole >= _WHOLE, typical < _SHORTEST
    odd = {unit: value for unit, value in odd.items() if unit == "seconds" or (counted if unit in _COUNTED else short)}
    best = min(odd, key=lambda unit: odd[unit])
    if best == "seconds" or odd["seconds"] - odd[best] < _TELLING:
        return None
    took = seconds(typical) if typical >= 0.1 else f"{typical:.2g} s"
    why = f"the median try takes {took}: are these {best}? Set {_SET_BY[best]} under [time] in a log map"
    return Guess(best, times.settled.total, why)


def _signs(play: Summed, typical: float) -> list[tuple[float, float, float]]:
    """Figures that show the unit, each with what it is in seconds as a rule, and how far its logarithm spreads."""
    signs = [(typical, 30.0, 1.3)]
    gaps = get_tallies(play).gap
    if gaps is not None:
        signs.append((gaps, 8.0, 1.3))
    to_clear = play.sums(TypicalTimes).to_clear
    over = [
        median / level.par_seconds
        for n, level in enumerate(play.course.levels if play.course else ())
        if level.par_seconds and (median := to_clear.at(n).median())
    ]
    if over:
        signs.append((float(np.median(over)), 1.2, 0.7))
    return signs
