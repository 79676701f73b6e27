"""Makes the evening at the docks of the Wickwater demo: a course that is no line, and its log, the same every time.

Run from the project's root: python scripts/make_docks.py
"""

from __future__ import annotations

import gzip
import json
from pathlib import Path

import numpy as np

from milepost.course.course import read_course
from milepost.simulate.population import Population
from milepost.simulate.records import Record, Scenery, simulate_sessions
from milepost.simulate.simulated_course import from_course
from milepost.simulate.simulated_players import play_course

HERE = Path(__file__).resolve().parent.parent / "src" / "milepost" / "demo"
SEED, PLAYERS = 1907, 52
HARDER = {"Salt Dock": 1.7, "Weir Drop": 0.9}  # logits beyond the plan
# name, planned chance to clear at the first try, leg, route, what stands half way; a leading star: off the way
LEVELS = [
    ("Long Lock", 0.85, "", "", "the upper gate"),
    ("Rope Walk", 0.82, "", "", "the tar kettle"),
    ("*Reed Maze", 0.45, "", "", "the heron's nest"),
    ("Coal Dock", 0.74, "The docks", "", "the coal crane"),
    ("Salt Dock", 0.74, "The docks", "", "the weighing house"),
    ("Timber Dock", 0.72, "The docks", "", "the log boom"),
    ("Bell Bridge", 0.7, "", "", "the bridge keeper"),
    ("Weir Drop", 0.62, "The fork", "over the weir", "the sill"),
    ("Tunnel Mouth", 0.72, "The fork", "through the hill", "the first lamp"),
    ("Tunnel End", 0.7, "The fork", "through the hill", "the last lamp"),
    ("Ferry Steps", 0.64, "", "", "the lower step"),
    ("Harbour Light", 0.6, "", "", "the buoy"),
]
CAUSES = [["current", "reeds"], ["barge", "low beam"], ["tide", "barge"]]


def course_text() -> str:
    """The course file."""
    lines = ["# Wickwater, the evening at the docks: a hub, a fork, and a level off the way.", ""]
    for name, chance, leg, route, mark in LEVELS:
        lines += ["[[level]]", f'name = "{name.lstrip("*")}"', f"target_clear = {chance}", f'marks = ["{mark}"]']
        lines += ["optional = true"] if name.startswith("*") else []
        lines += [f'leg = "{leg}"'] if leg else []
        lines += [f'route = "{route}"'] if route else []
        lines.append("")
    return "\n".join(lines)


def main() -> None:
    """Write the course and the log."""
    (HERE / "docks.toml").write_text(course_text(), encoding="utf-8")
    plan = from_course(read_course(HERE / "docks.toml"))
    difficulty = plan.difficulty + np.array([HARDER.get(name, 0.0) for name in plan.names])
    population = Population(players=PLAYERS, minutes=45.0, sessions=2, way_skill=0.6, optional_skill=1.2, optional_share=0.55)
    rng = np.random.default_rng(SEED)
    tries, _ = play_course(difficulty, population, rng, course=plan.course)
    scenery = Scenery(
        levels=plan.names,
        causes=[CAUSES[min(2, number // 4)] for number in range(len(plan.names))],
        player=[f"Lamp {number + 1}" for number in range(PLAYERS)],
        tags=[{"platform": "tablet" if number % 3 else "desktop"} for number in range(PLAYERS)],
        build=[["0.8"] * population.sessions for _ in range(PLAYERS)],
    )
    lines: list[tuple[float, str]] = []
    over: dict[str, float] = {}
    for own in simulate_sessions(tries, scenery, rng):
        player = str(own[0]["player"])
        begun = over.get(player, 0.0) + float(rng.uniform(0, 1800))
        over[player] = begun + float(own[-1]["time"])
        lines += [(begun + record["time"], json.dumps(_with_mark(record), ensure_ascii=False)) for record in own]
    lines.sort(key=lambda line: line[0])
    text = "".join(line + "\n" for _, line in lines)
    (HERE / "docks.jsonl.gz").write_bytes(gzip.compress(text.encode(), mtime=0))


def _with_mark(record: Record) -> Record:
    """A checkpoint with what stands there."""
    if record["event"] != "checkpoint":
        return record
    mark = next(mark for name, *_, mark in LEVELS if name.lstrip("*") == record["level"])
    return {**record, "mark": mark}


if __name__ == "__main__":
    main()
