"""Writes a simulated log, sessions mixed as a collector would write them, and the truth behind it."""

from __future__ import annotations

import gzip
import json
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np

from milepost.output import write_file
from milepost.progress import SILENT, Progress
from milepost.simulate.faults import FaultRates, spoil
from milepost.simulate.population import Population
from milepost.simulate.records import Scenery, sessions
from milepost.simulate.simulated_course import Plan
from milepost.simulate.simulated_players import Tries, Truth, play_course

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


def simulate(what: Simulation, target: str, truth: str | None, progress: Progress = SILENT) -> tuple[int, int]:
    """Let players play; write the log, and the truth if asked for. Sessions and records written.

    Raises:
        OutputError: a file cannot be written.
    """
    rng = np.random.default_rng(what.seed)
    progress.step("playing")
    tries, known = play_course(what.plan.difficulty, what.population, rng)
    written = [0, 0]

    def write(out: BinaryIO) -> None:
        stream = gzip.GzipFile(fileobj=out, mode="wb", mtime=0, filename="") if target.endswith(".gz") else out
        block: list[tuple[float, str]] = []
        for records in sessions(tries, _scenery(what, rng), rng):
            begin = float(rng.uniform(0, 3600))
            kept = spoil(records, FaultRates(), rng) if what.faults else records
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
        text = json.dumps(_truth(what, tries, known), indent=2, ensure_ascii=False) + "\n"
        write_file(Path(truth), lambda out: out.write(text.encode()))
    return written[0], written[1]


def _flush(stream: BinaryIO | gzip.GzipFile, block: list[tuple[float, str]]) -> None:
    block.sort(key=lambda item: item[0])
    stream.write("".join(line + "\n" for _, line in block).encode("utf-8", "backslashreplace"))
    block.clear()


def _scenery(what: Simulation, rng: np.random.Generator) -> Scenery:
    plan, population, builds = what.plan, what.population, what.builds
    count, quarter = population.players, max(1, len(plan.names) // 4)
    platforms = rng.choice(["desktop", "handheld", "tablet"], count).tolist()
    return Scenery(
        levels=plan.names,
        causes=[_CAUSES[min(3, number // quarter)] for number in range(len(plan.names))],
        player=[f"Player {number + 1}" for number in range(count)],
        tags=[{"platform": platform} for platform in platforms],
        build=[[builds[number % len(builds)]] * population.sessions for number in range(count)],
    )


def _truth(what: Simulation, tries: Tries, known: Truth) -> dict[str, object]:
    plan = what.plan
    reached = [len(np.unique(tries.player[tries.level == level])) for level in range(len(plan.names))]
    return {
        "seed": what.seed,
        "levels": [
            {"level": name, "difficulty": float(difficulty), "reached": count}
            for name, difficulty, count in zip(plan.names, plan.difficulty, reached, strict=True)
        ],
        "planted": plan.planted,
        "population": vars(what.population),
        "players": [{"player": f"Player {number + 1}", "skill": float(skill)} for number, skill in enumerate(known.skill)],
    }
