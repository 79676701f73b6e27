"""At home on the command line: completion and manual pages by the shells themselves, how much is said, pages, the version."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from milepost.cli.main import all_commands, build_parser

ROOT = Path(__file__).resolve().parents[2]
BIN = Path(sys.executable).parent
BASH = """
source /dev/stdin <<< "$(milepost completion bash)"
COMP_LINE="$1"; COMP_POINT=${#1}; COMP_TYPE=9; read -ra COMP_WORDS <<< "$1"; COMP_CWORD=$((${#COMP_WORDS[@]} - 1))
_python_argcomplete milepost; printf '%s\\n' "${COMPREPLY[@]}"
"""
FISH = 'milepost completion fish | source; complete -C "$argv[1]"'


def shell(words, folder):
    """What a shell with the program on its path prints."""
    if shutil.which(words[0]) is None:
        pytest.skip(f"{words[0]} is not installed")
    environment = {**os.environ, "PATH": f"{BIN}:{os.environ['PATH']}", "HOME": str(folder)}
    done = subprocess.run(words, cwd=folder, env=environment, capture_output=True, text=True, timeout=120)
    return done.stdout.replace("\\ ", " ").split("\n"), done.stderr


LINES = [
    ("milepost lev", {"level"}),
    ("milepost funnel --unk", {"--unknown-end"}),
    ("milepost level Low", {"Low Arch"}),
    ("milepost trace maud", {"maud-wick-1", "maud-reed-2"}),
    ("milepost funnel --by exp", {"experience"}),
    ("milepost compare --from 0", {"0.7", "0.8"}),
    ("milepost funnel --exclude idle", {"idle_span"}),
]


@pytest.mark.parametrize(("line", "offered"), LINES, ids=[line for line, _ in LINES])
@pytest.mark.parametrize("which", ["bash", "fish"])
def test_completion(wickwater, which, line, offered):
    """Commands, options, and names from the folder's course, log and table of players."""
    words = ["bash", "-c", BASH, "bash", line] if which == "bash" else ["fish", "-c", FISH, line]
    said, errors = shell(words, wickwater.folder / "wickwater")
    assert offered <= {one.split("\t")[0].strip() for one in said}, (said, errors)


def test_completion_in_zsh(wickwater):
    """The script is taken, and the program's completer is known."""
    script = 'autoload -U compinit; compinit -u -d dump; eval "$(milepost completion zsh)"; print $_comps[milepost]'
    said, errors = shell(["zsh", "-f", "-c", script], wickwater.folder / "wickwater")
    assert said[0] == "_python_argcomplete", errors


def test_completion_is_silent_about_errors(milepost):
    """In a folder whose file is broken nothing is offered, and nothing is said."""
    milepost.write("milepost.toml", "logs = 3")
    said, errors = shell(["bash", "-c", BASH, "bash", "milepost level Lo"], milepost.folder)
    assert "Traceback" not in errors and not [one for one in said if "milepost.toml" in one]


def test_manual_pages(tmp_path):
    """Each command has one with all its options, its example and the exit statuses, and man shows it."""
    parsers = vars(build_parser()._subparsers._group_actions[0])["choices"]
    assert {path.name for path in (ROOT / "man/man1").iterdir()} == {
        "milepost.1",
        *(f"milepost-{name}.1" for name in all_commands()),
    }
    for name, parser in parsers.items():
        text = (ROOT / f"man/man1/milepost-{name}.1").read_text(encoding="utf-8").replace("\\", "")
        options = {option for action in parser._actions for option in action.option_strings if option.startswith("--")} - {
            "--help"
        }
        assert not {option for option in options if option not in text}, name
        assert all_commands()[name].EXAMPLE in text.replace("e'", "'") and ".SH EXIT STATUS" in text
    for page in ("milepost", "milepost-funnel"):
        said, errors = shell(["man", "-l", str(ROOT / f"man/man1/{page}.1")], tmp_path)
        assert any(line.startswith("NAME") for line in said) and any("SEE ALSO" in line for line in said), errors
        assert "warning" not in errors


def test_how_much_is_said(wickwater):
    """Quiet leaves errors alone; verbose says each step with its time; neither changes the output."""
    folder = type(wickwater)(wickwater.folder / "wickwater")
    plain = folder("funnel", "--format", "csv")
    assert "Taken from" in plain.stderr
    quiet = folder("funnel", "--format", "csv", "--quiet")
    assert (quiet.stdout, quiet.stderr) == (plain.stdout, "")
    assert "gone.jsonl" in folder("funnel", "gone.jsonl", "--quiet").stderr
    verbose = folder("funnel", "--format", "csv", "--verbose")
    assert verbose.stdout == plain.stdout and "replaying: 68 in" in verbose.stderr and "reading: 8,3" in verbose.stderr
    assert "replaying" not in folder("funnel", "--format", "csv").stderr, "the next run is as usual"
    assert folder("funnel", "--quiet", "--verbose").returncode == 2


def test_the_version(milepost):
    """It is a line; with --verbose also what it runs on."""
    assert milepost("--version").stdout.startswith("milepost 0.") and milepost("--version").stdout.count("\n") == 1
    said = milepost("--version", "--verbose").stdout
    assert "Python 3." in said and "numpy " in said and "not installed" not in said


def test_a_pager_for_long_tables(wickwater):
    """On a terminal a long table goes through PAGER; a short one, a pipe, JSON and a file do not."""
    script = f"{BIN}/milepost funnel; {BIN}/milepost funnel --format json; {BIN}/milepost note --help"
    environment = {**os.environ, "PAGER": "sed s/^/paged:/", "TERM": "dumb", "LINES": "20", "COLUMNS": "100"}
    done = subprocess.run(
        ["script", "-qec", script, "/dev/null"],
        cwd=wickwater.folder / "wickwater",
        env=environment,
        capture_output=True,
        text=True,
        stdin=subprocess.DEVNULL,
        timeout=120,
    )
    lines = done.stdout.splitlines()
    assert sum(line.startswith("paged:") for line in lines) > 20 and not any(line.startswith("paged:{") for line in lines)
    piped = subprocess.run(
        [f"{BIN}/milepost", "funnel"], cwd=wickwater.folder / "wickwater", env=environment, capture_output=True, text=True
    )
    assert "paged:" not in piped.stdout
