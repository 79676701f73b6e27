"""Writes a simulated log, sessions mixed as a collector would write them, and the truth behind it."""

from __future__ import annotations

import gzip
import json
from pathlib import Path
from typing import Any

import numpy as np

from milepost.output import write_file
from milepost.progress import SILENT, Progress
from milepost.simulate.course import Plan
from milepost.simulate.faults import FaultRates, spoil
from milepost.simulate.players import Tries, Truth, play_course
from milepost.simulate.population import Population
from milepost.simulate.records import Scenery, sessions

_CAUSES = (["reeds", "current"], ["low beam", "current"], ["barge", "low beam"], ["tide", "dark", "barge"])
_TOGETHER = 400  # sessions whose records are mixed with each other


def simulate(
    plan: Plan, population: Population, seed: int, target: str, truth: str | None, faults: bool, builds: list[str],
    progress: Progress = SILENT,
) -> tuple[int, int]:  # fmt: skip
    """Let players play a plan; write the log, and the truth if asked for. Sessions and records written.

    Raises:
        OutputError: a file cannot be written.
    """
    rng = np.random.default_rng(seed)
    progress.step("playing")
    tries, known = play_course(plan.difficulty, population, rng)
    written = [0, 0]

    def write(out: Any) -> None:
        stream = gzip.GzipFile(fileobj=out, mode="wb", mtime=0, filename="") if target.endswith(".gz") else out
        block: list[tuple[float, str]] = []
        for records in sessions(tries, _scenery(plan, population, builds, rng), rng):
            begin = float(rng.uniform(0, 3600))
            kept = spoil(records, FaultRates(), rng) if faults else records
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
        text = json.dumps(_truth(plan, population, seed, tries, known), indent=2, ensure_ascii=False) + "\n"
        write_file(Path(truth), lambda out: out.write(text.encode()))
    return written[0], written[1]


def _flush(stream: Any, block: list[tuple[float, str]]) -> None:
    block.sort(key=lambda item: item[0])
    stream.write("".join(line + "\n" for _, line in block).encode("utf-8", "backslashreplace"))
    block.clear()


def _scenery(plan: Plan, population: Population, builds: list[str], rng: np.random.Generator) -> Scenery:
    count, quarter = population.players, max(1, len(plan.names) // 4)
    platforms = rng.choice(["desktop", "handheld", "tablet"], count).tolist()
    return Scenery(
        levels=plan.names,
        causes=[_CAUSES[min(3, number // quarter)] for number in range(len(plan.names))],
        player=[f"Player {number + 1}" for number in range(count)],
        tags=[{"platform": platform} for platform in platforms],
        build=[[builds[number % len(builds)]] * population.sessions for number in range(count)],
    )


def _truth(plan: Plan, population: Population, seed: int, tries: Tries, known: Truth) -> dict[str, Any]:
    reached = [len(np.unique(tries.player[tries.level == level])) for level in range(len(plan.names))]
    return {
        "seed": seed,
        "levels": [
            {"level": name, "difficulty": float(difficulty), "reached": count}
            for name, difficulty, count in zip(plan.names, plan.difficulty, reached, strict=True)
        ],
        "planted": plan.planted,
        "population": vars(population),
        "players": [{"player": f"Player {number + 1}", "skill": float(skill)} for number, skill in enumerate(known.skill)],
    }
