"""What docs/automation.md gives to build servers runs as plain shell, in the demo's folder."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from thoroughness import some_always

TEXT = (Path(__file__).resolve().parents[2] / "docs/automation.md").read_text(encoding="utf-8")
SCRIPTS = re.findall(r"```sh\n(.*?)```", TEXT, re.DOTALL)


@pytest.mark.parametrize("number", some_always(reversed(range(len(SCRIPTS)))))
def test_each_script_runs(wickwater, tmp_path, number):
    """Each leaves what it says: reports, and test results."""
    shutil.copytree(wickwater.folder / "wickwater", tmp_path / "wickwater")
    environment = {**os.environ, "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}"}
    done = subprocess.run(
        ["sh", "-c", SCRIPTS[number]], cwd=tmp_path, env=environment, capture_output=True, text=True, timeout=300
    )
    assert done.returncode == 0, done.stderr
    written = re.findall(r"(?:--output|-o) (\S+)", SCRIPTS[number])
    assert written and all((tmp_path / "wickwater" / name).stat().st_size > 100 for name in written)


def test_there_are_two():
    """For a server that runs steps, and for one that reads test results."""
    assert len(SCRIPTS) == 2 and "--strict" in SCRIPTS[0] and "junit" in SCRIPTS[1]
