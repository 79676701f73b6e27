"""How long a whole report takes, beside parsing alone and beside the same measures in SQL and in Polars.

Run from the project's root: python benchmarks/speed.py --players 10000
(about 137 records a player; Polars is an extra that this benchmark needs: pip install polars)

Everybody has one BLAS thread and compiled bytecode. What a run should take beside the SQL, at most, stands beside what it took.
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import NamedTuple

PANDAS_UP_TO = 20_000  # players; beyond, pandas, tables and the like take too long to be of interest
PARQUET = "import duckdb; duckdb.read_json('log.jsonl', format='newline_delimited').write_parquet('log.parquet')"
OTHERS = """
import json, pathlib, duckdb
duckdb.read_json('log.jsonl', format='newline_delimited').write_csv('log.csv')
with open('log.jsonl') as log, open('foreign.jsonl', 'w') as foreign, open('broken.jsonl', 'w') as broken:
    for line in log:
        record = json.loads(line)
        theirs = {'sid': record.pop('session'), 'ms': 1000 * record.pop('time'), 'what': record.pop('event'), **record}
        foreign.write(json.dumps(theirs) + '\\n')
        broken.write(line)
    broken.write(line[:20] + '\\n')
pathlib.Path('map.toml').write_text('[fields]\\nsession = "sid"\\ntime = "ms"\\nevent = "what"\\n[time]\\nunit = "ms"\\n')
"""
FIVE = "funnel,attempts,times,deaths,moves"
ALL, SOME = "milepost report, from the log", "milepost report, five measures, from the log"
FIRST, AGAIN = "milepost report, from the store, asked first", "milepost report, from the store, asked again"
TWO, ONE_CORE = "milepost report, from the log, --jobs 2", "milepost report, from the log, on one processor"
BROKEN, FOREIGN, TABLE = (f"milepost funnel, {of}" for of in ("with a broken line at the end", "of a foreign log", "of a table"))
SMALL = {"the measures in pandas", BROKEN, FOREIGN, TABLE}  # of small logs only
ONCE = {FIRST, "milepost pack"}  # which find another state the second time
AGAIN_IN_TURN = 2  # other work on a machine comes and goes; the least of three runs is nearest to what each takes
COMPILED = 1_600  # players, whose log is large enough to have the replay compiled
TARGETS = {  # of the SQL's CPU seconds, by records: the least that has so many holds
    ALL: {1e5: 1.8, 1e6: 1.5, 1e7: 1.3},
    SOME: {1e5: 1.3, 1e6: 1.0, 1e7: 0.9},
    FIRST: {1e7: 0.4},
    AGAIN: {1e7: 0.2},
}
MOST_MEMORY = {1e7: 1024}  # MB of the report from the log, by records
FASTER, DEARER = 1.5, 1.15  # two threads on the clock than one processor, at least, and their CPU seconds beside its, at most
THREADED = 3e6  # records from which that is expected: smaller logs are mostly read as a whole
AFTER = 0.35  # CPU seconds of a funnel of the demo after a check of it
MEASURES = ("funnel", "attempts", "times", "deaths", "moves", "spikes")
PROBE = """
import os, resource, subprocess, sys, time
if sys.argv[1] == "one":
    os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})
begun = time.perf_counter()
done = subprocess.run(sys.argv[2:])
used = resource.getrusage(resource.RUSAGE_CHILDREN)
print(used.ru_utime + used.ru_stime, time.perf_counter() - begun, used.ru_maxrss, file=sys.stderr)
sys.exit(done.returncode)
"""
HERE = Path(__file__).resolve().parent
PROGRAM = Path(sys.executable).with_name("milepost")


class Took(NamedTuple):
    """What a command took: CPU seconds, seconds on the clock, and peak memory in MB."""

    cpu: float
    clock: float
    memory: float


def measured(command: list[str], folder: Path, cores: str = "all") -> Took:
    """What one command takes, on all processors or on one."""
    probe = [sys.executable, "-c", PROBE, cores, *command]
    done = subprocess.run(probe, cwd=folder, capture_output=True, text=True, check=False)
    if done.returncode:
        sys.exit(f"{' '.join(command)}: {done.stderr}")
    cpu, clock, memory = done.stderr.split()[-3:]
    return Took(float(cpu), float(clock), int(memory) / 1024)


def main() -> None:
    """Print a table for each size asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--players", type=int, nargs="+", default=[730, 7300], help="sizes of the log, in players (730 7300)")
    args = parser.parse_args()
    os.environ |= {"OPENBLAS_NUM_THREADS": "1", "MILEPOST_REMEMBER": "no"}  # what is measured is the work, not the memory of it
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    with tempfile.TemporaryDirectory() as name:  # once for a machine and version
        measured([str(PROGRAM), "simulate", "--players", str(COMPILED), "-o", "log.jsonl"], Path(name))
        measured([str(PROGRAM), "report", "log.jsonl", "-o", "all.json"], Path(name))
    starting()
    for players in args.players:
        with tempfile.TemporaryDirectory() as name:
            compare(Path(name), players)


