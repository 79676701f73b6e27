"""Mutation testing: small changes to the code that decides, each of which some test should notice.

    make mutants                    # 30 mutants of each package, drawn by a seed
    make mutants EACH=200 SEED=5
    make mutants EACH=20 PACKAGES="cleaning measures"

A mutant is one function with one thing changed: a number, a comparison, a sign, a text, an argument left out. mutmut makes and
runs them, each on the tests that come to its function, in a copy of the tree. What is printed: the share that is noticed, with
its 95 % interval, and those that nobody noticed, to be looked at one by one. Nothing is compiled meanwhile, so that changes
reach all loops.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import re
import subprocess
import sys
import tempfile
from collections import defaultdict
from pathlib import Path

from mutmut.mutation.file_mutation import mutate_file_contents
from mutmut.utils.format_utils import get_mutant_name

from milepost.numerics.intervals import wilson_interval

PACKAGES = (
    "cleaning",
    "playback",
    "measures",
    "numerics",
    "difficulty",
    "comparison",
    "planning",
    "folder",
    "partitions",
    "logs/mapping",
)
TESTS = (
    "cleaning",
    "playback",
    "measures",
    "numerics",
    "difficulty",
    "audit",
    "comparison",
    "folder",
    "logs/test_map_use.py",
    "logs/test_mapped_columns.py",
    "logs/test_other_inputs.py",
    "partitions/test_counting.py",
    "partitions/test_merging.py",
    "partitions/test_records_gone.py",
)
COMPILING = ("playback/test_compiled.py", "difficulty/test_try_model.py::test_compiled_sums_are_the_same")  # which mutants do not
LEFT_OUT = [f"--deselect=tests/{name}" for name in COMPILING]
IN_PROCESSES = """import os
if os.environ.get("MUTANT_UNDER_TEST") == "stats":  # which only the process of the tests gathers
    os.environ["MUTANT_UNDER_TEST"] = ""
"""
MUTMUT = Path(sys.executable).with_name("mutmut")
NOTICED, UNNOTICED = {1, 3, 24, 36, 152, 255, -24, -11, -9}, {0, 5, 33}


def copied(tree: Path, packages: list[str], tests: list[str]) -> None:
    """The files of the repository in a folder, with mutmut's settings."""
    listed = subprocess.run(["git", "ls-files", "-co", "--exclude-standard", "-z"], capture_output=True, check=True).stdout
    packed = subprocess.run(["tar", "c", "--null", "-T", "-"], input=listed, capture_output=True, check=True).stdout
    subprocess.run(["tar", "x", "-C", str(tree)], input=packed, check=True)
    settings = {
        "source_paths": ["src"],
        "only_mutate": [f"src/milepost/{name}/*" for name in packages],
        "also_copy": ["README.md", "docs", "scripts", "benchmarks"],
        "pytest_add_cli_args": ["-n", "0", "-m", "", "-p", "no:cacheprovider", *LEFT_OUT],
        "pytest_add_cli_args_test_selection": [f"tests/{name}" for name in tests],
    }
    lines = "\n".join(f"{key} = {json.dumps(value)}" for key, value in settings.items())
    project = tree / "pyproject.toml"
    project.write_text(f"{project.read_text()}\n[tool.mutmut]\nuse_git_change_detection = false\n{lines}\n")


def drawn(tree: Path, package: str, each: int, seed: int) -> list[str]:
    """So many mutants of a package, by a seed."""
    found = []
    for path in sorted((tree / "src/milepost" / package).rglob("*.py")):
        own = path.relative_to(tree)
        found += [get_mutant_name(own, name) for name in mutate_file_contents(str(own), path.read_text()).mutant_names]
    return random.Random(f"{seed} {package}").sample(found, min(each, len(found)))


def verdicts(tree: Path) -> dict[str, int | None]:
    """What became of each mutant, as the exit status of its tests."""
    found: dict[str, int | None] = {}
    for path in (tree / "mutants/src").rglob("*.meta"):
        found |= json.loads(path.read_text())["exit_code_by_key"]
    return found


def main() -> None:
    """Draw, run, and say what came of it."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--each", type=int, default=60, help="mutants a package (60)")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--packages", nargs="+", default=list(PACKAGES), choices=PACKAGES)
    parser.add_argument("--tests", nargs="+", default=list(TESTS), help="folders of tests that are run")
    args = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="mutants-") as folder:
        tree = Path(folder)
        copied(tree, args.packages, args.tests)
        names = {package: drawn(tree, package, args.each, args.seed) for package in args.packages}
        env = {**os.environ, "NUMBA_DISABLE_JIT": "1", "OPENBLAS_NUM_THREADS": "1"}
        (tree / "mutants/src").mkdir(parents=True)
        (tree / "sitecustomize.py").write_text(IN_PROCESSES)
        env["PYTHONPATH"] = f"{tree}{os.pathsep}{tree / 'mutants/src'}"  # for the processes that tests start, too
        wanted = [name for own in names.values() for name in own]
        with (tree / "said.txt").open("w") as said:
            done = subprocess.run([str(MUTMUT), "run", *wanted], cwd=tree, env=env, stdout=said, check=False)
        if done.returncode:
            sys.exit(f"mutmut stopped:\n{(tree / 'said.txt').read_text()[-3000:]}")
        told(tree, names)


def told(tree: Path, names: dict[str, list[str]]) -> None:
    """Print the table, and what nobody noticed."""
    status, missed, sums = verdicts(tree), defaultdict(list), [0, 0]
    print(f"{'package':<12} {'drawn':>6} {'noticed':>8}   95 % interval")
    for package, own in names.items():
        noticed = sum(status[name] in NOTICED for name in own)
        missed[package] = [name for name in own if status[name] not in NOTICED]
        row(package, noticed, len(own))
        sums = [sums[0] + noticed, sums[1] + len(own)]
    row("all", *sums)
    for package, own in missed.items():
        for name in sorted(own):
            shown = subprocess.run([str(MUTMUT), "show", name], cwd=tree, capture_output=True, text=True).stdout
            changed = [line for line in shown.splitlines() if re.match(r"[-+](?![-+])", line)]
            print(f"\n{package}: {name} ({'no test comes there' if status[name] in (5, 33) else f'status {status[name]}'})")
            print("\n".join(changed))


def row(name: str, noticed: int, drawn: int) -> None:
    """One line of the table."""
    low, high = wilson_interval(noticed, drawn)
    print(f"{name:<12} {drawn:>6} {noticed / drawn:>8.0%}   {low:.0%} to {high:.0%}")


if __name__ == "__main__":
    main()
