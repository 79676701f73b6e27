"""How long a whole report takes, beside parsing alone and beside the same measures in SQL and in Polars.

Run from the project's root: python benchmarks/speed.py --players 10000
(about 137 records a player; Polars is an extra that this benchmark needs: pip install polars)
"""

from __future__ import annotations

import argparse
import json
import resource
import subprocess
import sys
import tempfile
from pathlib import Path

PANDAS_UP_TO = 20_000  # players; beyond, pandas takes too long to be of interest
PARQUET = "import duckdb; duckdb.read_json('log.jsonl', format='newline_delimited').write_parquet('log.parquet')"
MEASURES = ("funnel", "attempts", "times", "deaths", "moves", "spikes")
HERE = Path(__file__).resolve().parent
PROGRAM = Path(sys.executable).with_name("milepost")


def measured(command: list[str], folder: Path) -> tuple[float, float]:
    """CPU seconds and peak memory in MB of one command."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    probe = "import resource, subprocess, sys; done = subprocess.run(sys.argv[1:]); print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss, file=sys.stderr); sys.exit(done.returncode)"  # noqa: E501
    done = subprocess.run([sys.executable, "-c", probe, *command], cwd=folder, capture_output=True, text=True, check=False)
    if done.returncode:
        sys.exit(f"{' '.join(command)}: {done.stderr}")
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    cpu = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    return cpu, int(done.stderr.split()[-1]) / 1024


def main() -> None:
    """Print a table for each size asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--players", type=int, nargs="+", default=[730, 7300], help="sizes of the log, in players (730 7300)")
    args = parser.parse_args()
    for players in args.players:
        with tempfile.TemporaryDirectory() as name:
            compare(Path(name), players)


def compare(folder: Path, players: int) -> None:
    """Make a log of so many players, run everything on it, and print what each took."""
    made, _ = measured([str(PROGRAM), "simulate", "--players", str(players), "-o", "log.jsonl", "--truth", "truth.json"], folder)
    records = sum(1 for _ in (folder / "log.jsonl").open("rb"))
    levels = json.loads((folder / "truth.json").read_text())["levels"]
    (folder / "course.toml").write_text("".join(f'[[level]]\nname = "{level["level"]}"\n' for level in levels))
    size = (folder / "log.jsonl").stat().st_size / 1e6
    print(f"\n{records:,} records of {players:,} players, {size:.0f} MB; made in {made:.1f} CPU seconds\n")
    measured([sys.executable, "-c", PARQUET], folder)
    bound = "1GB" if players > PANDAS_UP_TO else "300MB"  # less than the log takes as a whole
    milepost = [str(PROGRAM), "report"]
    course = ["--course", "course.toml"]
    rows = {
        "parse into columns (DuckDB)": [sys.executable, str(HERE / "peers.py"), "parse", "log.jsonl"],
        "the measures in SQL (DuckDB)": [sys.executable, str(HERE / "peers.py"), "sql", "log.jsonl"],
        "the measures in Polars": [sys.executable, str(HERE / "peers.py"), "polars", "log.jsonl"],
        "the measures in pandas": [sys.executable, str(HERE / "peers.py"), "pandas", "log.jsonl"],
        "milepost report, from the log": [*milepost, "log.jsonl", *course, "-o", "all.json"],
        "milepost report, from Parquet": [*milepost, "log.parquet", *course, "-o", "parquet.json"],
        f"milepost report, from the log, --memory {bound}": [
            *milepost,
            "log.jsonl",
            *course,
            "--memory",
            bound,
            "-o",
            "bounded.json",
        ],
        "milepost report, from the log, --jobs 2": [*milepost, "log.jsonl", *course, "--jobs", "2", "-o", "two.json"],
        "milepost funnel, from the log": [str(PROGRAM), "funnel", "log.jsonl", *course, "-o", "funnel.txt"],
        "milepost pack": [str(PROGRAM), "pack", "log.jsonl", "-o", "log.store"],
        "milepost report, from the store": [*milepost, "log.store", *course, "-o", "stored.json"],
        "milepost report, from the store, --jobs 2": [*milepost, "log.store", *course, "--jobs", "2", "-o", "stored-two.json"],
        "milepost funnel, from the store": [str(PROGRAM), "funnel", "log.store", *course, "-o", "funnel.txt"],
    }
    if players > PANDAS_UP_TO:
        del rows["the measures in pandas"]
    print("| what | CPU seconds | of SQL | peak memory, MB |\n|:---|---:|---:|---:|")
    measured(rows["milepost report, from the log"], folder)  # compiles, once for a machine and version
    took = {what: measured(command, folder) for what, command in rows.items()}
    for what, (cpu, memory) in took.items():
        print(f"| {what} | {cpu:.1f} | {cpu / took['the measures in SQL (DuckDB)'][0]:.2f} | {memory:,.0f} |")
    agree(folder)


def agree(folder: Path) -> None:
    """Stop where the peers, or the store, say anything else than the log does."""
    ours = json.loads((folder / "all.json").read_text())
    for file in ("stored", "bounded", "two", "stored-two", "parquet"):
        if (folder / f"{file}.json").exists():
            other = json.loads((folder / f"{file}.json").read_text())
            assert all(ours[name] == other[name] for name in MEASURES), file
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
