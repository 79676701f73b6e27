"""The manual is true: its examples run, and every command, option and finding is in it."""

import re
import shlex
import shutil
from pathlib import Path

import pytest

from conftest import Program
from milepost.cli.main import all_commands, build_parser
from milepost.demo.unpack import unpack
from milepost.vocabulary import EVENTS, FINDINGS

ROOT = Path(__file__).resolve().parents[2]
README = (ROOT / "README.md").read_text(encoding="utf-8")
MANUAL = README + "".join(path.read_text(encoding="utf-8") for path in sorted((ROOT / "docs").glob("*.md")))


@pytest.mark.parametrize("command", dict.fromkeys(re.findall(r"^\$ milepost (.+)$", MANUAL, re.MULTILINE)))
def test_examples_run(wickwater, command):
    """Every command line of the manual runs in the demo's folder, or beside it where it names one; a store is packed first."""
    inside = Program(wickwater.folder / "wickwater")
    if "wickwater.store" in command:
        shutil.rmtree(inside.folder / "wickwater.store", ignore_errors=True)
        if not command.startswith("pack") or "--add" in command:
            inside("pack", "-o", "wickwater.store")
    if "last-week.json" in command:
        assert inside("report", "-o", "last-week.json").returncode == 0
    if "race" in command:
        shutil.rmtree(wickwater.folder / "race", ignore_errors=True)
        if not command.startswith("demo"):
            unpack(wickwater.folder / "race", force=False, which="race")
    beside = "wickwater/" in command or re.search(r"\brace\b", command) or command.startswith(("demo", "init"))
    done = (wickwater if beside else inside)(*shlex.split(command))
    assert done.returncode == 0, done.stderr


def test_notebook_example_runs(wickwater, monkeypatch):
    """The README's Python example runs."""
    (example,) = re.findall(r"```python\n(.+?)```", README, re.DOTALL)
    monkeypatch.chdir(wickwater.folder)
    exec(compile(example, "README.md", "exec"), {})


def test_manual_is_complete():
    """Commands, options, event words and finding codes are all in the manual."""
    known = {*all_commands(), *EVENTS, *(finding.code for finding in FINDINGS)}
    for action in vars(build_parser()._subparsers._group_actions[0])["choices"].values():
        known |= {option for a in action._actions for option in a.option_strings if option.startswith("--")}
    missing = sorted(name for name in known - {"--help"} if name not in MANUAL)
    assert not missing


def test_links_lead_somewhere():
    """Every relative link and picture of the manual exists."""
    for path in [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")]:
        for target in re.findall(r"\]\(([^)#:]+)\)", path.read_text(encoding="utf-8")):
            assert (path.parent / target).exists(), f"{path.name}: {target}"


def test_the_reference_is_that_of_the_docstrings(monkeypatch):
    """docs/api.md is what the calls say of themselves."""
    monkeypatch.syspath_prepend(ROOT / "scripts")
    import make_reference

    assert make_reference.TARGET.read_text(encoding="utf-8") == make_reference.reference()
