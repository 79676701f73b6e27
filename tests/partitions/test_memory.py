"""Memory stays bounded where that is asked for."""

import json
import os
import subprocess
import sys

import pytest

from driving import PROGRAM

MEGABYTE = 1 << 20
LIMIT = 700  # megabytes of data, which the process may not go beyond; room for threads that use little of it is counted in


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A log of 400,000 records: 8,000 players who each try five levels."""
    events = [(0, "session_start", {}), (60, "session_end", {"cause": "quit"})]
    for level in range(5):
        begun = 1 + 11 * level
        named = {"level": f"Lock {level}"}
        events += [(begun + n, "start" if n == 0 else "retry", named) for n in (0, 2, 4, 6)]
        events += [(begun + n, "death", named | {"cause": "reeds", "progress": 0.5}) for n in (1, 3, 5)]
        events += [(begun + 7, "complete", named), (begun + 8, "transition", named), (begun + 9, "pause", {})]
    lines = [
        json.dumps({"session": "NAME", "time": time, "event": event, **more})
        for time, event, more in sorted(events, key=lambda e: e[0])
    ]
    session = "\n".join(lines) + "\n"
    folder = tmp_path_factory.mktemp("large")
    with (folder / "log.jsonl").open("w") as log:
        log.writelines(session.replace("NAME", f"s{n}") for n in range(8000))
    return folder


PROBE = """
import resource, subprocess, sys
limit = int(sys.argv[1])
bound = (lambda: resource.setrlimit(resource.RLIMIT_DATA, (limit, limit))) if limit else None
code = subprocess.run(sys.argv[2:], preexec_fn=bound).returncode
print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss, file=sys.stderr)
sys.exit(code)
"""


def peak(folder, *words, limit=0):
    """What a run prints, and its peak memory in megabytes; a small process starts it, since a process begins with its parent's peak."""
    done = subprocess.run(
        [sys.executable, "-c", PROBE, str(limit * MEGABYTE), str(PROGRAM), *words],
        cwd=folder,
        capture_output=True,
        text=True,
        env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
    )
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout), int(done.stderr.split()[-1]) / 1024


@pytest.mark.thorough
def test_memory_is_bounded(folder):
    """With little memory, and a limit set on the process: the same figures, and far less than of the whole log at once."""
    command = ("attempts", "log.jsonl", "--format", "json")
    whole, most = peak(folder, *command)
    bounded, least = peak(folder, *command, "--memory", "200MB", limit=LIMIT)
    assert bounded == whole and len(whole["levels"]) == 5
    assert least < 0.85 * most and least < 300
