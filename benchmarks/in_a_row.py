"""How often trends and the effects of knobs are right, on simulated logs of known truth; results are kept in docs/accuracy.md.

Run from the project's root: python benchmarks/in_a_row.py --logs 60 --first 1000
"""

from __future__ import annotations

import argparse
import json
import tempfile
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any
from zlib import crc32

import numpy as np

import milepost
from comparison import Kind, play
from milepost.planning.knob_table import Knobs

LEVELS, BUILDS, PLAYERS = 24, 6, 60
TRENDS = ("nothing changed", "other players", "a level that drifts", "one level changed", "all levels shift")
KNOBS = ("by builds", "by builds, with scatter", "by levels", "two that move together")
Sums = dict[str, float]


def course(rng: np.random.Generator) -> np.ndarray:
    """The difficulties of a course, in logits."""
    return np.asarray(-1.5 + 1.8 * np.linspace(0, 1, LEVELS) + rng.normal(0, 0.25, LEVELS))


def records(build: int, difficulty: np.ndarray, skill: float, rng: np.random.Generator, tags: Any = None) -> list[Any]:
    """One build's sessions, as a log has them; ``tags`` are those of each level's openings."""
    tries = play(Kind(PLAYERS), difficulty, rng.normal(skill, 0.9, PLAYERS), np.zeros((PLAYERS, LEVELS)), 0, rng)
    clock = np.zeros(PLAYERS)
    found: list[Any] = []
    for subject, item, number, success in zip(
        *(tries[k].tolist() for k in ("subject", "item", "number", "success")), strict=True
    ):
        name = f"b{build}p{subject}"
        base = {"session": name, "player": name, "build": f"1.{build}", "level": f"L{item:02d}"}
        found.append(base | (tags[item] if tags else {}) | {"time": clock[subject], "event": "start" if number == 1 else "retry"})
        clock[subject] += float(rng.uniform(5, 40))
        found.append(base | {"time": clock[subject], "event": "complete" if success else "death"})
        clock[subject] += 1.0
    return found


