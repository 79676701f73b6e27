"""The recipes for those who work on the program do what they say: each is followed in a copy of it."""

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from jsonschema import Draft202012Validator

ROOT = Path(__file__).resolve().parents[2]
RECIPES = (ROOT / "CONTRIBUTING.md").read_text(encoding="utf-8")
STEP = re.compile(r"(?:[Aa] new file,\s+`([^`]+)`|In `([^`]+)`, before `([^`]+)`):\n\n```python\n(.+?)```", re.DOTALL)


class Copy:
    """A copy of the program in which every recipe was followed."""

    def __init__(self, folder):
        self.folder = folder
        shutil.copytree(ROOT / "src", folder / "src")
        shutil.copytree(ROOT / "scripts", folder / "scripts")
        (folder / "docs").mkdir()
        self.new = []
        for made, changed, anchor, code in STEP.findall(RECIPES):
            path = folder / (made or changed)
            if made:
                assert not path.exists()
                path.write_text(code, encoding="utf-8")
                self.new.append(path)
            else:
                text = path.read_text(encoding="utf-8")
                assert text.count(anchor) == 1, f"{changed} has not just one {anchor!r}"
                path.write_text(text.replace(anchor, code + anchor), encoding="utf-8")

    def __call__(self, *words):
        return self.python("-m", "milepost", *words)

    def python(self, *words):
        env = {**os.environ, "PYTHONPATH": str(self.folder / "src"), "COLUMNS": "100"}
        return subprocess.run([sys.executable, *words], cwd=self.folder, env=env, capture_output=True, text=True, timeout=120)


@pytest.fixture(scope="module")
def copy(tmp_path_factory):
    copy = Copy(tmp_path_factory.mktemp("copy"))
    lines = [
        {"session": "s", "time": time, "event": event, "level": "Mill Pond"}
        for time, event in ((0, "start"), (1, "pause"), (5000, "resume"), (5001, "complete"))
    ]
    (copy.folder / "log.jsonl").write_text("".join(json.dumps(line) + "\n" for line in lines))
    (copy.folder / "log.seq").write_text("".join(f"\x1e{json.dumps(line)}\n" for line in lines))
    return copy


def test_steps_are_found():
    """Every block of code is a step that is followed."""
    assert len(STEP.findall(RECIPES)) == RECIPES.count("```python") > 10


@pytest.mark.parametrize("form", ["table", "json", "csv", "markdown"])
def test_a_new_measure(copy, form):
    """It has its command, in every form, with groups and over parts."""
    done = copy("pauses", "log.jsonl", "--format", form)
    assert done.returncode == 0 and "Mill Pond" in done.stdout, done.stderr
    if form == "json":
        document = json.loads(done.stdout)
        assert document["levels"] == [{"level": "Mill Pond", "players": 1, "paused": 1, "seconds": 4999.0}]
        assert (document["format"], document["command"]) == (1, "pauses")
        assert (
            json.loads(copy("pauses", "log.jsonl", "--memory", "1MB", "--format", "json").stdout)["levels"] == document["levels"]
        )
        assert copy("pauses", "log.jsonl", "--by", "player").returncode == 0
    assert "pauses" in copy("--help").stdout


@pytest.mark.thorough
def test_all_that_comes_with_it(copy):
    """Its figure, its part of the report in every form, its call, its schema, its manual page, and the call's reference."""
    assert copy("pauses", "log.jsonl", "--figure", "pauses.png").returncode == 0
    assert (copy.folder / "pauses.png").stat().st_size > 10_000
    for name in ("r.html", "r.json", "r.md"):
        assert copy("report", "log.jsonl", "-o", name).returncode == 0
    page, document = (copy.folder / "r.html").read_text(encoding="utf-8"), json.loads((copy.folder / "r.json").read_text())
    assert "Pauses: where players stop the game" in page and "is paused longest" in page
    assert document["pauses"]["levels"][0]["seconds"] == 4999.0
    assert (copy.folder / "pauses.png").exists() and "Pauses" in (copy.folder / "r.md").read_text(encoding="utf-8")
    call = "import milepost; print(milepost.pauses(milepost.replay('log.jsonl'), least=2)['seconds'].tolist())"
    assert copy.python("-c", call).stdout == "[4999.0]\n"
    for script in ("make_schemas", "make_man", "make_reference"):
        done = copy.python(f"scripts/{script}.py")
        assert done.returncode == 0, done.stderr
    schemas = copy.folder / "src/milepost/schemas"
    for name, own in (("pauses", document["pauses"]), ("report", document)):
        Draft202012Validator(json.loads((schemas / f"{name}.json").read_text())).validate(own)
    assert "--least" in (copy.folder / "man/man1/milepost-pauses.1").read_text().replace("\\-", "-")
    assert "milepost.pauses" in (copy.folder / "docs/api.md").read_text(encoding="utf-8")


def test_a_new_suspect(copy):
    """It is among what `check` finds suspicious."""
    found = json.loads(copy("check", "log.jsonl", "--format", "json").stdout)["suspects"]
    assert [(one["count"], one["levels"]) for one in found if one["code"] == "long_pause"] == [(1, ["Mill Pond"])]


def test_a_new_format(copy):
    """It is told from its content, and gives the same figures."""
    plain, other = (json.loads(copy("funnel", name, "--format", "json").stdout)["levels"] for name in ("log.jsonl", "log.seq"))
    assert plain == other


def test_the_new_files_are_clean(copy):
    """They would pass what every commit passes."""
    settings = ["--config", str(ROOT / "pyproject.toml"), "--config", f'src = ["{copy.folder / "src"}"]']
    done = subprocess.run([sys.executable, "-m", "ruff", "check", *settings, *map(str, copy.new)], capture_output=True, text=True)
    assert done.returncode == 0, done.stdout
