"""Spoils a log as logs get spoiled: things that fire twice, go missing, or come from the wrong hand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from milepost.simulate.records import Record


@dataclass(frozen=True)
class FaultRates:
    """Chances per fitting record."""

    repeated_complete: float = 0.03
    repeated_start: float = 0.02
    repeated_transition: float = 0.015
    late_death: float = 0.006
    lost_start: float = 0.01
    lost_retry: float = 0.015
    sent_twice: float = 0.006
    foreign_reset: float = 0.004
    odd_progress: float = 0.004
    other_word: float = 0.004
    odd_spelling: float = 0.01
    lost_end: float = 0.06


def spoil(session: list[Record], rates: FaultRates, rng: np.random.Generator) -> list[Record]:
    """One session's records with faults sprinkled over them, in the order in which they would be logged."""
    spoiled: list[Record] = []
    for record in session:
        rule = _RULES.get(record["event"])
        spoiled += _any(rule(record, rates, rng) if rule else [record], rates, rng)
    return sorted(spoiled, key=lambda record: float(record["time"]))


def _later(record: Record, seconds: float, **more: object) -> Record:
    return {**record, "time": round(record["time"] + seconds, 3), **more}


def _complete(record: Record, rates: FaultRates, rng: np.random.Generator) -> list[Record]:
    out = [record]
    if rng.random() < rates.repeated_complete:
        out += [_later(record, 0.017 * step) for step in range(1, int(rng.integers(2, 5)))]
    if rng.random() < rates.late_death:
        out.append({**_later(record, 0.4, event="death", cause="current"), "progress": 1.0})
        out[-1].pop("collected", None)
        out[-1].pop("available", None)
    return out


def _start(record: Record, rates: FaultRates, rng: np.random.Generator) -> list[Record]:
    if rng.random() < rates.lost_start:
        return []
    out = [record]
    if rng.random() < rates.repeated_start:
        out.append(_later(record, 0.017))
    if rng.random() < rates.foreign_reset:
        out += [_later(record, 5.0, event="reset", actor="barge"), _later(record, 5.1, event="retry")]
    return out


def _retry(record: Record, rates: FaultRates, rng: np.random.Generator) -> list[Record]:
    return [] if rng.random() < rates.lost_retry else [record]


def _transition(record: Record, rates: FaultRates, rng: np.random.Generator) -> list[Record]:
    return [record, _later(record, 0.05)] if rng.random() < rates.repeated_transition else [record]


def _session_end(record: Record, rates: FaultRates, rng: np.random.Generator) -> list[Record]:
    return [] if record["cause"] == "quit" and rng.random() < rates.lost_end else [record]


def _any(records: list[Record], rates: FaultRates, rng: np.random.Generator) -> list[Record]:
    out = []
    for record in records:
        if "level" in record and rng.random() < rates.odd_spelling:
            record = {**record, "level": record["level"].upper().replace(" ", "_")}
        if "progress" in record and rng.random() < rates.odd_progress:
            record = {**record, "progress": 1.02}
        out.append(record)
        if rng.random() < rates.sent_twice:
            out.append(dict(record))
        if rng.random() < rates.other_word:
            out.append({"session": record["session"], "time": record["time"], "event": "lantern_flicker"})
    return out


_RULES: dict[str, Callable[[Record, FaultRates, np.random.Generator], list[Record]]] = {
    "complete": _complete,
    "start": _start,
    "retry": _retry,
    "transition": _transition,
    "session_end": _session_end,
}