def compare(folder: Path, players: int) -> None:
    """Make a log of so many players, run everything on it, and print what each took."""
    made = measured([str(PROGRAM), "simulate", "--players", str(players), "-o", "log.jsonl", "--truth", "truth.json"], folder)
    records = sum(1 for _ in (folder / "log.jsonl").open("rb"))
    levels = json.loads((folder / "truth.json").read_text())["levels"]
    (folder / "course.toml").write_text("".join(f'[[level]]\nname = "{level["level"]}"\n' for level in levels))
    size = (folder / "log.jsonl").stat().st_size / 1e6
    print(f"\n{records:,} records of {players:,} players, {size:.0f} MB; made in {made.cpu:.1f} CPU seconds\n")
    measured([sys.executable, "-c", PARQUET], folder)
    bound = "1GB" if players > PANDAS_UP_TO else "300MB"  # less than the log takes as a whole
    rows = commands(bound)
    if players > PANDAS_UP_TO:
        rows = {what: command for what, command in rows.items() if what not in SMALL}
    else:
        measured([sys.executable, "-c", OTHERS], folder)
    took = {what: measured(command, folder, _cores(what)) for what, command in rows.items()}
    for _ in range(0 if players > PANDAS_UP_TO else AGAIN_IN_TURN):
        for what in took.keys() - ONCE:
            took[what] = min(took[what], measured(rows[what], folder, _cores(what)))
    print_table(took, records)
    agree(folder)


def print_table(took: dict[str, Took], records: int) -> None:
    """What everything took, beside what it should take at most."""
    print("| what | CPU seconds | of SQL | at most | on the clock | peak memory, MB |\n|:---|---:|---:|---:|---:|---:|")
    of = took["the measures in SQL (DuckDB)"].cpu
    for what, one in took.items():
        ratio = one.cpu / of
        print(
            f"| {what} | {one.cpu:.1f} | {ratio:.2f} | {_wanted(ratio, TARGETS.get(what, {}), records)} "
            f"| {one.clock:.1f} | {one.memory:,.0f} |"
        )
    print(f"\n{1e6 * took[ALL].cpu / records:.1f} µs of CPU a record for the report from the log.")
    if most := _wanted(took[ALL].memory, MOST_MEMORY, records):
        print(f"\nThe report from the log takes {took[ALL].memory:,.0f} MB of memory; at most {most}.")
    if records < THREADED:
        return
    faster, dearer = took[ONE_CORE].clock / took[TWO].clock, took[TWO].cpu / took[ONE_CORE].cpu
    kept = faster >= FASTER and dearer <= DEARER
    print(
        f"\nTwo threads are {faster:.2f} times as fast on the clock as one processor, at {dearer:.2f} times its CPU seconds; "
        f"{FASTER} at least and {DEARER} at most{'' if kept else ' (no)'}."
    )


def _cores(what: str) -> str:
    return "one" if what == ONE_CORE else "all"


def _wanted(value: float, targets: dict[float, float], records: int) -> str:
    """What a figure should be at most, for a log of about so many records, and whether it is more."""
    least = [most for size, most in targets.items() if 0.5 * size <= records <= 2 * size]
    return f"{least[0]:,g}{'' if value <= least[0] else ' (no)'}" if least else ""


