"""How long a whole report takes of logs as people have them: several builds, players who return, findings of all kinds.

Run from the project's root: python benchmarks/as_logged.py --players 730 7300

Each log is simulated with faults, and one without any, so that what builds and findings cost can be told. Beside each stands the
script of DuckDB SQL, which takes a log to be clean and has no comparison. Cold is with nothing compiled yet; from 200,000
records on the program compiles its replay, once for a machine, so that cold is told of smaller logs alone.
"""

from __future__ import annotations

import argparse
import os
import sys
import tempfile
from pathlib import Path

from speed import COMPILED, HERE, PROGRAM, measured

BUILDS = {1: "one build", 2: "two builds", 3: "three builds", 6: "six builds"}
TARGETS = {2: {1e5: 2.5, 1e6: 2.0}, 6: {1e5: 3.0, 1e6: 3.0}}  # of the SQL's CPU seconds, by builds and records
DEARER = 4 / 3  # two builds beside one, at most
COLD = 1.3  # beside warm, at most
RUNS = 3  # of which the least is taken
TOO_LARGE = 200_000  # records, from which the replay is compiled


def main() -> None:
    """Print a table for each size asked for."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--players", type=int, nargs="+", default=[730, 7300], help="sizes of the log, in players (730 7300)")
    args = parser.parse_args()
    os.environ |= {"OPENBLAS_NUM_THREADS": "1", "MILEPOST_REMEMBER": "no"}
    with tempfile.TemporaryDirectory() as name:  # once for a machine and version
        measured([str(PROGRAM), "simulate", "--players", str(COMPILED), "-o", "log.jsonl"], Path(name))
        measured([str(PROGRAM), "report", "log.jsonl", "-o", "all.json"], Path(name))
    for players in args.players:
        with tempfile.TemporaryDirectory() as name:
            table_of(Path(name), players)


def table_of(folder: Path, players: int) -> None:
    """Make the logs of so many players, measure each in turn, and print what they take."""
    for builds in BUILDS:
        made = [
            "simulate",
            "--players",
            str(players),
            "--sessions",
            "3",
            "--builds",
            ",".join(f"0.{n}" for n in range(1, builds + 1)),
        ]
        measured([str(PROGRAM), *made, "--faults", "-o", f"{builds}.jsonl"], folder)
        if builds == 1:
            measured([str(PROGRAM), *made, "-o", "clean.jsonl"], folder)
    records = sum(1 for _ in (folder / "1.jsonl").open("rb"))
    print(f"\n{records:,} records of {players:,} players, up to three sessions each\n")
    least: dict[str, float] = {}
    for _ in range(RUNS):
        for name in ("clean", *map(str, BUILDS)):
            _note(least, f"{name} warm", _report(folder, name))
        _note(least, "sql", measured([sys.executable, str(HERE / "peers.py"), "sql", "2.jsonl"], folder).cpu)
        if records < TOO_LARGE:
            _note(least, "2 cold", _cold(folder, "2"))
    _print(least, records)


def _report(folder: Path, name: str) -> float:
    return measured([str(PROGRAM), "report", f"{name}.jsonl", "-o", "all.json"], folder).cpu


def _cold(folder: Path, name: str) -> float:
    """The CPU seconds of a report where nothing was compiled before."""
    before = os.environ.get("XDG_CACHE_HOME")
    with tempfile.TemporaryDirectory() as cache:
        os.environ["XDG_CACHE_HOME"] = cache
        try:
            return _report(folder, name)
        finally:
            os.environ.pop("XDG_CACHE_HOME")
            if before is not None:
                os.environ["XDG_CACHE_HOME"] = before


def _note(least: dict[str, float], what: str, took: float) -> None:
    least[what] = min(took, least.get(what, took))


def _print(least: dict[str, float], records: int) -> None:
    """One line a log, with what it should take at most."""
    print("| report of | CPU seconds | of one build | of SQL | at most |\n|:---|---:|---:|---:|---:|")
    print(f"| one build without a fault | {least['clean warm']:.2f} | {least['clean warm'] / least['1 warm']:.2f} | | |")
    for builds, words in BUILDS.items():
        took = least[f"{builds} warm"]
        dearer, of_sql = took / least["1 warm"], took / least["sql"]
        most = [most for size, most in TARGETS.get(builds, {}).items() if 0.5 * size <= records <= 2 * size]
        kept = (not most or of_sql <= most[0]) and (builds != 2 or dearer <= DEARER)
        told = (
            ""
            if not most
            else f"{most[0]:g}" + ("" if builds != 2 else f"; {DEARER:.2f} of one build") + ("" if kept else " (no)")
        )
        print(f"| {words} | {took:.2f} | {dearer:.2f} | {of_sql:.2f} | {told} |")
    print(f"| SQL | {least['sql']:.2f} | | 1.00 | |")
    if "2 cold" in least:
        ratio = least["2 cold"] / least["2 warm"]
        kept = "" if ratio <= COLD else " (no)"
        print(f"\nCold, two builds: {least['2 cold']:.2f}, {ratio:.2f} times warm; at most {COLD:g}{kept}.")


if __name__ == "__main__":
    main()
