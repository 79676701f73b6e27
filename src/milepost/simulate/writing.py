"""Writes a simulated log, sessions mixed as a collector would, with the faults of real logs, and the truth behind it."""

from __future__ import annotations

import gzip
import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np

from milepost.output import write_file
from milepost.progress import SILENT, Progress
from milepost.simulate.population import Population
from milepost.simulate.records import Record, Scenery, simulate_sessions
from milepost.simulate.simulated_course import Plan
from milepost.simulate.simulated_players import SimulatedTries, Truth, play_course

_CAUSES = (["reeds", "current"], ["low beam", "current"], ["barge", "low beam"], ["tide", "dark", "barge"])
_TOGETHER = 400  # sessions whose records are mixed with each other


@dataclass(frozen=True)
class Simulation:
    """A simulation: a plan, the players, the seed, the builds dealt out in turn, and whether faults are sprinkled in."""

    plan: Plan
    population: Population
    seed: int
    builds: tuple[str, ...] = ("1.0",)
    faults: bool = False


def simulate(simulation: Simulation, target: str, truth: str | None, progress: Progress = SILENT) -> tuple[int, int]:
    """Let players play; write the log, and the truth if asked for. Sessions and records written.

    Raises:
        OutputError: a file cannot be written.
    """
    rng = np.random.default_rng(simulation.seed)
    progress.step("playing")
    tries, known = play_course(simulation.plan.difficulty, simulation.population, rng, course=simulation.plan.course)
    written = [0, 0]

    def write(out: BinaryIO) -> None:
        stream = gzip.GzipFile(fileobj=out, mode="wb", mtime=0, filename="") if target.endswith(".gz") else out
        block: list[tuple[float, str]] = []
        over: dict[str, float] = {}  # when each player's last session was over: the next one is logged after it
        for records in simulate_sessions(tries, _scenery(simulation, rng), rng):
            player = str(records[0]["player"])
            begin = over.get(player, 0.0) + float(rng.uniform(0, 3600))
            over = {player: begin + float(records[-1]["time"])}
            kept = spoil(records, FaultRates(), rng) if simulation.faults else records
            block += [(begin + record["time"], json.dumps(record, ensure_ascii=False)) for record in kept]
            written[0] += 1
            written[1] += len(kept)
            progress.advance(len(kept))
            if written[0] % _TOGETHER == 0:
                _flush(stream, block)
        _flush(stream, block)
        if stream is not out:
            stream.close()

    write_file(Path(target), write)
    if truth:
        text = json.dumps(_truth(simulation, tries, known), indent=2, ensure_ascii=False) + "\n"
        write_file(Path(truth), lambda out: out.write(text.encode()))
    return written[0], written[1]


def _flush(stream: BinaryIO | gzip.GzipFile, block: list[tuple[float, str]]) -> None:
    block.sort(key=lambda item: item[0])
    stream.write("".join(line + "\n" for _, line in block).encode("utf-8", "backslashreplace"))
    block.clear()


def _scenery(simulation: Simulation, rng: np.random.Generator) -> Scenery:
    plan, population, builds = simulation.plan, simulation.population, simulation.builds
    count, quarter = population.players, max(1, len(plan.names) // 4)
    platforms = rng.choice(["desktop", "handheld", "tablet"], count).tolist()
    return Scenery(
        levels=plan.names,
        causes=[_CAUSES[min(3, number // quarter)] for number in range(len(plan.names))],
        player=[f"Player {number + 1}" for number in range(count)],
        tags=[{"platform": platform} for platform in platforms],
        build=[[builds[number % len(builds)]] * population.sessions for number in range(count)],
    )


def _truth(simulation: Simulation, tries: SimulatedTries, known: Truth) -> dict[str, object]:
    plan = simulation.plan
    reached = [len(np.unique(tries.player[tries.level == level])) for level in range(len(plan.names))]
    return {
        "seed": simulation.seed,
        "levels": [
            {"level": name, "difficulty": float(difficulty), "reached": count}
            for name, difficulty, count in zip(plan.names, plan.difficulty, reached, strict=True)
        ],
        "planted": plan.planted,
        "population": vars(simulation.population),
        "players": [_player(simulation, known, number) for number in range(len(known.skill))],
    }


def _player(simulation: Simulation, known: Truth, number: int) -> dict[str, object]:
    """A player's skill, and the way through the course where it is no line."""
    facts: dict[str, object] = {"player": f"Player {number + 1}", "skill": float(known.skill[number])}
    if simulation.plan.course is not None and not simulation.plan.course.is_line:
        facts["way"] = [simulation.plan.names[place] for place in known.ways[number].tolist() if place >= 0]
    return facts


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
        spoiled += _add_any_fault(rule(record, rates, rng) if rule else [record], rates, rng)
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


def _add_any_fault(records: list[Record], rates: FaultRates, rng: np.random.Generator) -> list[Record]:
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