def commands(bound: str) -> dict[str, list[str]]:
    """What is run, in this order, by what it is called in the table."""
    course, log, store = ["--course", "course.toml"], "log.jsonl", "log.store"
    peers, milepost = [sys.executable, str(HERE / "peers.py")], [str(PROGRAM), "report"]
    return {
        "parse into columns (DuckDB)": [*peers, "parse", log],
        "the measures in SQL (DuckDB)": [*peers, "sql", log],
        "the measures in Polars": [*peers, "polars", log],
        "the measures in pandas": [*peers, "pandas", log],
        ALL: [*milepost, log, *course, "-o", "all.json"],
        SOME: [*milepost, log, *course, "--only", FIVE, "-o", "five.json"],
        "milepost report, from Parquet": [*milepost, "log.parquet", *course, "-o", "parquet.json"],
        f"milepost report, from the log, --memory {bound}": [*milepost, log, *course, "--memory", bound, "-o", "bounded.json"],
        TWO: [*milepost, log, *course, "--jobs", "2", "-o", "two.json"],
        ONE_CORE: [*milepost, log, *course, "-o", "one.json"],
        "milepost funnel, from the log": [str(PROGRAM), "funnel", log, *course, "-o", "funnel.txt"],
        BROKEN: [str(PROGRAM), "funnel", "broken.jsonl", *course, "-o", "funnel.txt"],
        FOREIGN: [str(PROGRAM), "funnel", "foreign.jsonl", "--map", "map.toml", *course, "-o", "funnel.txt"],
        TABLE: [str(PROGRAM), "funnel", "log.csv", *course, "-o", "funnel.txt"],
        "milepost pack": [str(PROGRAM), "pack", log, "-o", store],
        FIRST: [*milepost, store, *course, "-o", "stored.json"],
        AGAIN: [*milepost, store, *course, "-o", "stored-again.json"],
        "milepost funnel, from the store, after that": [str(PROGRAM), "funnel", store, *course, "-o", "funnel.txt"],
        "milepost spikes, from the store, after that": [str(PROGRAM), "spikes", store, *course, "-o", "spikes.txt"],
    }


def starting() -> None:
    """What commands take on the demo, where the start is most of it."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        measured([str(PROGRAM), "demo"], folder)
        least = min(measured([sys.executable, "-c", "pass"], folder).cpu for _ in range(5))
        print("| on the demo | CPU seconds | at most |\n|:---|---:|---:|")
        wanted = {"--help": 0.08 + least, "funnel": 0.45, "spikes": 0.7}
        for words, most in wanted.items():
            took = min(measured([str(PROGRAM), words], folder / "wickwater").cpu for _ in range(5))
            print(f"| milepost {words} | {took:.2f} | {most:.2f}{'' if took <= most else ' (no)'} |")
        remembering(folder / "wickwater")


def remembering(folder: Path) -> None:
    """What a funnel takes after a check of the same logs, which was kept."""
    with tempfile.TemporaryDirectory() as cache:
        os.environ |= {"XDG_CACHE_HOME": cache, "MILEPOST_REMEMBER": "yes"}
        took = 9.0
        for _ in range(5):
            shutil.rmtree(cache)
            measured([str(PROGRAM), "check"], folder)
            took = min(took, measured([str(PROGRAM), "funnel"], folder).cpu)
        os.environ.pop("XDG_CACHE_HOME")
        os.environ["MILEPOST_REMEMBER"] = "no"
    print(f"| milepost funnel, after a check | {took:.2f} | {AFTER:.2f}{'' if took <= AFTER else ' (no)'} |")


def agree(folder: Path) -> None:
    """Stop where the peers, or the store, say anything else than the log does."""
    ours = json.loads((folder / "all.json").read_text())
    for file in ("stored", "bounded", "two", "one", "stored-again", "parquet", "five"):
        if (folder / f"{file}.json").exists():
            other = json.loads((folder / f"{file}.json").read_text())
            assert all(ours[name] == other[name] for name in MEASURES if name in other), file
    for peer in ("sql", "polars", "pandas"):
        if not (folder / f"{peer}.json").exists():
            continue
        for row in json.loads((folder / f"{peer}.json").read_text()):
            place = ours["course"]["levels"].index(row["level"])
            funnel, tries, times, deaths = (ours[n]["levels"][place] for n in ("funnel", "attempts", "times", "deaths"))
            own = (funnel["reached"], funnel["cleared"], tries["settled"], deaths["deaths"])
            assert own == (row["reached"], row["cleared"], row["tries"], row["deaths"]), (peer, row)
            assert abs(row["run_p50"] - times["run_p50"]) < 1e-6, (peer, row)
    print("\nAll agree on reach, clears, tries, deaths and the median clearing try of every level.")


if __name__ == "__main__":
    main()
