"""What a worker and the process that puts counts together need, as a packed store grows: memory, and CPU seconds.

Run from the project's root: python benchmarks/scale.py --players 7300 --copies 1 10
(about 137 records a player; a store of several copies has as many times the players, each copy's under other names. It needs the
extra for clusters, and room for the log once and the store: some 100 and 20 bytes a record)

The workers are two processes of a Dask cluster on this machine, each with one thread. What is counted is not kept, so that each
command reads the whole store.
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from speed import PROGRAM, Took, measured

COMMANDS = ("funnel", "times", "spikes")
ADDRESS = "tcp://127.0.0.1:8799"
LITTLE = "200MB"  # in which no store's attempts fit, so that it is counted part by part
READY = 6  # seconds for the cluster to come up


def main() -> None:
    """Print a table with a row for each size and command."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--players", type=int, default=7300, help="players of one copy (7300)")
    parser.add_argument("--copies", type=int, nargs="+", default=[1, 10], help="sizes of the store, in copies (1 10)")
    args = parser.parse_args()
    os.environ["OPENBLAS_NUM_THREADS"] = "1"
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    print("| records | command | merging: CPU seconds | merging: peak MB | a worker: peak MB | on the clock |")
    print("|---:|:---|---:|---:|---:|---:|")
    for copies in args.copies:
        with tempfile.TemporaryDirectory() as name:
            records = packed(Path(name), args.players, copies)
            for command in COMMANDS:
                took, most = counted(Path(name), command)
                print(
                    f"| {records:,} | {command} | {took.cpu:.1f} | {took.memory:,.0f} | {most:,.0f} | {took.clock:.0f} |",
                    flush=True,
                )


def packed(folder: Path, players: int, copies: int) -> int:
    """Pack a store of so many copies of a log, and its course; how many records it holds."""
    measured([str(PROGRAM), "simulate", "--players", str(players), "-o", "log.jsonl", "--truth", "truth.json"], folder)
    levels = json.loads((folder / "truth.json").read_text())["levels"]
    (folder / "course.toml").write_text("".join(f'[[level]]\nname = "{level["level"]}"\n' for level in levels))
    names = [renamed(folder, number) for number in range(copies)]
    measured([str(PROGRAM), "pack", *names, "-o", "log.store"], folder)
    for name in ("log.jsonl", *names):
        (folder / name).unlink()
    return int(json.loads((folder / "log.store" / "store.json").read_text())["rows"])


def renamed(folder: Path, number: int) -> str:
    """A copy of the log in which all players and sessions have other names."""
    name = f"copy-{number}.jsonl"
    with (folder / "log.jsonl").open() as log, (folder / name).open("w") as copy:
        for line in log:
            for key in ("session", "player"):
                line = line.replace(f'"{key}": "', f'"{key}": "{number}-', 1)
            copy.write(line)
    return name


def counted(folder: Path, command: str) -> tuple[Took, float]:
    """What the process takes that asks, and the most memory that a worker takes, in MB; workers are new ones each time."""
    words = [command, "log.store", "--course", "course.toml", "--cluster", ADDRESS, "--memory", LITTLE, "-o", "said.txt"]
    with cluster() as workers:
        took = measured([str(PROGRAM), *words], folder)
        most = max(peak(worker) for worker in workers)
    shutil.rmtree(folder / "log.store" / "replayed", ignore_errors=True)
    return took, most


@contextmanager
def cluster() -> Iterator[list[int]]:
    """A scheduler and two workers, by the numbers of their processes; all go at the end."""
    own = [sys.executable, "-m"]
    commands = [
        [*own, "distributed.cli.dask_scheduler", "--port", ADDRESS.rpartition(":")[2], "--no-dashboard"],
        *[[*own, "distributed.cli.dask_worker", ADDRESS, "--nthreads", "1", "--no-nanny", "--no-dashboard"]] * 2,
    ]
    started = [subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) for command in commands]
    try:
        time.sleep(READY)
        yield [process.pid for process in started[1:]]
    finally:
        for process in started:
            process.terminate()
            process.wait()


def peak(process: int) -> float:
    """The most memory that a process has taken, in MB, as the system says."""
    said = Path(f"/proc/{process}/status").read_text()
    return int(said.split("VmHWM:")[1].split()[0]) / 1024


if __name__ == "__main__":
    main()