def replayed(lines: list[Any], folder: Path) -> Any:
    """The play of some records."""
    (folder / "log.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines))
    text = "".join(f'[[level]]\nname = "L{n:02d}"\n' for n in range(LEVELS))
    (folder / "course.toml").write_text(text)
    return milepost.replay(folder / "log.jsonl", course=folder / "course.toml", every_record=True)


def one_trend(job: tuple[str, int]) -> tuple[str, Sums]:
    """One log of six builds, set against the truth."""
    name, seed = job
    rng = np.random.default_rng([seed, crc32(name.encode())])
    base, place, step = course(rng), int(rng.integers(2, LEVELS - 6)), int(rng.integers(1, BUILDS))
    sign = float(rng.choice([-1.0, 1.0]))
    levels = [base.copy() for _ in range(BUILDS)]
    skill = rng.normal(0, 0.5, BUILDS) if name == "other players" else np.zeros(BUILDS)
    for build in range(BUILDS):
        if name == "a level that drifts":
            levels[build][place] += sign * 0.4 * build
        elif name == "one level changed" and build >= step:
            levels[build][place] += sign * 2.0
        elif name == "all levels shift":
            levels[build] += 0.3 * build
    with tempfile.TemporaryDirectory() as folder:
        lines = [line for build in range(BUILDS) for line in records(build, levels[build], float(skill[build]), rng)]
        table = milepost.trend(replayed(lines, Path(folder)))
    sums: Sums = defaultdict(float)
    for level, row in table.iterrows():
        own = int(str(level)[1:])
        for change in row["changes"]:
            truth = [float(levels[int(change[end][2:])][own] - levels[int(change[end][2:])].mean()) for end in ("from", "to")]
            _count(sums, "pair", change, truth[1] - truth[0])
        if row["whole"] is not None:
            ends = [float(levels[build][own] - levels[build].mean()) for build in (0, BUILDS - 1)]
            _count(sums, "whole", row["whole"], ends[1] - ends[0])
    return name, dict(sums)


def _count(sums: Sums, kind: str, said: dict[str, Any], change: float) -> None:
    """Add what a verdict and its interval say of a change; a level's share in the course's mean is none."""
    verdict = {"harder": 1, "easier": -1}.get(said["verdict"], 0)
    true = 0.0 if abs(change) < 0.2 else change
    if said["delta_low"] is not None:
        sums[f"{kind} intervals"] += 1
        sums[f"{kind} covered"] += said["delta_low"] <= change <= said["delta_high"]
    if true:
        sums[f"{kind} changed"] += 1
        sums[f"{kind} found"] += verdict == np.sign(true)
        sums[f"{kind} wrong way"] += verdict == -np.sign(true)
    else:
        sums[f"{kind} false"] += verdict != 0


def one_knob(job: tuple[str, int]) -> tuple[str, Sums]:
    """One log whose levels have knobs, set against what a unit of them does."""
    name, seed = job
    rng = np.random.default_rng([seed, crc32(name.encode())])
    effect, builds = float(rng.uniform(-0.8, 0.8)), 3 if "builds" in name else 1
    values = [rng.integers(2, 8, LEVELS).astype(float)]
    for _ in range(builds - 1):
        changed = values[-1].copy()
        some = rng.choice(LEVELS, 6, replace=False)
        changed[some] += rng.choice([-1.5, -1.0, 1.0, 1.5], 6)
        values.append(changed)
    own, lines = course(rng) - effect * values[0].mean(), []
    scatter = 0.25 if "scatter" in name else 0.0
    moved = np.zeros(LEVELS)
    for build in range(builds):
        if build:
            moved = moved + rng.normal(0, scatter, LEVELS) * (values[build] != values[build - 1])
        width = values[build]
        tags = [{"arch_width": own} | ({"lamps": 2 * own + 1} if "together" in name else {}) for own in width.tolist()]
        lines += records(build, own + effect * width + moved, 0.0, rng, tags)
    with tempfile.TemporaryDirectory() as folder:
        totals = Knobs(5)(replayed(lines, Path(folder))).totals
    sums: Sums = defaultdict(float)
    for row in totals["effects"]:
        if row["knob"] == "arch_width" and row["by"] == ("builds" if "builds" in name else "levels"):
            sums["told"] += row["per_unit"] is not None
            sums["not told"] += row["per_unit"] is None
            if row["per_unit"] is not None and row["low"] is not None:
                sums["covered"] += row["low"] <= effect <= row["high"]
                sums["width"] += row["high"] - row["low"]
    return name, dict(sums)


def trend_table(found: dict[str, list[Sums]]) -> str:
    """What came of the trends, a row a kind."""
    heads = [
        "false pairs a log",
        "false wholes a log",
        "pairs found",
        "wholes found",
        "wrong way",
        "pairs covered",
        "wholes covered",
    ]
    lines = [f"| six builds of 60 players | {' | '.join(heads)} |", "|:--|--:|--:|--:|--:|--:|--:|--:|"]
    for name, own in found.items():
        sums: Sums = defaultdict(float)
        for one in own:
            for key, value in one.items():
                sums[key] += value
        cells = [f"{sums['pair false'] / len(own):.2f}", f"{sums['whole false'] / len(own):.2f}"]
        for kind in ("pair", "whole"):
            changed = sums[f"{kind} changed"]
            cells.append(f"{sums[f'{kind} found'] / changed:.2f}" if changed else "")
        cells.append(f"{sums['pair wrong way'] + sums['whole wrong way']:.0f}")
        cells += [f"{sums[f'{kind} covered'] / max(1.0, sums[f'{kind} intervals']):.3f}" for kind in ("pair", "whole")]
        lines.append(f"| {name} ({len(own)}) | {' | '.join(cells)} |")
    return "\n".join(lines)


def knob_table(found: dict[str, list[Sums]]) -> str:
    """What came of the knobs, a row a kind."""
    lines = ["| what a unit of a knob does | told | interval holds it | its width, logits |", "|:--|--:|--:|--:|"]
    for name, own in found.items():
        told, covered, width = (sum(one.get(key, 0.0) for one in own) for key in ("told", "covered", "width"))
        share = f"{covered / told:.3f}" if told else ""
        lines.append(f"| {name} ({len(own)}) | {told:.0f} | {share} | {width / max(1.0, told):.2f} |")
    return "\n".join(lines)


def main() -> None:
    """Run the kinds that are asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--logs", type=int, default=20)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--only", default="")
    parser.add_argument("--jobs", type=int, default=2)
    args = parser.parse_args()
    seeds = range(args.first, args.first + args.logs)
    with ProcessPoolExecutor(args.jobs) as pool:
        for kinds, work, told in ((TRENDS, one_trend, trend_table), (KNOBS, one_knob, knob_table)):
            names = [name for name in kinds if args.only in name]
            found: dict[str, list[Sums]] = {name: [] for name in names}
            for name, sums in pool.map(work, [(name, seed) for name in names for seed in seeds]):
                found[name].append(sums)
            if names:
                print(told(found), flush=True)


if __name__ == "__main__":
    main()
