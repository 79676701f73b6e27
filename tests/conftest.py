"""What all tests share."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parent))


@pytest.fixture
def milepost(tmp_path):
    """Runs the installed program in a temporary folder; gives the finished process."""

    def run(*words, stdin=None, **env):
        program = Path(sys.executable).with_name("milepost")
        return subprocess.run(
            [str(program), *map(str, words)], cwd=tmp_path, input=stdin, capture_output=True, text=True, timeout=120,
            env={**os.environ, "COLUMNS": "100", **env},
        )  # fmt: skip

    return run
