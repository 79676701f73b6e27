"""Makes the second demo: an evening race through Wickwater with three lanterns, played in runs; the same every time.

Run from the project's root: python scripts/make_race.py
"""

from __future__ import annotations

import gzip
import json
from pathlib import Path
from typing import Any

import numpy as np

HERE = Path(__file__).resolve().parent.parent / "src" / "milepost" / "demo"
SEED, BUILD, LANTERNS = 1891, "0.8", 3
# name, difficulty in logits, seconds of a clear
LEVELS = [
    ("Jetty Dash", -1.6, 20),
    ("Under the Willows", -1.3, 24),
    ("Millrace", -1.0, 26),
    ("Tollgate Sprint", -0.9, 28),
    ("Barge Weave", 0.5, 34),
    ("Fog Bank", -0.6, 30),
    ("Night Lock", -0.4, 32),
    ("Lantern Stairs", -0.3, 34),
    ("Weir Jump", 0.1, 36),
    ("Harbour Bell", 0.2, 40),
]
CAUSES = ("barge", "low beam", "dark", "current")
KINDS = {"brass": 0.0, "glass": 0.35, "tin": -0.2}  # lanterns to choose from, and what each is worth in logits
PLAYERS = [
    "Ada",
    "Bo",
    "Cass",
    "Dorrit",
    "Edda",
    "Finch",
    "Gwen",
    "Hob",
    "Ines",
    "Jory",
    "Kit",
    "Linnet",
    "Maud",
    "Ned",
    "Orla",
    "Perrin",
    "Quill",
    "Rose",
    "Sam",
    "Tansy",
    "Ursa",
    "Vale",
]
EVENING, GIVES_UP, RESTARTS, AGAIN = 1500.0, 0.03, 0.04, 0.85  # seconds; chances after a failure, and to run again


def main() -> None:
    """Write the course and the evening's log."""
    (HERE / "race.toml").write_text(course_text(), encoding="utf-8")
    rng = np.random.default_rng(SEED)
    lines = []
    for number, name in enumerate(PLAYERS):
        begin = float(rng.uniform(0, 600))
        for record in evening(f"{name} Race", f"race-{number + 1}", rng):
            lines.append((begin + record["time"], json.dumps(record) + "\n"))
    with (HERE / "race.jsonl.gz").open("wb") as raw, gzip.GzipFile(fileobj=raw, mode="wb", mtime=0, filename="") as packed:
        packed.write("".join(line for _, line in sorted(lines, key=lambda item: item[0])).encode())


def course_text() -> str:
    """The course file."""
    out = [
        "# An evening race through Wickwater: three lanterns, and whoever has lost them begins anew.",
        'name = "Wickwater, the evening race"',
    ]
    for name, difficulty, seconds in LEVELS:
        chance = 1 / (1 + np.exp(min(difficulty, -0.2)))
        out += ["", "[[level]]", f"name = {json.dumps(name)}", f"par_seconds = {seconds}", f"target_clear = {chance:.2f}"]
    return "\n".join(out) + "\n"


class Evening:
    """One player's evening as it is logged."""

    def __init__(self, player: str, session: str, rng: np.random.Generator) -> None:
        self.rng, self.session, self.clock = rng, session, 0.0
        self.records: list[dict[str, Any]] = []
        self.log("session_start", player=player, build=BUILD)
        self.skill = float(rng.normal(0.0, 0.8))
        self.tried: dict[str, int] = {}

    def log(self, event: str, **more: object) -> None:
        """A record now."""
        self.records.append({"session": self.session, "time": round(self.clock, 3), "event": event, **more})

    def wait(self, least: float, most: float) -> None:
        """Let some time pass."""
        self.clock += float(self.rng.uniform(least, most))

    def race(self) -> str:
        """One run; how it ended, or that the evening was over."""
        kind = str(self.rng.choice(list(KINDS)))
        self.log("run_start", lantern=kind)
        lanterns = LANTERNS
        for level, difficulty, seconds in LEVELS:
            while True:
                self.wait(1.0, 2.5)
                if self.clock > EVENING:
                    return "time_up"
                again = lanterns < LANTERNS and self.records[-1]["event"] == "death"
                self.log("retry" if again else "start", level=level, lanterns=lanterns)
                cleared = self.try_level(level, difficulty - KINDS[kind], seconds)
                if self.clock > EVENING:
                    return "time_up"
                if cleared:
                    break
                lanterns -= 1
                if not lanterns:
                    self.clock += 0.08
                    self.log("run_end", cause="failed")
                    return "failed"
                if self.rng.random() < GIVES_UP:
                    return "quit"
                if self.rng.random() < RESTARTS:
                    self.log("run_end", cause="abandoned")
                    return "abandoned"
        self.log("run_end", cause="won")
        return "won"

    def try_level(self, level: str, difficulty: float, seconds: float) -> bool:
        """One try at a level; whether it cleared."""
        self.tried[level] = self.tried.get(level, 0) + 1
        chance = 1 / (1 + np.exp(difficulty - self.skill - 0.45 * np.log(self.tried[level])))
        cleared = bool(self.rng.random() < chance)
        self.clock += float(self.rng.gamma(8.0, seconds / 8)) * (1.0 if cleared else float(self.rng.uniform(0.2, 0.9)))
        if self.clock > EVENING:
            self.clock = EVENING + 0.5
        elif cleared:
            self.log("complete", level=level)
        else:
            cause, progress = str(self.rng.choice(CAUSES)), round(float(self.rng.uniform(0.1, 0.9)), 2)
            self.log("death", level=level, cause=cause, progress=progress)
        return cleared


def evening(player: str, session: str, rng: np.random.Generator) -> list[dict[str, Any]]:
    """The records of one player's evening: runs until the time is up, or until there is no wish for another."""
    own = Evening(player, session, rng)
    while True:
        ended = own.race()
        if ended in ("time_up", "quit") or rng.random() > AGAIN:
            break
        own.wait(4.0, 15.0)
    own.log("session_end", cause=ended if ended in ("time_up", "quit") else "quit")
    return own.records


if __name__ == "__main__":
    main()
